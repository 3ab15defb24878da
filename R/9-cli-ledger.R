# The command `ledger`: how it stands, moved to another place, who may use it.

cli_ledger_command <- function(o, args) {
  what <- if (length(args)) check_choice(args[1], "clockpigeon ledger", c("state", "move", "grant")) else "state"
  needs <- c(state = 1, move = 3, grant = 3)[[what]]
  if (length(args) && length(args) != needs) {
    stop_input("usage", paste("got", toString(shQuote(args[-1]))), paste("clockpigeon ledger", what),
               c(state = "Nothing stands behind it.", grant = "Write: grant ROLE read|write|correct.",
                 move = "Write: move FROM TO, files or addresses such as postgresql://user@host/database.")[[what]])
  }
  switch(what, move = return(cli_move(o, args[2], args[3])), grant = return(cli_grant(args[2], args[3])))
  project <- read_project(parts = character())
  if (!has_ledger(project$ledger)) stop_input("ledger", "there is none yet", project$ledger, "Run clockpigeon bench.")
  state <- cli_ledger(project, TRUE, ledger_state)
  cli_emit(as_table(list(table = names(state$rows), rows = unname(state$rows))), o$format,
           function() ledger_state_lines(state))
  if (length(state$faults)) 1L else 0L
}

ledger_state_lines <- function(x) {
  rows <- x$rows[x$rows > 0]
  w <- as_frame(x$writers)
  count <- function(n) format(n, big.mark = ",", trim = TRUE)
  c(
    wrap_lines(paste0("Ledger ", short_path(x$place), ": ",
                      count(x$rows[["runs"]]), " timings",
                      if (!is.na(x$first)) paste0(" measured ", substr(x$first, 1, 10), " to ", substr(x$last, 1, 10)),
                      "; form ", x$form, if (!is.na(x$bytes)) paste0(", ", format_size(x$bytes)), ".")),
    wrap_lines(if (length(x$faults)) paste("It does not hold together:", paste(x$faults, collapse = "; "))
               else "It holds together: nothing speaks of a row that is not there."),
    if (length(x$waiting)) wrap_lines(paste0(length(x$waiting), " batches of this machine wait for the server, in ",
                                             dirname(x$waiting[1]), ".")),
    "", text_table(data.frame(table = names(rows), rows = count(unname(rows))), right = "rows"),
    if (nrow(w)) c("", "The last thousand timings are from:",
                   text_table(data.frame(from = w[["whose"]], timings = count(w[["timings"]]), last = w[["last"]]),
                              right = "timings"))
  )
}

cli_move <- function(o, from, to) {
  if (!is_server_address(from) && !file.exists(from)) {
    stop_input("ledger", "there is no such file", from, "Name a ledger, or write postgresql://user@host/database.")
  }
  moved <- with_ledger(from, function(source) {
    with_ledger(to, function(target) {
      move_ledger(source, target, say = function(table, done, all) {
        if (done < all) cli_note(table, ": ", done, " of ", all)
      })
    }, FALSE)
  })
  cli_emit(moved, o$format, function() {
    x <- as_frame(moved)
    x <- x[x[["rows"]] > 0, , drop = FALSE]
    c(wrap_lines(paste0("Moved ", format(sum(x[["rows"]]), big.mark = ","), " rows; each table has the same hash in ",
                        "both places. The old ledger is as it was. Write the new one into clockpigeon.yaml: ledger: ",
                        to)),
      "", text_table(data.frame(table = x[["table"]], rows = format(x[["rows"]], big.mark = ","),
                                hash = substr(x[["hash"]], 1, 16)), right = "rows"))
  })
  0L
}

cli_grant <- function(role, what) {
  cli_ledger(read_project(parts = character()), FALSE, function(ledger) grant_ledger(ledger, role, what))
  cli_note(role, " may ", what, " now.")
  0L
}
