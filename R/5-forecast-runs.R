# Kept results of one option's run: its charges, and the arrival times of its frames.

# The run of an option, simulated once and kept with its forecast: `currency` (of the card) and
# `rate` to the job's, medians and means of each charge (`lines`) and of what is added or taken off
# (`extra`), `node_hours`, and `frames`: how many are at home at 120 moments (10, 50 and 90 % of
# draws), of `total`; `capped`, the share of draws that a cap ended.
option_run <- function(forecast, i,
                       frames = common_frames(forecast$scenario, forecast$n, forecast$seed)) {
  keep_with(forecast, forecast$scenario$options[["option"]][i],
            function() made_run(forecast$scenario, i, frames))
}

# The total of each shot of a job on its reference node, as total_time() gives it; drawn once and
# kept.
job_totals <- function(forecast, job) {
  keep_with(forecast, paste("totals", job_key(job)), function() lapply(job$curves, total_time))
}

# Computes a part of an object once, on demand, and keeps it with the object: `make()` runs the
# first time that `name` is needed.
keep_with <- function(x, name, make) {
  if (is.null(x$kept[[name]])) assign(name, make(), envir = x$kept)
  x$kept[[name]]
}

made_run <- function(scenario, i, frames) {
  it <- option_of(scenario, i)
  run <- simulated(scenario, i, frames, keep = TRUE)$run
  d <- as_frame(run$draws)
  extra <- list(minimum = d[["minimum"]], discount = d[["discount"]], tax = d[["tax"]],
                gifts = d[["credit"]] - d[["prepaid"]])
  list(currency = run$currency, rate = rate_to(it$at, it$job_of$currency, it$job_of$rates)$rate,
       lines = data.frame(item = rownames(run$lines), median = apply(run$lines, 1, stats::median),
                          mean = rowMeans(run$lines), row.names = NULL),
       extra = data.frame(item = names(extra), median = vapply(extra, stats::median, 0),
                          mean = vapply(extra, mean, 0), row.names = NULL),
       node_hours = stats::median(d[["node_hours"]]), frames = home_curve(run$home),
       total = nrow(run$home), capped = mean(d[["capped"]]))
}

# How many frames are at home at each of 120 moments. `home`: frames x draws, each column rising.
home_curve <- function(home) {
  moments <- seq(0, max(home[is.finite(home)], 1), length.out = 120)
  counts <- apply(home, 2, function(one) findInterval(moments, one))
  points <- apply(counts, 1, quantile_of, c(0.1, 0.5, 0.9))
  data.frame(at = moments, low = points[1, ], middle = points[2, ], high = points[3, ])
}
