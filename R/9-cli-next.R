# The command `next`: what to find out first, and doing it.

cli_next <- function(o, args) {
  limit <- if (length(o[["do"]])) spending_limit(o[["do"]])
  choice <- cli_kept_choice(o, args, FALSE)
  if (length(limit)) return(cli_do_next(o, args, choice, limit))
  rows <- next_measures(choice)
  cli_emit(rows, o$format, function() next_lines(choice, rows))
  0L
}

# A time or an amount of money.
spending_limit <- function(text) {
  money <- tryCatch(parse_money(text, "option --do"), clockpigeon_error = function(e) NULL)
  if (length(money)) list(money = money$amount, seconds = Inf)
  else list(money = Inf, seconds = parse_duration(text, "option --do"))
}

# The best of what can be done here, one after the other, the plan made anew after each, until the
# next one is not worth it or does not fit into what is left.
cli_do_next <- function(o, args, choice, limit) {
  began <- steady_clock()
  paid <- 0
  done <- character()
  for (step in seq_len(50)) {
    rows <- as_frame(next_measures(choice))
    rows <- rows[rows[["worth"]] & rows[["what"]] %in% c("probe", "cheap"), , drop = FALSE]
    left <- limit$seconds - (steady_clock() - began)
    rows <- rows[rows[["takes_s"]] <= left & rows[["price"]] <= limit$money - paid, , drop = FALSE]
    if (!nrow(rows)) break
    cli_note(step, ". ", rows[["says"]][1])
    cli_measure(rows[1, ], o)
    paid <- paid + rows[["price"]][1]
    done <- c(done, rows[["command"]][1])
    choice <- cli_kept_choice(o, args, FALSE)
  }
  cli_note(if (length(done)) paste("measured:", paste(done, collapse = "; ")) else
           "nothing was measured",
           if (step < 50)
           "; what is left is not worth it, does not fit into what was allowed, or is not done here")
  cli_emit(next_measures(choice), o$format,
           function() c(choice_lines(choice), "", next_lines(choice,
                                                                                             next_measures(choice))))
  choice_status(choice)
}

# Frames of a shot, or a cheap pass, on this machine; what is measured goes to the ledger.
cli_measure <- function(row, o) {
  project <- read_project()
  shot <- project_entry(project$shots, row[["about"]], "shot")
  engine <- cli_engine(project, o$engine)
  cli_ledger(project, FALSE, function(ledger) {
    one <- row[["what"]] == "probe"
    probe_shot(shot, engine, ledger, probing(0.001, first = if (one) row[["frames"]] else 1,
                                             budget = if (one) row[["takes_s"]] else 1,
                                             cheap = !one),
               running(o$engine_version, cli_nodes(project), project$root, progress = TRUE))
  })
}
