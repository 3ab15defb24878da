# A job split over several sites.

#' Split a job over several sites
#'
#' Gives each site a run of frames so that all are done by the deadline, within the budget, at least cost. What each
#' option can do by the deadline, at the confidence asked, and what it costs, is told from simulations of a frame, an
#' eighth, a half and all of the job; a mixed integer program (package lpSolve) picks at most one option of each site
#' and its share of the work, and so does each pair of options. From the best of these a search goes on, each step
#' simulated as a whole, all parts on the same draws: work moves from one site to another, a site takes other nodes, joins
#' or leaves, while that is cheaper and keeps the confidence. The runs follow each other in the order of the shots, own
#' nodes first, and may end within a shot.
#'
#' @param job,options From [render_job()] and [plan_options()]: of one engine, version and limit.
#' @param deadline,budget,confidence As for [choose_option()].
#' @param draws,seed As for [forecast_job()].
#' @return A list of class `job_split`: `parts`, a tibble, one row a site: `option`, `site`, `frames` (with their
#'   shots), `count`, `share` (of the work), `finish_p50` (seconds from now), `cost_p50`, `currency`; `draws`, a tibble
#'   of `finish_s` and `cost` of the whole; `p_deadline`, `p_budget`, `fits`, and `says`. `parts` has no row when even
#'   all sites together cannot do it.
#' @section Conditions: `clockpigeon_error_package` when lpSolve is missing; `clockpigeon_error_option` for options of
#'   several engines or limits; those of [choose_option()].
#' @examplesIf requireNamespace("lpSolve", quietly = TRUE)
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' options <- plan_options(job, project$sites, only = c("attic", "quayside"))
#' split_job(job, options, deadline = "5 h", draws = 200)$parts
#' @export
split_job <- function(job, options, deadline = NULL, budget = NULL, confidence = 0.9, draws = 1000, seed = 1) {
  check_class(job, argument("job"), "job", "render_job()")
  check_class(options, argument("options"), "job_options", "plan_options()")
  need_package("lpSolve", "splits over several sites")
  mine <- options[["engine"]] == job$engine & options[["version"]] == job$version & options[["limit"]] == job$limit
  if (!all(mine)) {
    stop_input("option", "are of several engines, versions or limits", argument("options"), "Plan them for this job.")
  }
  asked <- list(deadline_s = read_deadline(deadline, list(made_at = attr(options, "now"), job = job)),
                budget = read_budget(budget, job),
                confidence = check_number(confidence, argument("confidence"), above = 0, most = 0.9999))
  state <- list(job = job, options = options, seed = seed, seconds = frame_draws(job, draws, seed), asked = asked)
  state$lines <- option_lines(state)
  finish_split(state, search_split(state))
}

# What each option takes and costs for parts of the work: one frame, an eighth, a half, all of it. `room` is the share
# that it can do by the deadline, at the confidence asked; cost is a line from the first frame to all.
option_lines <- function(state) {
  n <- ncol(state$seconds)
  work <- colSums(state$seconds)
  parts <- lapply(unique(pmax(1, round(n / c(n, 8, 2, 1)))), function(k) unique(round(seq(1, n, length.out = k))))
  shares <- vapply(parts, function(columns) sum(work[columns]) / sum(work), 0)
  rows <- lapply(seq_len(nrow(state$options)), function(i) {
    at <- vapply(parts, function(columns) {
      d <- part_draws(state, i, columns)
      c(kept_by(d[["finish_s"]], state$asked$confidence), stats::median(d[["cost"]]))
    }, numeric(2))
    last <- length(shares)
    slope <- if (last > 1) max(0, (at[2, last] - at[2, 1]) / (1 - shares[1])) else at[2, 1]
    data.frame(finish = I(list(cummax(at[1, ]))), shares = I(list(shares)), fixed = max(at[2, last] - slope, 0),
               slope = slope)
  })
  do.call(rbind, rows)
}

# The share of the work that an option can do in so many seconds; nothing when not even one frame.
share_by <- function(finish, shares, seconds) {
  if (is.infinite(seconds)) return(as.numeric(is.finite(utils::tail(finish, 1))))
  if (!is.finite(finish[1]) || finish[1] > seconds) return(0)
  known <- is.finite(finish)
  if (sum(known) == 1 || finish[sum(known)] <= seconds) return(shares[sum(known)])
  stats::approx(finish[known], shares[known], seconds, ties = "ordered")$y
}

# One option with a part of the frames.
part_draws <- function(state, i, columns) {
  option <- as.list(as_frame(state$options)[i, , drop = FALSE])
  simulate_option(job_part(state$job, columns), option, attr(state$options, "sites")[[option$site]],
                  state$seconds[, columns, drop = FALSE], state$seed, attr(state$options, "now"))
}

# The job with some of its frames; shots that have none left are gone.
job_part <- function(job, columns) {
  of_shot <- rep(seq_along(job$shots), vapply(job$shots, function(shot) length(shot$frames), 0L))
  place <- sequence(vapply(job$shots, function(shot) length(shot$frames), 0L))
  job$shots <- lapply(seq_along(job$shots), function(k) {
    shot <- job$shots[[k]]
    shot$frames <- shot$frames[place[columns[of_shot[columns] == k]]]
    shot
  })
  job$shots <- Filter(function(shot) length(shot$frames) > 0, job$shots)
  job
}

# The shares of the work at least cost; NULL when there is no way. Variables: a share of each option, then whether it is
# taken. Of two that cost the same, own nodes go first.
solve_split <- function(state, slack) {
  lines <- state$lines
  options <- as_frame(state$options)
  k <- nrow(lines)
  room <- mapply(share_by, lines$finish, lines$shares, state$asked$deadline_s * slack)
  own <- vapply(attr(state$options, "sites")[options[["site"]]], `[[`, "", "kind") == "own"
  tie <- 1e-6 * (1 + max(lines$fixed + lines$slope)) * (!own)
  rows <- list(list(c(rep(1, k), rep(0, k)), "=", 1))
  add <- function(coefficients, direction, bound) rows[[length(rows) + 1]] <<- list(coefficients, direction, bound)
  for (i in seq_len(k)) add(replace(numeric(2 * k), c(i, k + i), c(1, -room[i])), "<=", 0)
  for (site in unique(options[["site"]])) add(replace(numeric(2 * k), k + which(options[["site"]] == site), 1), "<=", 1)
  if (is.finite(state$asked$budget)) add(c(lines$slope, lines$fixed), "<=", state$asked$budget * slack)
  solved <- lpSolve::lp("min", c(lines$slope + tie, lines$fixed + tie), do.call(rbind, lapply(rows, `[[`, 1)),
                        vapply(rows, `[[`, "", 2), vapply(rows, `[[`, 0, 3), binary.vec = k + seq_len(k))
  if (solved$status != 0) return(NULL)
  shares <- solved$solution[seq_len(k)]
  if (sum(shares) > 0) shares / sum(shares)
}

# Runs of frames by shares of the work, own nodes first, each option that has a share at least one frame.
split_runs <- function(state, shares) {
  options <- as_frame(state$options)
  own <- vapply(attr(state$options, "sites")[options[["site"]]], `[[`, "", "kind") == "own"
  used <- which(shares > 1e-9)
  used <- used[order(!own[used], -shares[used])]
  work <- cumsum(colSums(state$seconds)) / sum(state$seconds)
  edges <- cumsum(shares[used])
  last <- vapply(edges, function(edge) sum(work <= edge + 1e-9), 0L)
  last[length(last)] <- ncol(state$seconds)
  runs <- Map(function(from, to) if (to > from) seq(from + 1, to), c(0, utils::head(last, -1)), last)
  list(used = used[lengths(runs) > 0], runs = runs[lengths(runs) > 0])
}

# The split as a whole, on the same draws.
check_split <- function(state, shares) {
  split <- split_runs(state, shares)
  parts <- Map(function(i, columns) part_draws(state, i, columns), split$used, split$runs)
  finish <- do.call(pmax, lapply(parts, `[[`, "finish_s"))
  cost <- Reduce(`+`, lapply(parts, `[[`, "cost"))
  asked <- state$asked
  p_deadline <- if (is.finite(asked$deadline_s)) mean(finish <= asked$deadline_s) else mean(is.finite(finish))
  p_budget <- mean(cost <= asked$budget)
  p_both <- mean(finish <= min(asked$deadline_s, .Machine$double.xmax) & cost <= asked$budget)
  list(split = split, parts = parts, finish = finish, cost = cost, p_deadline = p_deadline, p_budget = p_budget,
       p_both = p_both,
       fits = kept_within(cost, finish, min(asked$deadline_s, .Machine$double.xmax), asked$confidence) <= asked$budget)
}

finish_split <- function(state, found) {
  asked <- state$asked
  if (is.null(found)) {
    says <- "Even all sites together cannot do it: ask for less, later or with more money."
    return(structure(list(parts = as_table(data.frame(option = character(), frames = character())), fits = FALSE,
                          p_deadline = 0, p_budget = 0, says = says), class = "job_split"))
  }
  options <- as_frame(state$options)
  work <- colSums(state$seconds)
  parts <- data.frame(
    option = options[["option"]][found$split$used], site = options[["site"]][found$split$used],
    frames = vapply(found$split$runs, function(columns) run_text(job_part(state$job, columns)), ""),
    count = lengths(found$split$runs), share = vapply(found$split$runs, function(c) sum(work[c]) / sum(work), 0),
    finish_p50 = vapply(found$parts, function(d) quantile_of(d[["finish_s"]], 0.5), 0),
    cost_p50 = vapply(found$parts, function(d) quantile_of(d[["cost"]], 0.5), 0), currency = state$job$currency
  )
  currency <- state$job$currency
  says <- paste0(
    paste0(parts$count, " frames to ", parts$option, collapse = ", "), ": ",
    if (is.finite(asked$deadline_s)) paste0(percent(found$p_deadline), " of draws are done by the deadline, "),
    if (is.finite(asked$budget)) paste0(percent(found$p_budget), " stay within the budget, "),
    "medians ", format_duration(quantile_of(found$finish, 0.5)), " and ",
    format_money(quantile_of(found$cost, 0.5), currency),
    if (!found$fits) paste0("; that is less than the ", percent(asked$confidence), " asked"), "."
  )
  structure(list(parts = as_table(parts), draws = as_table(data.frame(finish_s = found$finish, cost = found$cost)),
                 p_deadline = found$p_deadline, p_budget = found$p_budget, fits = found$fits, says = says),
            class = "job_split")
}

# Frames of a job as gears 1-300; basin 1-120.
run_text <- function(job) {
  paste(vapply(job$shots, function(shot) paste(shot$shot, format_frames(shot$frames)), ""), collapse = "; ")
}
