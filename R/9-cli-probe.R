# The commands `probe` and `backtest`.

cli_probe <- function(o, args) {
  project <- read_project()
  shot <- cli_shot(project, args)
  engine <- cli_engine(project, o$engine)
  cheap <- c(yes = TRUE, no = FALSE,
             auto = NA)[[check_choice(o$cheap, "option --cheap", c("yes", "no", "auto"))]]
  budget <- if (length(o$budget)) parse_duration(o$budget, "option --budget") else Inf
  found <- cli_ledger(project, FALSE, function(ledger) {
    probe_shot(shot, engine, ledger,
               probing(cli_share(o$target, "option --target"), first = o$first, budget = budget,
                       cheap = cheap),
               running(o$engine_version, cli_nodes(project, o$node), project$root, o$keep,
                       progress = TRUE))
  })
  cli_emit(found$total, o$format, function() shot_probe_lines(found))
  cli_figure(found$curve, o$figure)
  if (found$ended == "budget_used") 3L else 0L
}

cli_backtest <- function(o, args) {
  project <- read_project()
  found <- cli_ledger(project, code = function(ledger)
                      backtest(ledger, parse_counts(o$probes, "option --probes")))
  cli_emit(summary.cp_backtest(found), o$format, function() backtest_lines(found))
  cli_figure(found, o$figure)
  0L
}
