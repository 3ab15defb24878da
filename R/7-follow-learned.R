# What is learned from jobs that ended: how good forecasts and claims were, and how the next ones are corrected.

#' What past jobs taught
#'
#' Every forecast that was decided on is kept with its quantiles, and what became of the job is written down when it is
#' settled ([settle_job()]). `learned()` scores the forecasts by this, holds what sellers and farms said beside them,
#' and gives the corrections that [plan_options()] applies to the next: of each site and tier a bias, shrunk toward none
#' while few jobs are known, and a factor on the width of ranges. Forecasts as they were before any correction are what
#' is learned from. Jobs for which a site's speed was only claimed teach nothing of those for which it was measured.
#'
#' Bias: residuals of logs as the sum of what all sites, the site and the tier share, each normal about 0 (sd 0.1, 0.35,
#' 0.1) with noise as wide as the forecast said, by Student's t with 4 degrees of freedom; the posterior mode. Later
#' jobs count for more, those before a noticed change for little. Width: a weighted conformal factor; were the
#' jobs exchangeable, of one weight and that factor all there is, the next of n + 1 would lie in its 80 % range with a
#' chance of at least 80 % less 1 in n + 1, whatever the distribution; with weights, less the sum of each weight times
#' how unlike its job is to the next (Barber, Candes, Ramdas & Tibshirani 2023, Annals of Statistics 51, 816-845). The
#' belief in the forecast's own range counts as five jobs.
#'
#' @param ledger A ledger from [open_ledger()].
#' @param but Names of jobs that are left out.
#' @return A list of class `cp_learned`: `scores`, a tibble: `what` (`finish_s`, `cost`, `speed`, `wait_s`, `start_s`),
#'   `site`, `whose` (`forecast`: as shown, of `finish_s` and `cost`; `as is`: before corrections; `site`: what it said
#'   was left, at the half; `seller`: its speed), `jobs`, `inside` (in the 80 % range), `bias` (the middle of actual
#'   over forecast), `crps` (continuous ranked probability score of logs, Gneiting & Raftery 2007: about how far off, as
#'   a share); `corrections`, a tibble: `site`, `tier`, `known`, `what`, `factor`, `width`, `jobs`, `inside`, `changed`;
#'   `rates`, a tibble of what else is learned: `site`, `tier`, `hours` (of the day, UTC, of a queue), `what` (`failed`:
#'   share of runs), `prior`, `prior_jobs`, `learned`, `jobs`; `learning`, what [plan_options()] takes; `outcomes`, all
#'   rows, with the forecasts' quantiles as they were before any correction, and `shown`, those of finish and cost with
#'   the quantiles that were shown.
#' @examples
#' ledger <- open_ledger(":memory:")
#' learned(ledger)
#' close_ledger(ledger)
#' @export
learned <- function(ledger, but = NULL) {
  rows <- job_outcomes(ledger)
  rows <- rows[!tolower(rows[["job"]]) %in% tolower(but), , drop = FALSE]
  learning <- lapply(stats::setNames(nm = c("finish_s", "cost")), function(what) learning_of(ended_jobs(rows, what)))
  structure(list(scores = as_table(learned_scores(rows, ledger)), corrections = as_table(all_corrections(learning)),
                 rates = as_table(learned_rates(rows, ledger)), learning = learning,
                 outcomes = if (is.null(rows)) NULL else as_table(rows),
                 shown = if (NROW(rows)) as_table(shown_forecasts(rows, ledger))), class = "cp_learned")
}

# Jobs as learning_of() takes them, in the order in which they ended: of each site the last forty, beside which older
# ones count for little.
ended_jobs <- function(rows, what) {
  x <- rows[rows[["what"]] %in% what & !is.na(rows[["p50"]]) & rows[["actual"]] %in% positive(rows[["actual"]]) &
              rows[["p10"]] > 0, , drop = FALSE]
  if (is.null(x)) x <- data.frame(site = character(), tier = character(), evidence = character())
  site <- learned_site(x[["site"]], speed_known(x[["evidence"]]))[seq_len(nrow(x))]
  ago <- stats::ave(seq_along(site), site, FUN = function(k) rev(seq_along(k)))
  x <- x[ago <= 40, , drop = FALSE]
  log_of <- function(name) log(or_else(as.numeric(x[[name]]), numeric()))
  data.frame(site = site[ago <= 40], tier = as.character(x[["tier"]]), low = log_of("p10"), mid = log_of("p50"),
             high = log_of("p90"), y = log_of("actual"))
}

positive <- function(x) x[is.finite(x) & x > 0]

# Corrections of every site and tier that had a job.
all_corrections <- function(learning) {
  rows <- lapply(names(learning), function(what) {
    past <- learning[[what]]$past
    pairs <- unique(past[c("site", "tier")])
    bind_tables(lapply(seq_len(nrow(pairs)), function(k) {
      found <- learned_of(learning[[what]], pairs[["site"]][k], pairs[["tier"]][k])
      data.frame(site = sub(" \\(as said\\)$", "", pairs[["site"]][k]), tier = pairs[["tier"]][k],
                 known = if (grepl(" \\(as said\\)$", pairs[["site"]][k])) "said" else "measured", what = what,
                 factor = exp(found$bias), width = found$width, jobs = found$jobs, inside = found$inside,
                 changed = found$changed)
    }))
  })
  or_else(bind_tables(rows), data.frame(site = character(), tier = character(), known = character(),
                                        what = character(), factor = numeric(), width = numeric(), jobs = integer(),
                                        inside = integer(), changed = integer()))
}

# ---- scores ----------------------------------------------------------------------------------------------------------

learned_scores <- function(rows, ledger) {
  none <- data.frame(what = character(), site = character(), whose = character(), jobs = integer(), inside = integer(),
                     bias = numeric(), crps = numeric())
  if (!NROW(rows)) return(none)
  rows <- rows[rows[["what"]] != "failed", , drop = FALSE]
  score <- function(x, whose) {
    bind_tables(lapply(unique(x[["what"]]), function(what) {
      mine <- x[x[["what"]] == what & !is.na(x[["p50"]]), , drop = FALSE]
      if (!nrow(mine)) return(NULL)
      mine$group <- mine[["site"]]
      found <- score_table(mine, forecast_points(), forecast_probs)
      if (nrow(found)) data.frame(what = what, site = found$group, whose = whose, found[-1])
    }))
  }
  out <- bind_tables(list(score(shown_forecasts(rows, ledger), "forecast"), score(rows, "as is"),
                          claim_scores(rows, ledger), seller_scores(rows)))
  if (is.null(out)) none else as_frame(out)
}

# Outcomes beside the quantiles that were shown when the job was decided, of jobs that were at one site alone.
shown_forecasts <- function(rows, ledger) {
  x <- rows[rows[["what"]] %in% c("finish_s", "cost"), , drop = FALSE]
  alone <- names(which(tapply(x[["site"]], x[["job"]], function(s) length(unique(s))) == 1))
  x <- x[x[["job"]] %in% alone, , drop = FALSE]
  for (k in seq_len(nrow(x))) {
    kept <- promised(ledger, x[["job"]][k])
    kept <- kept[kept[["stage"]] == "before" & kept[["what"]] == x[["what"]][k], forecast_points(), drop = FALSE]
    x[k, forecast_points()] <- if (nrow(kept)) kept[1, ] else NA
  }
  x
}

# What sites said was left when half of the time had passed, beside what was: `bias` above 1 is too short.
claim_scores <- function(rows, ledger) {
  ended <- rows[rows[["what"]] == "finish_s", , drop = FALSE]
  found <- bind_tables(lapply(seq_len(nrow(ended)), function(k) {
    ratio <- claim_ratio(job_events(ledger, ended[["job"]][k]), ended[["site"]][k], ended[["actual"]][k])
    if (!is.na(ratio)) data.frame(site = ended[["site"]][k], ratio = ratio)
  }))
  if (is.null(found)) return(NULL)
  bind_tables(lapply(unique(found[["site"]]), function(site) {
    ratio <- found[["ratio"]][found[["site"]] == site]
    data.frame(what = "finish_s", site = site, whose = "site", jobs = length(ratio), inside = NA_integer_,
               bias = exp(stats::median(log(ratio))), crps = mean(abs(log(ratio))))
  }))
}

# What sellers said of their speed: how many times as long a frame took.
seller_scores <- function(rows) {
  x <- rows[rows[["what"]] == "speed" & speed_known(rows[["evidence"]]) == "said", , drop = FALSE]
  ratio <- x[["actual"]]
  bind_tables(lapply(unique(x[["site"]]), function(site) {
    mine <- ratio[x[["site"]] == site]
    data.frame(what = "speed", site = site, whose = "seller", jobs = length(mine), inside = NA_integer_,
               bias = exp(stats::median(log(mine))), crps = mean(abs(log(mine))))
  }))
}

# How many times as long as the site said it took from the claim nearest the half of the job; NA without claims between
# a quarter and three quarters.
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

# ---- rates -----------------------------------------------------------------------------------------------------------

# What else past jobs tell of each site and tier: the share of runs that fail, from a prior of 1 % worth 50 runs; how
# long the queue, the start and a frame are beside the forecast, shrunk by a prior worth two jobs.
learned_rates <- function(rows, ledger) {
  none <- data.frame(site = character(), tier = character(), hours = character(), what = character(), prior = numeric(),
                     prior_jobs = numeric(), learned = numeric(), jobs = integer())
  if (!NROW(rows)) return(none)
  rows <- rows[rows[["what"]] %in% c("failed", "wait_s", "start_s", "speed"), , drop = FALSE]
  # Queues have their hours.
  rows$hours <- ifelse(rows[["what"]] == "wait_s", placed_hours(rows[["job"]], ledger), NA)
  out <- bind_tables(lapply(split(rows, row_key(rows, c("site", "tier", "hours", "what"))), function(x) {
    share <- x[["what"]][1] == "failed"
    ratio <- x[["actual"]] / x[["p50"]]
    ratio <- ratio[is.finite(ratio) & ratio > 0]
    value <- if (share) (sum(x[["actual"]] * x[["count"]]) + 0.5) / (sum(x[["count"]]) + 50)
             else exp(sum(log(ratio)) / (length(ratio) + 2))
    data.frame(site = x[["site"]][1], tier = x[["tier"]][1], hours = x[["hours"]][1], what = x[["what"]][1],
               prior = if (share) 0.01 else 1,
               prior_jobs = if (share) 50 else 2, learned = value, jobs = if (share) nrow(x) else length(ratio))
  }))
  if (is.null(out)) none else as_frame(out)
}

# The six hours of the day (UTC) in which each job was placed.
placed_hours <- function(jobs_of, ledger) {
  first <- vapply(unique(jobs_of), function(job) {
    events <- as_frame(job_events(ledger, job))
    c(events[["time"]][events[["what"]] %in% c("placed", "sent")], NA_character_)[1]
  }, "")
  hour <- as.integer(substr(first, 12, 13))
  six <- c("0 to 6", "6 to 12", "12 to 18", "18 to 24")[hour %/% 6 + 1]
  six[match(jobs_of, unique(jobs_of))]
}
