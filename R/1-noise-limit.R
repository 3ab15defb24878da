# The limit: time and noise over the samples, and the count that meets a target.

new_limit_fit <- record_type("cp_limit_fit", probes = is.data.frame, time = maybe(is.list),
                             curve = maybe(is.list), says = maybe(is.character))

#' Fit time and noise over the samples
#'
#' Compute time is `start + each * N` in the samples N, and noise variance is
#' `per_sample / N + floor`: the noise falls as one over the root, down to a floor. Both are fitted
#' by weighted least squares, each measurement weighted by one over its square, since both are known
#' to a share of themselves. Coefficients below zero are set to zero. Intervals are computed
#' unconstrained, then cut at 0; coverage is kept.
#'
#' The spread of one measurement is taken from `error` where it is given. Otherwise it is estimated
#' from how far the measurements lie from the law, with Student's t on the degrees of freedom that
#' are left; two single measurements leave none, and `assumed_error` (time 15 %, noise 3 %) is taken
#' and said to be assumed.
#'
#' A few probes rarely show whether there is a floor. The curve is therefore fitted with a floor and
#' without one, and [samples_for()] averages over both, weighted by how likely the data are under
#' each (at odds of 2 for none beforehand).
#'
#' If the law can be tested, it is tested: against `error` by chi-squared, otherwise by whether a
#' bend in the curve improves it (F test), both at 1 %.
#'
#' @param samples Samples per pixel, each above 0; counts may repeat.
#' @param seconds Compute seconds of a frame at each; `NULL` when only the noise is known. `NA` is
#'   left out.
#' @param noise Noise at each, as [noise_between()] gives it; `NULL` when only times are known. `NA`
#'   is left out.
#' @param error Relative standard errors of one measurement where they are known:
#'   `c(seconds = 0.05, noise = 0.01)`, or either; a list when it differs between measurements.
#' @param floor `FALSE` when the noise is known to have no floor, as that of an unbiased renderer on
#'   float pictures has none: the curve is then known better from the same probes.
#' @return A list of class `cp_limit_fit`: `probes` (a tibble of what was given), `time` and `curve`
#'   (each: coefficients, covariance, degrees of freedom, `basis` of the spread: `given`, `measured`
#'   or `assumed`), `says` (texts: where the measurements do not fit the model).
#' @section Conditions: `clockpigeon_error_limit` when there are fewer than two different counts, or
#'   the noise rises with the samples; `clockpigeon_error_type` for values out of range.
#' @examples
#' fit <- fit_limit(c(4, 16, 64), seconds = c(1.1, 3.4, 12.7), noise = c(0.130, 0.066, 0.034))
#' fit
#' predict(fit, 256)
#' samples_for(fit, 0.02)
#' @export
fit_limit <- function(samples, seconds = NULL, noise = NULL, error = NULL, floor = TRUE) {
  floor <- check_flag(floor, argument("floor"))
  check_sample_counts(samples)
  seconds <- check_measured(seconds, length(samples), "seconds")
  noise <- check_measured(noise, length(samples), "noise")
  if (all(is.na(seconds)) && all(is.na(noise))) {
    stop_input("limit", "neither seconds nor noise is given", "arguments `seconds` and `noise`",
               "Give at least one.")
  }
  fit <- list(
    probes = as_table(list(samples = as.numeric(samples), seconds = seconds, noise = noise)),
    time = if (!all(is.na(seconds)))
    fit_line(samples, seconds, error_of(error, "seconds"), assumed_error[["seconds"]],
             c("start", "each")),
    curve = if (!all(is.na(noise))) {
      fit_line(1 / samples, noise^2, 2 * error_of(error, "noise"), 2 * assumed_error[["noise"]],
               c("floor", "per_sample"), origin = !floor)
    }
  )
  if (length(fit$curve)) {
    check_falls(samples, noise, fit$curve)
    if (floor) {
      plain <- fit_line(1 / samples, noise^2, 2 * error_of(error, "noise"),
                        2 * assumed_error[["noise"]], c("floor", "per_sample"), origin = TRUE)
      fit$curve$plain <- c(plain, list(weight = chance_of_no_floor(plain, fit$curve)))
    }
  }
  fit$says <- c(if (length(fit$time)) law_sentence(fit$time, "time is not linear in the samples"),
                if (length(fit$curve)) law_sentence(fit$curve, noise_law(fit$probes)))
  new_limit_fit(fit)
}

# Note on noise that does not follow the law: how it falls instead, if that is clearly too slow or
# too fast.
noise_law <- function(probes) {
  known <- !is.na(probes[["noise"]]) & probes[["noise"]] > 0
  noise <- log(probes[["noise"]][known])
  samples <- log(probes[["samples"]][known])
  power <- if (sum(known) > 1) unname(stats::coef(stats::lm(noise ~ samples))[2]) else NA
  as <- paste0(", about as the samples to the power ", sprintf("%.2f", power))
  if (is.na(power) || abs(power + 0.5) < 0.08)
    return("noise does not fall as one over the root of the samples")
  paste0("noise falls too ", if (power > -0.5) "slowly" else "fast", as,
         "; independent samples give -0.5")
}

# Relative standard errors of one measurement, where nothing better is known.
assumed_error <- c(seconds = 0.15, noise = 0.03)

error_of <- function(error, name) if (name %in% names(error)) as.numeric(error[[name]]) else
  NA_real_

check_measured <- function(x, n, name) {
  if (is.null(x)) return(rep(NA_real_, n))
  if (!is.numeric(x) || length(x) != n || any(x[!is.na(x)] <= 0) || any(is.infinite(x))) {
    stop_input("type", paste("got", show_value(x)), argument(name),
               paste0("Write one number above 0 for each of the ", n, " samples, or NA."))
  }
  as.numeric(x)
}

# y = p0 + p1 x, the spread of y a share of its mean: least squares with weights of one over the
# fitted mean squared, taken from the fit before (McCullagh & Nelder 1989, section 8.3). `error` is
# the relative standard error of each y, NA when it is to be estimated from the residuals. `origin`:
# p0 is 0.
fit_line <- function(x, y, error, assumed, names, origin = FALSE) {
  here <- !is.na(y)
  x <- x[here]
  y <- y[here]
  error <- rep_len(error, length(here))[here]
  if (length(unique(x)) < 2) {
    stop_input("limit", "all probes have one count of samples", argument("samples"),
               "Measure at two counts at least, the larger about four times the smaller.")
  }
  design <- cbind(1, x)
  known <- !anyNA(error)
  share <- if (known) error else rep(1, length(y))
  mean <- y
  for (i in 1:30) {
    w <- 1 / (share * mean)^2
    inverse <- if (origin) matrix(c(0, 0, 0, 1 / sum(w * x^2)), 2) else
      solve_two(crossprod(design, design * w))
    free <- drop(inverse %*% crossprod(design, w * y))
    # Where the line turns negative, keep the weights of the measurements.
    fitted <- drop(design %*% free)
    last <- mean
    mean <- ifelse(fitted > 0.2 * y, fitted, y)
    if (max(abs(mean / last - 1)) < 1e-10) break
  }
  residual <- (y - drop(design %*% free)) / (share * mean)
  df <- length(y) - if (origin) 1 else 2
  basis <- if (known) "given" else if (df > 0) "measured" else "assumed"
  spread <- switch(basis, given = 1, measured = sqrt(sum(residual^2) / df), assumed = assumed)
  estimate <- bounded_line(free, x, y, w)
  list(estimate = stats::setNames(estimate, names), free = stats::setNames(free, names),
       covariance = spread^2 * inverse, df = if (basis == "measured") df else Inf, basis = basis,
       error = spread, squares = sum((residual / if (basis == "assumed") assumed else 1)^2),
       points = length(y), refused = line_p_value(x, residual, design, w, y, known, df))
}

# Prior odds of no floor, times the ratio of the width of possible floors to the precision of the
# fit, which the points do not determine. Fitted by simulation, so that promised counts hold in 90 %
# of curves on average, with and without a floor.
no_floor_odds <- 2

# Chance of the line through the origin relative to the free one. Any floor is above 0, so that the
# evidence for it is that of the free line times twice the part of its distribution above 0. `gain`:
# the better fit of the free line, in squares of known spreads, or by the ratio of squares if the
# spread is estimated from the residuals.
chance_of_no_floor <- function(plain, line) {
  gain <- if (line$basis == "measured") line$df *
    log(max(plain$squares, 1e-300) / max(line$squares, 1e-300))
          else plain$squares - line$squares
  z <- sqrt(min(max(gain, 0), 700)) * sign(line$free[["floor"]])
  no_floor_odds / (no_floor_odds + exp(z^2 / 2) * 2 * stats::pnorm(z))
}

solve_two <- function(m) matrix(c(m[4], -m[2], -m[3], m[1]), 2) / (m[1] * m[4] - m[2] * m[3])

# The line with both coefficients at least 0.
bounded_line <- function(free, x, y, w) {
  if (free[1] < 0) return(c(0, sum(w * x * y) / sum(w * x^2)))
  if (free[2] < 0) return(c(sum(w * y) / sum(w), 0))
  free
}

# Chance of residuals like these under the law; NA when it cannot be tested.
line_p_value <- function(x, residual, design, w, y, known, df) {
  if (known && df > 0) return(stats::pchisq(sum(residual^2), df, lower.tail = FALSE))
  if (df < 2 || length(unique(x)) < 3) return(NA_real_)
  bent <- stats::lm.wfit(cbind(design, x^2), y, w)
  line <- stats::lm.wfit(design, y, w)
  of <- function(m) sum(w * m$residuals^2)
  if (of(bent) <= 1e-20 * sum(w * y^2)) return(NA_real_)
  stats::pf((of(line) - of(bent)) / (of(bent) / (df - 1)), 1, df - 1, lower.tail = FALSE)
}

law_sentence <- function(line, text) {
  if (!is.na(line$refused) && line$refused < 0.01) paste0(text, " (chance of this under the law: ",
                                                          format(signif(line$refused, 2)), ")")
}

# Noise that rises with the samples is an error: something else than the samples differs between the
# probes.
check_falls <- function(samples, noise, curve) {
  if (curve$free[["per_sample"]] > 0) return(invisible())
  ends <- range(samples[!is.na(noise)])
  at <- function(n) mean(noise[samples == n], na.rm = TRUE)
  shown <- paste(format(signif(c(at(ends[1]), at(ends[2])), 3)), "at", ends)
  stop_input("limit", paste0("the noise does not fall with the samples: ", toString(shown)),
             argument("noise"),
             paste0("Probe again with nothing but the samples and the seed changed, and with ",
                    "denoising off."))
}

# Mean and standard error of a fitted line at x; bounded below by what the coefficients are bounded
# by.
line_value <- function(line, x) {
  design <- cbind(1, x)
  list(mean = drop(design %*% line$estimate), free = drop(design %*% line$free),
       se = sqrt(pmax(rowSums((design %*% line$covariance) * design), 0)))
}

line_interval <- function(line, x, level) {
  at <- line_value(line, x)
  t <- stats::qt((1 + level) / 2, line$df)
  list(mean = at$mean, lower = pmax(at$free - t * at$se, 0),
       upper = pmax(at$free + t * at$se, at$mean))
}

#' Time and noise at other counts
#'
#' @param object A [fit_limit()].
#' @param samples Samples per pixel.
#' @param level Level of the intervals of the means.
#' @param ... Not used.
#' @return A tibble: `samples`, `seconds`, `seconds_lower`, `seconds_upper`, `noise`, `noise_lower`,
#'   `noise_upper`; `NA` where time or noise was not fitted.
#' @examples
#' fit <- fit_limit(c(4, 16), seconds = c(1.1, 3.4), noise = c(0.13, 0.066),
#'                  error = c(seconds = 0.05, noise = 0.01))
#' predict(fit, c(32, 64))
#' @rawNamespace S3method(stats::predict, cp_limit_fit)
predict.cp_limit_fit <- function(object, samples, level = 0.95, ...) {
  level <- check_number(level, argument("level"), above = 0, most = 1)
  none <- rep(NA_real_, length(samples))
  none <- list(mean = none, lower = none, upper = none)
  time <- if (length(object$time)) line_interval(object$time, samples, level) else none
  variance <- if (length(object$curve)) line_interval(object$curve, 1 / samples, level) else none
  as_table(list(samples = as.numeric(samples), seconds = time$mean, seconds_lower = time$lower,
                seconds_upper = time$upper, noise = sqrt(variance$mean),
                noise_lower = sqrt(variance$lower), noise_upper = sqrt(variance$upper)))
}

#' Intervals of the coefficients of a limit fit
#'
#' @param object A [fit_limit()].
#' @param parm Names of coefficients; all when absent.
#' @param level Level.
#' @param ... Not used.
#' @return A tibble: `term` (`start` and `each` in s, `floor` and `per_sample` as noise variance),
#'   `estimate`, `lower`, `upper`.
#' @examples
#' confint(fit_limit(c(4, 16, 64), noise = c(0.130, 0.066, 0.034)))
#' @rawNamespace S3method(stats::confint, cp_limit_fit)
confint.cp_limit_fit <- function(object, parm, level = 0.95, ...) {
  rows <- lapply(Filter(length, object[c("time", "curve")]), function(line) {
    t <- stats::qt((1 + level) / 2, line$df)
    se <- sqrt(diag(line$covariance))
    data.frame(term = names(line$estimate), estimate = unname(line$estimate),
               lower = pmax(line$free - t * se, 0), upper = pmax(line$free + t * se, 0),
               row.names = NULL)
  })
  out <- as_table(do.call(rbind, c(rows, make.row.names = FALSE)))
  if (missing(parm)) out else as_table(as_frame(out)[out[["term"]] %in% parm, , drop = FALSE])
}

#' The samples that meet a noise target
#'
#' The least count whose noise is at most the target at the confidence asked, with the uncertainty
#' of the curve counted in, and whether it has a floor: at 0.5 it is the count as likely to meet it
#' as not, at 0.9 nine counts of ten chosen so do.
#'
#' @param fit A [fit_limit()].
#' @param noise Noise targets.
#' @param confidence Chance of meeting it.
#' @return Whole numbers, one a target.
#' @section Conditions: `clockpigeon_error_limit` when a target lies below the floor, or the floor
#'   is not known well enough to promise it (the message says the floor and what would lower it),
#'   and when the probes do not fit the model.
#' @examples
#' fit <- fit_limit(c(4, 16, 64), seconds = c(1.1, 3.4, 12.7), noise = c(0.130, 0.066, 0.034))
#' samples_for(fit, c(0.05, 0.02))
#' samples_for(fit, 0.05, confidence = 0.5)
#' @export
samples_for <- function(fit, noise, confidence = 0.9) {
  check_class(fit, argument("fit"), "cp_limit_fit", "fit_limit()")
  confidence <- check_number(confidence, argument("confidence"), least = 0.5, most = 0.9999)
  if (is.null(fit$curve))
    stop_input("limit", "has no noise in it", argument("fit"), "Give fit_limit() the noise.")
  if (!is.numeric(noise) || !length(noise) || !all(is.finite(noise)) || any(noise <= 0)) {
    stop_input("type", paste("got", show_value(noise)), argument("noise"),
               "Write noise targets, each above 0.")
  }
  refused <- law_sentence(fit$curve, noise_law(fit$probes))
  if (length(refused)) {
    stop_input("limit", paste0(refused, ", so no count can be promised"), argument("fit"),
               paste(
                 "Probe again, several pairs at each count: a single glaring pixel may have met",
                 "one pair only.",
                 "Denoising, clamping and a cap on the samples must be off."))
  }
  vapply(noise, function(target) least_samples(fit$curve, target, confidence), 0)
}

# Chance that the noise at n samples is at most the target: the curve without a floor and the one
# with it, by weight.
chance_of_target <- function(curve, n, target) {
  if (is.null(curve$plain)) return(chance_below(curve, n, target))
  weight <- curve$plain$weight
  weight * chance_below(curve$plain, n, target) + (1 - weight) * chance_with_floor(curve, n, target)
}

chance_below <- function(line, n, target) {
  at <- line_value(line, 1 / n)
  stats::pt((target^2 * (1 + 1e-9) - at$mean) / max(at$se, 1e-12 * target^2), line$df)
}

# Floors above 0 by their quantiles, and given each of them what the slope may be.
chance_with_floor <- function(curve, n, target) {
  floors <- floor_points(curve)
  v <- curve$covariance
  slope <- curve$free[["per_sample"]] + v[2, 1] / v[1, 1] * (floors - curve$free[["floor"]])
  sd <- sqrt(max(v[2, 2] - v[2, 1]^2 / v[1, 1], 1e-300))
  if (is.infinite(n)) return(mean(floors < target^2))
  mean(stats::pt(((target^2 * (1 + 1e-9) - floors) * n - slope) / sd, curve$df))
}

# Points of the floor's distribution, cut off at 0, in its tails as well as its middle.
floor_points <- function(curve, points = 201) {
  se <- sqrt(curve$covariance[1, 1])
  low <- stats::pt(-curve$free[["floor"]] / se, curve$df)
  p <- low + (1 - low) * (seq_len(points) - 0.5) / points
  curve$free[["floor"]] + se * stats::qt(pmin(p, 1 - 1e-12), curve$df)
}

least_samples <- function(curve, target, confidence) {
  short <- function(n) confidence - chance_of_target(curve, n, target)
  most <- 2^40
  if (short(most) > 0) below_floor(curve, target, promised_noise(curve, confidence))
  if (short(1) <= 0) return(1)
  root <- stats::uniroot(function(log_n) short(exp(log_n)), c(0, log(most)), tol = 1e-10)$root
  n <- ceiling(exp(root) - 1e-6)
  while (short(n) > 1e-9) n <- n + 1  # the chance at a whole number is the promise
  n
}

# The least noise that any count can be promised to meet.
promised_noise <- function(curve, confidence) {
  least <- function(log_target) chance_of_target(curve, 2^40, exp(log_target)) - confidence
  top <- log(sqrt(max(curve$estimate[["floor"]], 0) + 20 * sqrt(curve$covariance[1, 1])) + 1e-9)
  exp(stats::uniroot(least, c(top - 30, top + 5), tol = 1e-8)$root)
}

# Refuse a target that lies below the floor of the noise, or that no count can promise.
below_floor <- function(curve, target, promised) {
  floor <- sqrt(curve$estimate[["floor"]])
  if (floor >= target) {
    stop_input("limit", paste0("a noise of ", format(signif(target, 3)),
                               " lies below the floor of ", format(signif(floor, 3)),
                               ", which no count of samples gets under"), argument("noise"),
               paste(
                 "To lower the floor: more bits in the pictures (float instead of 8 bit), a",
                 "lower threshold of",
                 "the engine where it stops pixels by itself, no caching of light."))
  }
  stop_input("limit", paste0("these probes can promise no noise below ",
                             format(signif(promised, 3)), "; required: ",
                             format(signif(target, 3))), argument("noise"),
             "Probe at a larger count of samples, or ask for less confidence.")
}

#' Cost and gain of each doubling of the samples
#'
#' @param fit A [fit_limit()].
#' @param from,to Counts between which the samples are doubled.
#' @param hourly Price of an hour of rendering, in any currency; `NA` when unknown.
#' @param frames Number of frames.
#' @return A tibble: `samples`, `seconds`, `noise` (with `_lower` and `_upper`), `more_s` (time the
#'   doubling costs a frame), `noise_saving` (share by which it lowers the noise), `cost` (of all
#'   frames), `more_cost`.
#' @noRd
limit_doublings <- function(fit, from, to, hourly = NA_real_, frames = 1) {
  check_class(fit, argument("fit"), "cp_limit_fit", "fit_limit()")
  from <- check_number(from, argument("from"), above = 0)
  to <- check_number(to, argument("to"), least = from)
  doubled <- from * 2^(0:floor(log2(to / from) + 1e-9))
  x <- as.list(predict.cp_limit_fit(fit, doubled))
  before <- function(v) c(NA, v[-length(v)])
  x$more_s <- x$seconds - before(x$seconds)
  x$noise_saving <- 1 - x$noise / before(x$noise)
  x$cost <- x$seconds * frames / 3600 * hourly
  x$more_cost <- x$cost - before(x$cost)
  as_table(x)
}

check_sample_counts <- function(samples) {
  good <- is.numeric(samples) && length(samples) && all(is.finite(samples)) && all(samples > 0)
  if (!good) {
    stop_input("type", paste("got", show_value(samples)), argument("samples"),
               "Write counts, each above 0.")
  }
}
