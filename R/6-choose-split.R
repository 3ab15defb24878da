# A job split over several sites.

#' Split a job over several sites
#'
#' Gives each site a run of frames so that all are done by the deadline, within the budget, at least cost. What each
#' option can do by the deadline, at the confidence asked, and what it costs, is simulated for a frame, some shares and
#' all of the job; a mixed integer program (package lpSolve) picks at most one option of each site and its share of the
#' work, and so does each pair of options. From the best of these a search goes on between the shares that were
#' simulated, draw by draw: work moves from one site to another, a site takes other nodes, joins or leaves, while that
#' is cheaper by its mean and keeps the confidence. What it finds is simulated as a whole, all parts on the same draws.
#' The runs follow each other in the order of the shots, own nodes first, and may end within a shot.
#'
#' @param scenario From [plan_options()]: of one engine, version and limit.
#' @param deadline,budget,confidence As for [choose_option()].
#' @param draws,seed As for [forecast_job()].
#' @return A list of class `cp_split`: `parts`, a tibble, one row a site: `option`, `site`, `frames` (with their
#'   shots), `count`, `share` (of the work), `finish_p50` (seconds from now), `cost_p50`, `currency`; `draws`, a tibble
#'   of `finish_s` and `cost` of the whole; `p_deadline`, `p_budget`, `fits`, and `says`. `parts` has no row when even
#'   all sites together cannot do it.
#' @section Conditions: `clockpigeon_error_package` when lpSolve is missing; `clockpigeon_error_option` for options of
#'   several engines or limits; those of [choose_option()].
#' @examplesIf requireNamespace("lpSolve", quietly = TRUE)
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' scenario <- plan_options(job, project$sites, only = c("attic", "quayside"))
#' split_job(scenario, deadline = "5 h", draws = 200)$parts
#' @noRd
split_job <- function(scenario, deadline = NULL, budget = NULL, confidence = 0.9, draws = 1000, seed = 1) {
  check_class(scenario, argument("scenario"), "cp_scenario", "plan_options()")
  need_package("lpSolve", "splits over several sites")
  if (length(unique(job_key(as_frame(scenario$options)))) > 1) {
    stop_input("option", "has several engines, versions or limits", argument("scenario"), "Plan them for one.")
  }
  job <- main_job(scenario)
  asked <- list(deadline_s = deadline_seconds(deadline, scenario), budget = budget_amount(budget, job),
                confidence = check_number(confidence, argument("confidence"), above = 0, most = 0.9999))
  state <- plan_state(scenario, asked, frame_draws(job, check_count(draws, argument("draws")), seed), seed)
  state <- with_lines(state)
  finish_split(state, search_sides(state))
}


finish_split <- function(state, found) {
  asked <- state$asked
  options <- state$options
  work <- colSums(state$seconds)
  out <- list(
    parts = as_table(data.frame(
      option = options[["option"]][found$split$used], site = options[["site"]][found$split$used],
      frames = vapply(found$split$runs, function(columns) run_text(job_part(state$job, columns)), ""),
      count = lengths(found$split$runs),
      share = vapply(found$split$runs, function(c) sum(work[c]) / sum(work), 0),
      finish_p50 = vapply(found$parts, function(d) quantile_of(d[["finish_s"]], 0.5), 0),
      cost_p50 = vapply(found$parts, function(d) quantile_of(d[["cost"]], 0.5), 0),
      currency = rep(state$job$currency, length(found$parts))
    )),
    draws = as_table(data.frame(finish_s = as.numeric(found$finish), cost = as.numeric(found$cost))),
    p_deadline = first_of(found$p_deadline, 0), p_budget = first_of(found$p_budget, 0),
    fits = isTRUE(found$fits)
  )
  structure(c(out, list(says = split_sentence(out, asked, state$job$currency))), class = "cp_split")
}

# Frames of a job as gears 1-300; basin 1-120.
run_text <- function(job) {
  paste(vapply(job$shots, function(shot) paste(shot$shot, format_frames(shot$frames)), ""), collapse = "; ")
}
