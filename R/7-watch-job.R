# How a job that was placed stands: what the ledger and its folders tell, made into one answer.

#' Watch a job that was placed
#'
#' Takes the frames that have come (from the events of the job, and from the folders in which they
#' appear) and conditions the forecast on them: finish and cost of the job, as ranges, next to the
#' promise; and what is wrong, what to do, and until when that helps. It writes no files and locks
#' none: as many may watch as like, at any time.
#'
#' @param project From [read_project()].
#' @param ledger A ledger from [open_ledger()].
#' @param job The job's name.
#' @param now The moment that is looked at.
#' @param last An earlier result for the same job: what cannot have changed since is taken from it,
#'   which makes an update many times as quick.
#' @return A list of class `cp_watch`: `job`; `parts`, a tibble, one row a part: `site`, `option`,
#'   `frames`, `there` (here, or ready at a site with an address), `here`, `work` (share of the work
#'   that is done), `last` (arrival, seconds from the placing), `overdue` (share of draws in which
#'   another frame would have come), `finish_p50`, `cost_mean`, `slowed`, `factor`, `since_s`,
#'   `silent`, `unlike` and `beside` (slower than forecast from the first frame on, and how much);
#'   `draws`: a tibble of `finish_s` and `cost`; `p_deadline`, `p_budget`, `p_both`, `mean`;
#'   `alarms`, a tibble, the gravest first: `code`, `level` (`now`, `soon`, `note`), `site`, `says`,
#'   `action`, `until_s`; `frames`: the events of each frame (`shot`, `frame`, `piece`, `state`,
#'   `node`, `since`, `begun`, `seconds`, `runs`, `failures`); `nodes`; `passed_s`; `promised`.
#'   Times are seconds from the placing (`placed`).
#' @section Conditions: `clockpigeon_error_job` for a job that was not decided here or not placed.
#' @examplesIf requireNamespace("lpSolve", quietly = TRUE)
#' project <- read_project(demo_file())
#' ledger <- open_ledger(":memory:")
#' add_timings(ledger, example_timings())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites, only = "quayside"), draws = 100)
#' record_job(ledger, choose_option(forecast, "30 h"), "gears-final")
#' place <- plan_place(project, ledger, "gears-final")
#' place$parts[c("site", "kind", "count")]
#' close_ledger(ledger)
#' @export
watch_job <- function(project, ledger, job, now = this_moment(), last = NULL) {
  watched_job(project, ledger, job, now, last)
}

new_watch <- record_type(
  "cp_watch", job = is.character, placed = is_moment, promised = is.list,
  # forecast of the rest
  parts = is.data.frame, ends = is.list, draws = is.data.frame, passed_s = is.numeric,
  unknown = is.numeric, p_deadline = is.numeric, p_budget = is.numeric, p_both = is.numeric,
  mean = is.numeric, fits = is.logical, look = maybe(is.list), ready = is.numeric,
  # what arrived
  frames = is.data.frame, nodes = is.data.frame, happened = is.list,
  at_sites = maybe(is.data.frame), came = is.numeric, here = is.logical,
  own_gaps = maybe(is.data.frame), took = maybe(is.data.frame),
  # what the next look begins from
  state = is.list, begun = is.list, going = is.list,
  alarms = maybe(is.data.frame)
)

# The same; with `until`, from what was measured by then alone.
watched_job <- function(project, ledger, job, now = this_moment(), last = NULL, until = NULL) {
  check_class(project, argument("project"), "cp_project", "read_project()")
  decision <- job_plan_record(ledger, job)
  asked <- replan_job(decision, project)
  placed <- placed_of(ledger, job, decision)
  if (!length(placed$folders)) {
    stop_input("job", paste0("job ", job, " was not placed"), argument("job"),
               paste0("Place it: clockpigeon place ", job,
                      ", or say where its frames appear: clockpigeon watch ", job,
                      " --frames FOLDER."))
  }
  if (length(last)) check_class(last, argument("last"), "cp_watch", "watch_job()")
  same <- length(last) && identical(last$job, job) && identical(last$placed, placed$moment)
  begun <- if (same) last$begun
  if (is.null(begun)) {
    scenario <- plan_options(asked_job(ledger, asked, project, job, until), project$sites,
                             spreads = asked$spreads, now = placed$moment,
                             learned = asked$corrections)
    begun <- simulated_parts(decision$plan, scenario, asked$question(placed$moment), asked$draws,
                             asked$seed)
  }
  x <- watch_frames(decision$plan, begun, placed_files(begun, placed$folders), now,
                    without_refused(job_events(ledger, job)))
  x$took <- job_took(ledger, job)
  x$alarms <- watch_alarms(x)
  new_watch(c(list(job = job, placed = placed$moment,
                   promised = decision$plan[c("p_deadline", "p_both", "cost_mean")]),
              x))
}

# Render times of a job's own frames, and the memory of their machines.
job_took <- function(ledger, job) {
  rows <- as_frame(timings(ledger, job = job))
  rows <- rows[rows[["activity"]] %in% "render",
               c("node", "shot", "frame", "status", "wall_s", "cpu_s", "threads",
                 "peak_mem_mb", "measured_at", "machine"), drop = FALSE]
  rows$memory_mb <- machine_memory(ledger, rows[["machine"]])
  rows
}

# All jobs that were placed a tibble, one row a job: `job`, `there`, `frames`, `p10`, `p50`, `p90`
# (of when it is done, moments in UTC), `p_deadline`, `cost_mean`, `currency`, `alarm` (the gravest
# level; NA), `says` (its words, or why nothing can be said of the job).
watch_all <- function(project, ledger, now = this_moment()) {
  rows <- lapply(open_jobs(ledger, now), function(job) {
    row <- data.frame(job = job, there = NA_integer_, frames = NA_integer_, p10 = NA_character_,
                      p50 = NA_character_, p90 = NA_character_, p_deadline = NA_real_,
                      cost_mean = NA_real_, currency = NA_character_, alarm = NA_character_,
                      says = NA_character_)
    x <- tryCatch(watch_job(project, ledger, job, now), clockpigeon_error = identity)
    if (inherits(x, "error")) {
      row$says <- conditionMessage(x)
      return(row)
    }
    ended <- all(x$here) || isTRUE(x$happened$stopped)
    if (ended) return(NULL)
    row$there <- sum(x$here)
    row$frames <- length(x$came)
    q <- quantile_of(x$draws[["finish_s"]], c(0.1, 0.5, 0.9))
    row[c("p10", "p50", "p90")] <- as.list(ifelse(is.finite(q), utc_now(x$placed + q), NA))
    row[c("p_deadline", "cost_mean", "currency")] <- list(x$p_deadline, x$mean,
                                                          x$state$scenario$currency)
    if (nrow(x$alarms))
      row[c("alarm", "says")] <- list(x$alarms[["level"]][1], x$alarms[["says"]][1])
    row
  })
  out <- bind_tables(rows)
  if (is.null(out))
    as_table(data.frame(job = character(), there = integer(), frames = integer(), p10 = character(),
                        p50 = character(), p90 = character(), p_deadline = numeric(),
                        cost_mean = numeric(), currency = character(), alarm = character(),
                        says = character())) else out
}

#' When a job would be done, as it was believed at each moment
#'
#' What [watch_job()] says at each of a number of moments from the placing on, made again from the
#' frames that had come by then.
#'
#' @param x From [watch_job()].
#' @param moments How many.
#' @return A tibble, one row a moment: `at_s`, `there` (frames), `p10`, `p50`, `p90` (of when it is
#'   done), all in seconds from the placing.
#' @noRd
belief_of <- function(x, moments = 40) {
  check_class(x, argument("x"), "cp_watch", "watch_job()")
  # Once a site has ended its part, no frames are in transit.
  end <- min(c(x$passed_s, if (all(is.finite(x$came))) max(x$came) else x$at_sites[["halted_s"]]),
             na.rm = TRUE)
  at <- seq(0, end, length.out = moments)
  rows <- lapply(at, function(now) {
    # Before the rest was sent away the rescue was not part of the forecast.
    going <- if (length(x$going$first) && now < x$going$moment) x$going$first else x$going
    going <- with_gaps(going, x$state, x$own_gaps, now)
    rest <- Map(function(home, d, columns) {
      came <- x$came[columns]
      rest_draws(home, d[["finish_s"]], d[["cost"]], came[came <= now], now)
    }, going$home, going$draws, going$runs)
    mixed <- with_seed(1, lapply(rest, function(r)
                                 r$finish[sample.int(length(r$finish), 1000, TRUE, r$weight)]))
    q <- quantile_of(do.call(pmax, mixed), c(0.1, 0.5, 0.9))
    data.frame(at_s = now, there = sum(x$came <= now), p10 = q[1], p50 = q[2], p90 = q[3])
  })
  bind_tables(rows)
}

# Running jobs on own nodes, one entry per part: `job`, `site`, `nodes`, and `left_s`, draws of the
# time until that part is done. A job that cannot be watched is skipped.
running_here <- function(project, ledger, now = this_moment()) {
  found <- lapply(open_jobs(ledger, now), function(job) {
    x <- tryCatch(watch_job(project, ledger, job, now), clockpigeon_error = function(e) NULL)
    if (is.null(x) || all(x$here) || isTRUE(x$happened$stopped)) return(NULL)
    options <- as_frame(x$state$options)[x$going$used, , drop = FALSE]
    own <- vapply(options[["site"]], function(site)
                  identical(project$sites[[site]]$kind, "own"), NA)
    open <- vapply(x$going$runs[seq_len(nrow(options))],
                   function(run) any(is.infinite(x$came[run])), NA)
    lapply(unname(which(own & open)), function(k) {
      list(job = job, site = options[["site"]][k], nodes = options[["nodes"]][k],
           left_s = pmax(x$ends[[k]] - x$passed_s, 0))
    })
  })
  Filter(length, unlist(found, recursive = FALSE))
}
