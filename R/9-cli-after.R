# Commands after a job: `settle`, `learned` and `ledger`.

# Run `settle`.
cli_settle <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "rates"))
  job <- if (length(args)) args[1] else cli_one_job(project)
  check_choice(o$list, "option --list", c("steps", "findings", "lines"))
  if (length(o$forget)) return(cli_forget_bill(project, job, o$forget))
  x <- cli_ledger(project, FALSE, function(ledger) settle_job(project, ledger, job, o$bill, o$site))
  if (length(o$dispute)) {
    files <- write_dispute(x, o$dispute)
    cli_note("Written for the site: ", paste(files, collapse = " and "))
  }
  if (length(o$export)) {
    lines <- standard_export(x, project)
    write_whole(o$export, function(part) write_csv(lines, part))
    cli_note("Written in the columns of the FinOps Open Cost and Usage Specification ",
             standard_version, ": ",
             o$export)
  }
  cli_figure(x, o$figure)
  cli_emit(x[[o$list]], o$format, function() settle_lines(x, o$all))
  if (x$too_much > 0) 3L else 0L
}

# Withdraw a bill that should not count.
cli_forget_bill <- function(project, job, bill) {
  n <- cli_ledger(project, FALSE, function(ledger) forget_bill(ledger, job, bill))
  show_lines(paste0(n, if (n == 1) " line of " else " lines of ", basename(bill),
                    if (n == 1) " no longer counts."
                    else " no longer count.", " clockpigeon settle ", job, " --bill ", bill,
                    " reads it again."))
  0L
}

standard_export <- function(x, project) {
  moment <- function(at) format(at, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
  source <- x$lines[["source"]]
  as_standard_lines(as_frame(x$lines), project$sites[[x$site]],
                    ifelse(startsWith(source, "line "), x$job, source),
                    c(moment(x$watched$placed), moment(x$watched$placed + x$watched$passed_s)))
}

# ---- learned -------------------------------------------------------------------------------------

cli_learned <- function(o) {
  project <- read_project(parts = character())
  check_choice(o$list, "option --list", c("scores", "corrections", "rates"))
  x <- cli_ledger(project, code = learned)
  cli_figure(x, o$figure)
  cli_emit(x[[o$list]], o$format, function() learned_lines(x))
  0L
}

# Corrections of the forecasts of a project's jobs; nothing unless requested.
cli_corrections <- function(project, as_is) {
  if (!isTRUE(as_is) && has_ledger(project$ledger)) cli_ledger(project, code = learned)
}

# ---- ledger --------------------------------------------------------------------------------------

# Run `ledger` and its actions.
cli_ledger_command <- function(o, args) {
  needs <- c(state = 1, move = 3, archive = 1, grant = 3)
  what <- if (length(args)) check_choice(args[1], "clockpigeon ledger", names(needs)) else "state"
  needs <- needs[[what]]
  if (length(args) && length(args) != needs) {
    stop_input("usage", paste("got", toString(shQuote(args[-1]))),
               paste("clockpigeon ledger", what),
               c(state = "Nothing stands behind it.",
                 archive = "Write: archive --before 2025-01-01.",
                 grant = "Write: grant ROLE read|write|correct.",
                 move = paste0("Write: move FROM TO, files or addresses such as ",
                               "postgresql://user@host/database."))[[what]])
  }
  if (what != "archive" && length(o$before)) {
    stop_input("usage", "got a day", "option --before", "It is for clockpigeon ledger archive.")
  }
  switch(what, move = return(cli_move(o, args[2], args[3])),
         grant = return(cli_grant(args[2], args[3])), archive = return(cli_archive(o)))
  project <- read_project(parts = character())
  if (!has_ledger(project$ledger))
    stop_input("ledger", "there is none yet", project$ledger, "Run clockpigeon bench.")
  state <- cli_ledger(project, TRUE, ledger_state)
  cli_emit(as_table(list(table = names(state$rows), rows = unname(state$rows))), o$format,
           function() ledger_state_lines(state))
  if (length(state$faults)) 1L else 0L
}

# The state of a ledger, as lines.
ledger_state_lines <- function(x) {
  rows <- x$rows[x$rows > 0]
  w <- as_frame(x$writers)
  count <- function(n) format(n, big.mark = ",", trim = TRUE)
  c(
    wrap_lines(paste0("Ledger ", short_path(x$place), ": ",
                      count(x$rows[["runs"]]), " timings",
                      if (!is.na(x$first))
                      paste0(" measured ", substr(x$first, 1, 10), " to ", substr(x$last, 1, 10)),
                      "; form ", x$form, if (!is.na(x$bytes)) paste0(", ", format_size(x$bytes)),
                      ".")),
    wrap_lines(if (length(x$faults))
               paste("It does not hold together:", paste(x$faults, collapse = "; "))
               else "It holds together: nothing speaks of a row that is not there."),
    if (NROW(x$archives)) archive_lines(x$archives, count),
    if (length(x$waiting))
    wrap_lines(paste0(length(x$waiting), " batches of this machine wait for the server, in ",
                      dirname(x$waiting[1]), ".")),
    "", text_table(data.frame(table = names(rows), rows = count(unname(rows))), right = "rows"),
    if (nrow(w)) c("", "The last thousand timings are from:",
                   text_table(data.frame(from = w[["whose"]], timings = count(w[["timings"]]),
                                         last = w[["last"]]),
                              right = "timings"))
  )
}

archive_lines <- function(archives, count) {
  days <- substr(range(c(archives[["first_at"]], archives[["last_at"]])), 1, 10)
  wrap_lines(paste0(count(sum(archives[["timings"]])), " timings more, measured ", days[1], " to ",
                    days[2], ", are in ", nrow(archives),
                    if (nrow(archives) == 1) " archive" else " archives",
                    ", and are read as if they were here."))
}

# Run `ledger archive`.
cli_archive <- function(o) {
  if (is.null(o$before)) {
    stop_input("usage", "needs a day", "clockpigeon ledger archive",
               "Write: archive --before 2025-01-01.")
  }
  project <- read_project(parts = character())
  if (!has_ledger(project$ledger))
    stop_input("ledger", "there is none yet", project$ledger, "Run clockpigeon bench.")
  out <- cli_ledger(project, FALSE, function(ledger) {
    folder <- archive_folder(ledger)
    made <- archive_timings(ledger, o$before, folder, say = function(done, all) {
      if (done < all) cli_note(whole_number(done), " of ", whole_number(all), " timings")
    })
    list(made = made, folder = folder)
  })
  cli_emit(out$made, o$format, function() archived_lines(out$made, out$folder, o$before))
  0L
}

archived_lines <- function(x, folder, before) {
  count <- function(n) format(n, big.mark = ",", trim = TRUE)
  if (!nrow(x)) return(wrap_lines(paste0("No timing was measured before ", before,
                                         ": no timings are moved.")))
  day <- function(column) substr(x[[column]], 1, 10)
  c(wrap_lines(paste0("Taken out ", count(sum(x[["timings"]])), " timings into ",
                      short_path(folder), ", each file ",
                      "read back and compared before. They are read as if they were here, as ",
                      "long as the files stay ", "there. A ledger that is a file keeps its size ",
                                                 "and fills it with new timings; clockpigeon ",
                      "ledger move to a new file makes it small.")),
    "", text_table(data.frame(file = x[["file"]], timings = count(x[["timings"]]),
                              from = day("first_at"), to = day("last_at")), right = "timings"))
}

# Run `ledger move`.
cli_move <- function(o, from, to) {
  if (!is_server_address(from) && !file.exists(from)) {
    stop_input("ledger", "there is no such file", from,
               "Name a ledger, or write postgresql://user@host/database.")
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
    c(wrap_lines(paste0("Moved ", format(sum(x[["rows"]]), big.mark = ","),
                        " rows; each table has the same hash in ",
                        "both places. The old ledger is as it was. Write the new one into ",
                        "clockpigeon.yaml: ledger: ",
                        to)),
      "", text_table(data.frame(table = x[["table"]], rows = format(x[["rows"]], big.mark = ","),
                                hash = substr(x[["hash"]], 1, 16)), right = "rows"))
  })
  0L
}

cli_grant <- function(role, what) {
  cli_ledger(read_project(parts = character()), FALSE,
             function(ledger) grant_ledger(ledger, role, what))
  cli_note(role, " may ", what, " now.")
  0L
}
