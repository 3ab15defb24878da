# Lessons of finished jobs: the accuracy of forecasts and claims, and corrections of the next
# forecasts.

new_learned <- record_type(
  "cp_learned", scores = is.data.frame, corrections = is.data.frame, rates = is.data.frame,
  learning = is.list, stages = is.list, outcomes = maybe(is.data.frame),
  shown = maybe(is.data.frame)
)

#' Lessons of past jobs
#'
#' Every forecast that was decided on is kept with its quantiles, and what became of the job is
#' written down when it is settled ([settle_job()]). `learned()` scores the forecasts by this,
#' compares the claims of sellers and farms with them, and gives the corrections that
#' [plan_options()] applies to the next: of each site and tier a bias, shrunk toward none while few
#' jobs are known, and a factor on the width of ranges. Forecasts as they were before any correction
#' are what is learned from. Jobs with a claimed speed of a site are no evidence for jobs with a
#' measured one.
#'
#' Bias: residuals of logs as the sum of what all sites, the site and the tier share, each normal
#' about 0 (sd 0.1, 0.35, 0.1) with noise as wide as the forecast said, by Student's t with 4
#' degrees of freedom; the posterior mode. Later jobs count for more, those before a noticed change
#' for little. Waiting (also by six hours of the day, sd 0.4), starting and sending are learned in
#' the same way, each separately, and change their own stages; of failing runs the card's share, or
#' 1 %, is worth fifty runs before any. Finish and cost are then corrected by what these leave
#' unsaid. Width: a weighted conformal factor; were the jobs exchangeable, of one weight and that
#' factor all there is, the next of n + 1 would lie in its 80 % range with a chance of at least 80 %
#' less 1 in n + 1, for any distribution; with weights, less the sum of each weight times how unlike
#' its job is to the next (Barber, Candes, Ramdas & Tibshirani 2023, Annals of Statistics 51,
#' 816-845). The belief in the forecast's own range counts as five jobs.
#'
#' @param ledger A ledger from [open_ledger()].
#' @param but Names of jobs that are left out.
#' @return A list of class `cp_learned`: `scores`, a tibble: `what` (`finish_s`, `cost`, `speed`,
#'   `wait_s`, `start_s`, `upload_s`, and `left_s`, the time that was left), `site`, `whose`
#'   (`forecast`: as shown, of `finish_s`, `cost` and `left_s`; `as is`: before corrections; `site`:
#'   what it said was left; `seller`: its speed), `at` (`before`: when it was decided; `quarter`,
#'   `half`, `three quarters` of the job's time), `jobs`, `inside` (in the 80 % range), `bias` (the
#'   middle of actual over forecast), `crps` (continuous ranked probability score of logs, Gneiting
#'   & Raftery 2007: about how far off, as a share); `corrections`, a tibble: `site`, `tier`,
#'   `known`, `what`, `factor`, `width`, `jobs`, `inside`, `changed`; `rates`, a tibble of what else
#'   is learned: `site`, `tier`, `hours` (of the day, UTC, of a queue), `what` (`failed`, share of
#'   runs; `wait_s`, `start_s`, `upload_s` and `speed`, factors; `drift`, the sd of log speed from
#'   job to job), `prior`, with what it is worth: `prior_jobs` (of `failed`: runs) or `prior_sd` (of
#'   logs), `learned`, `width` (factor of the range), `jobs`; `learning` and `stages`, what
#'   [plan_options()] takes; `outcomes`, all rows, with the forecasts' quantiles as they were before
#'   any correction, and `shown`, those of finish and cost with the quantiles that were shown.
#' @examples
#' ledger <- open_ledger(":memory:")
#' learned(ledger)
#' close_ledger(ledger)
#' @export
learned <- function(ledger, but = NULL) {
  rows <- job_outcomes(ledger)
  rows <- rows[!tolower(rows[["job"]]) %in% tolower(but), , drop = FALSE]
  if (NROW(rows)) rows$hours <- placed_hours(rows[["job"]], ledger)
  stages <- lapply(stats::setNames(nm = names(stage_priors)), function(what) {
    learning_of(ended_jobs(rows, what), stage_priors[[what]])
  })
  rates <- learned_rates(rows, stages)
  shifts <- stage_shifts(rows, stages, rates)
  learning <- lapply(stats::setNames(nm = c("finish_s", "cost")), function(what) {
    learning_of(ended_jobs(rows, what, shifts[[what]]))
  })
  new_learned(list(scores = as_table(learned_scores(rows, ledger)),
                   corrections = as_table(all_corrections(learning)),
                   rates = as_table(rates), learning = learning, stages = stages,
                   outcomes = if (is.null(rows)) NULL else as_table(rows),
                   shown = if (NROW(rows)) as_table(shown_forecasts(rows, ledger))))
}

# Jobs as learning_of() takes them, in the order in which they ended: the last forty of each site,
# since older ones count for little. `shifts`: change of the forecast of each job's whole by the
# present knowledge of its stages, by job and site. Learning about the whole depends on how the
# speed was known, about a stage it does not.
ended_jobs <- function(rows, what, shifts = NULL) {
  x <- rows[rows[["what"]] %in% what & !is.na(rows[["p50"]]) &
            rows[["actual"]] %in% positive_values(rows[["actual"]]) &
              rows[["p10"]] > 0, , drop = FALSE]
  if (is.null(x))
    x <- data.frame(job = character(), site = character(), tier = character(),
                    evidence = character())
  site <- if (what %in% names(stage_priors)) x[["site"]] else
    learned_site(x[["site"]], speed_known(x[["evidence"]]))
  site <- site[seq_len(nrow(x))]
  ago <- stats::ave(seq_along(site), site, FUN = function(k) rev(seq_along(k)))
  x <- x[ago <= 40, , drop = FALSE]
  log_of <- function(name) log(or_else(as.numeric(x[[name]]), numeric()))
  shift <- shifts[row_key(x, c("job", "site"))]
  shift[is.na(shift)] <- 0
  shift <- or_else(unname(shift), 0)
  data.frame(site = site[ago <= 40], tier = as.character(x[["tier"]]),
             hours = or_else(x[["hours"]], rep("", nrow(x))), low = log_of("p10") + shift,
             mid = log_of("p50") + shift, high = log_of("p90") + shift, y = log_of("actual"))
}

# By how much (of logs) the middle of each job's finish and cost moves with what is learned of its
# stages and failing runs by now: for both a vector by job and site.
stage_shifts <- function(rows, stages, rates) {
  shifts_of <- function(what) {
    x <- rows[rows[["what"]] %in% what & !is.na(rows[["p50"]]), , drop = FALSE]
    if (!NROW(x)) return(numeric())
    key <- row_key(x, c("job", "site"))
    of <- function(stage, column) {
      mine <- rows[rows[["what"]] == stage, , drop = FALSE]
      mine[[column]][match(key, row_key(mine, c("job", "site")))]
    }
    failed <- rates[rates[["what"]] == "failed", , drop = FALSE]
    more <- failing_work(failed[["learned"]][match(x[["site"]], failed[["site"]])]) /
      failing_work(of("failed", "p50"))
    shift <- log(ifelse(is.na(more), 1, more))
    # Waiting and sending cost nothing; of starts that are paid the whole learns.
    if (what == "finish_s") {
      parts <- vapply(names(stages), of, numeric(nrow(x)), column = "p50")
      parts <- matrix(parts, nrow(x))
      biases_of <- function(stage) {
        fit <- stages[[stage]]$fit
        vapply(seq_len(nrow(x)), function(k) {
          bias_of(fit, x[["site"]][k], x[["tier"]][k], x[["hours"]][k])
        }, 0)
      }
      factors <- exp(vapply(names(stages), biases_of, numeric(nrow(x))))
      parts[is.na(parts)] <- 0
      shift <- shift + shift_of_sum(x[["p50"]], parts, matrix(factors, nrow(x)))
    }
    stats::setNames(shift, key)
  }
  lapply(stats::setNames(nm = c("finish_s", "cost")), shifts_of)
}

positive_values <- function(x) x[is.finite(x) & x > 0]

# Corrections of every site and tier that had a job.
all_corrections <- function(learning) {
  rows <- lapply(names(learning), function(what) {
    past <- learning[[what]]$past
    pairs <- unique(past[c("site", "tier")])
    row <- function(site, tier) {
      found <- learned_of(learning[[what]], site, tier)
      known <- if (grepl(" \\(as said\\)$", site)) "said" else "measured"
      data.frame(site = sub(" \\(as said\\)$", "", site), tier = tier, known = known, what = what,
                 factor = exp(found$bias), width = found$width, jobs = found$jobs,
                 inside = found$inside, changed = found$changed)
    }
    bind_tables(Map(row, pairs[["site"]], pairs[["tier"]], USE.NAMES = FALSE))
  })
  or_else(bind_tables(rows), data.frame(site = character(), tier = character(), known = character(),
                                        what = character(), factor = numeric(), width = numeric(),
                                        jobs = integer(), inside = integer(), changed = integer()))
}

# ---- scores --------------------------------------------------------------------------------------

# Scores of past forecasts by site and tier.
learned_scores <- function(rows, ledger) {
  none <- data.frame(what = character(), site = character(), whose = character(), at = character(),
                     jobs = integer(), inside = integer(), bias = numeric(), crps = numeric())
  if (!NROW(rows)) return(none)
  rows <- rows[rows[["what"]] != "failed", , drop = FALSE]
  score <- function(x, whose) {
    bind_tables(lapply(unique(x[["what"]]), function(what) {
      mine <- x[x[["what"]] == what & !is.na(x[["p50"]]), , drop = FALSE]
      if (!nrow(mine)) return(NULL)
      mine$group <- mine[["site"]]
      found <- score_table(mine, forecast_points(), forecast_probs)
      left <- what %in% names(left_moments)
      if (nrow(found))
        data.frame(what = if (left) "left_s" else what, site = found$group, whose = whose,
                   at = if (left) left_moments[[what]] else "before", found[-1])
    }))
  }
  left <- rows[["what"]] %in% names(left_moments)
  # For a remaining time of zero, use a hundredth of the remaining time instead: a ratio needs a
  # positive number.
  for (name in forecast_points())
    rows[left, name] <- pmax(rows[left, name], 0.01 * rows[left, "actual"])
  shown <- shown_forecasts(rows, ledger)
  out <- bind_tables(list(score(shown, "forecast"), score(rows[left, , drop = FALSE], "forecast"),
                          score(rows[!left, , drop = FALSE], "as is"), claim_scores(rows, ledger),
                          seller_scores(rows)))
  if (is.null(out)) none else as_frame(out)
}

# The moments at which it is kept what was believed to be left.
left_moments <- c(left_25 = "quarter", left_50 = "half", left_75 = "three quarters")

# Outcomes with the quantiles that were shown when the job was decided, of jobs at one site only.
shown_forecasts <- function(rows, ledger) {
  x <- rows[rows[["what"]] %in% c("finish_s", "cost"), , drop = FALSE]
  alone <- names(which(tapply(x[["site"]], x[["job"]], function(s) length(unique(s))) == 1))
  x <- x[x[["job"]] %in% alone, , drop = FALSE]
  kept <- all_job_promises(ledger)
  at <- match(row_key(x, c("job", "what")), row_key(kept, c("job", "what")))
  x[forecast_points()] <- kept[at, forecast_points()]
  x
}

# Sites' estimates of the remaining time at half time against the actual one: `bias` above 1 is too
# short.
claim_scores <- function(rows, ledger) {
  ended <- rows[rows[["what"]] == "finish_s", , drop = FALSE]
  told <- events_of_all_jobs(ledger, c("placed", "claim"))
  told <- split(told, factor(told[["job"]], unique(ended[["job"]])))
  found <- bind_tables(lapply(seq_len(nrow(ended)), function(k) {
    ratio <- claim_ratio(told[[ended[["job"]][k]]], ended[["site"]][k], ended[["actual"]][k])
    if (!is.na(ratio)) data.frame(site = ended[["site"]][k], ratio = ratio)
  }))
  if (is.null(found)) return(NULL)
  bind_tables(lapply(unique(found[["site"]]), function(site) {
    ratio <- found[["ratio"]][found[["site"]] == site]
    data.frame(what = "left_s", site = site, whose = "site", at = "half", jobs = length(ratio),
               inside = NA_integer_, bias = exp(stats::median(log(ratio))),
               crps = mean(abs(log(ratio))))
  }))
}

# Sellers' claims about their speed: by which factor a frame took longer.
seller_scores <- function(rows) {
  x <- rows[rows[["what"]] == "speed" & speed_known(rows[["evidence"]]) == "said", , drop = FALSE]
  ratio <- x[["actual"]]
  bind_tables(lapply(unique(x[["site"]]), function(site) {
    mine <- ratio[x[["site"]] == site]
    data.frame(what = "speed", site = site, whose = "seller", at = "before", jobs = length(mine),
               inside = NA_integer_, bias = exp(stats::median(log(mine))),
               crps = mean(abs(log(mine))))
  }))
}

# How many times as long as the site said it took from the claim nearest the half of the job; NA
# without claims between a quarter and three quarters.
claim_ratio <- function(events, site, finish_s) {
  x <- as_frame(events)
  time <- column_moments(x[["time"]], "time", "UTC", "the ledger")
  # Finish is counted from the placing.
  placed <- min(time[x[["what"]] %in% "placed"], Inf)
  claims <- which(x[["what"]] == "claim" & x[["place"]] %in% site & x[["amount"]] > 0)
  passed <- time[claims] - placed
  near <- which(passed > 0.25 * finish_s & passed < 0.75 * finish_s)
  if (!length(near)) return(NA_real_)
  k <- near[which.min(abs(passed[near] - finish_s / 2))]
  (finish_s - passed[k]) / x[["amount"]][claims[k]]
}

# ---- rates ---------------------------------------------------------------------------------------

# Other lessons of past jobs: for each site the share of failing runs, and how its speed differs
# from job to job; for its tiers the time per frame relative to the forecast, shrunk by a prior
# worth two jobs; and the separately learned stages, queues by the hours of the day.
learned_rates <- function(rows, stages) {
  columns <- c("site", "tier", "hours", "what", "prior", "prior_jobs", "prior_sd", "learned",
               "width", "jobs")
  of <- function(what) rows[rows[["what"]] == what, , drop = FALSE]
  by_site <- function(x, by, row) {
    lapply(split(x, row_key(x, by)),
           function(x) data.frame(x[1, by, drop = FALSE], row(x), row.names = NULL))
  }
  found <- if (NROW(rows)) c(
    by_site(of("failed"), "site", failing_rate),
    unlist(lapply(names(stages), stage_rates, stages), FALSE),
    by_site(of("speed"), c("site", "tier"), pace_rate), by_site(of("speed"), "site", drift_rate)
  )
  out <- bind_tables(lapply(found, all_columns, columns))
  if (is.null(out))
    out <- all_columns(data.frame(site = character(), what = character(), learned = numeric(),
                                  jobs = integer()), columns)
  as_frame(out)
}

# Believed before is what the card says of failing runs, where it says any.
failing_rate <- function(x) {
  said <- mean(x[["p50"]], na.rm = TRUE)
  prior <- failing_prior
  if (is.finite(said) && said > 0) prior$share <- said
  list(what = "failed", prior = prior$share, prior_jobs = prior$runs,
       learned = failing_share(x[["actual"]] * x[["count"]], x[["count"]], prior), jobs = nrow(x))
}

pace_rate <- function(x) {
  ratio <- positive_values(x[["actual"]] / x[["p50"]])
  list(what = "speed", prior = 1, prior_jobs = 2,
       learned = exp(sum(log(ratio)) / (length(ratio) + 2)), jobs = length(ratio))
}

# Sd of log speed from job to job: what is assumed of sessions counts as three jobs.
drift_rate <- function(x) {
  ratio <- log(positive_values(x[["actual"]]))
  squares <- sum((ratio - mean(ratio))^2)
  list(what = "drift", prior = assumed_drift, prior_jobs = 3, jobs = length(ratio),
       learned = sqrt((3 * assumed_drift^2 + squares) / (3 + max(0, length(ratio) - 1))))
}

# Lessons about a stage: one row for each site, tier and, for queues, hours that had a job.
stage_rates <- function(what, stages) {
  learning <- stages[[what]]
  by_hours <- "hours" %in% names(learning$prior)
  by <- c("site", "tier", if (by_hours) "hours")
  past <- learning$past
  lapply(split(past, row_key(past, by)), function(x) {
    found <- learned_of(learning, x[["site"]][1], x[["tier"]][1], if (by_hours) x[["hours"]][1])
    kinds <- c("all", "site", "tier", if (by_hours) "hours")
    data.frame(x[1, by, drop = FALSE], what = what, prior = 1,
               prior_sd = sqrt(sum(unlist(learning$prior[kinds])^2)), learned = exp(found$bias),
               width = found$width, jobs = nrow(x), row.names = NULL)
  })
}

# The six hours of the day (UTC) in which each job was placed.
placed_hours <- function(jobs_of, ledger) {
  told <- events_of_all_jobs(ledger, c("placed", "sent"))
  first <- told[["time"]][match(jobs_of, told[["job"]])]
  day_part(as.POSIXct(first, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OS"))
}
