# The command `learned`: how good forecasts were, and what that changes in the next.

cli_learned <- function(o) {
  project <- read_project(parts = character())
  check_choice(o$list, "option --list", c("scores", "corrections", "rates"))
  x <- cli_ledger(project, code = learned)
  cli_figure(x, o$figure)
  cli_emit(x[[o$list]], o$format, function() learned_lines(x))
  0L
}

# What corrects the forecasts of a project's jobs; nothing where that was not asked for.
cli_corrections <- function(project, as_is) {
  if (!isTRUE(as_is) && has_ledger(project$ledger)) cli_ledger(project, code = learned)
}
