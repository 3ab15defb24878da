# More threads, devices or helpers: the time over their number.

# Without a second count a law is assumed, and there is no posterior of any.
new_scaling_fit <- record_type(
  "cp_scaling_fit", points = is.data.frame, fits = is.list, unit = is.character,
  basis = is.character, error_basis = is.character, noise = maybe(is.list),
  posterior = maybe(is.list), best = is.character, weight = is.numeric, laws = is.data.frame,
  says = maybe(is.character)
)

#' Fit time over the number of threads, devices or helpers
#'
#' Four laws for the time t on n of them, fitted by least squares on log time within their bounds:
#'
#' - `amdahl`: `t1 * (serial + (1 - serial) / n)` (Amdahl 1967), `serial` in 0..1;
#' - `usl`: `t1 * (1 + contention * (n - 1) + coherence * n * (n - 1)) / n`, the universal
#'   scalability law (Gunther 2007, *Guerrilla capacity planning*), both at least 0, `contention` at
#'   most 1: beyond some n more makes it slower;
#' - `line`: `t1 / (1 + gain * (n - 1))`: the speed grows along a straight line, `gain` in 0..1.
#'
#' - `plateau`: that line down to `t1 * least`, where a link, a disk or the memory lets no more
#'   through.
#'
#' They are weighed against each other by how likely the points are under each, its parameters
#' averaged over what is usual (Gunther's ranges; Kass & Raftery 1995, J. Am. Stat. Assoc. 90, 773):
#' few points leave all laws in. (AICc, which is reported too, gives a law of three parameters no
#' chance with five points.) Intervals of parameters are profiles of the sum of squares (F of one
#' and the degrees of freedom left); those of times come from draws of all laws by weight, so that
#' the doubt which law holds is in them. Points far from every law are reported.
#'
#' @param n Whole numbers of threads, devices or helpers, 1 or more; repeats are welcome.
#' @param seconds Their times in s.
#' @param error Relative standard deviation of one time, where it is known (a job's `run_sd`).
#'   Needed with few points: with fewer than eight, and no repeats, the points cannot determine both
#'   the law and the spread: 8 % is assumed, reported as assumed, and corrected by the points as far
#'   as they can.
#' @param assume With a single n: the serial share that the user insists on. The fit is then an
#'   assumption and says so.
#' @param unit What is counted, for figures and texts.
#' @return A list of class `cp_scaling_fit`: `points`, `laws` (a tibble, one row a law: `law`,
#'   `aicc`, `weight`, `t1`, parameters), `best` (the one that the points fit best, its parameters
#'   averaged over), `basis` (`measured` or `assumed`) and `error_basis`, `says` (texts).
#' @section Conditions: `clockpigeon_error_scaling` if all times are of one n and no law is assumed;
#'   `clockpigeon_error_type` for n below 1 or not whole, or times that are not above 0.
#' @seealso [best_n()], [spread_advice()]
#' @examples
#' fit <- fit_scaling(c(1, 2, 4, 8, 8, 16), c(100, 54, 30, 19, 18.5, 14))
#' fit
#' predict(fit, c(12, 32))
#' best_n(fit)
#' @export
fit_scaling <- function(n, seconds, error = NULL, assume = NULL, unit = "threads") {
  n <- check_counts(n, argument("n"))
  seconds <- check_seconds(seconds, argument("seconds"))
  if (length(n) != length(seconds)) {
    stop_input("scaling", paste("got", length(n), "counts and", length(seconds), "times"),
               "arguments `n` and `seconds`",
               "Give one time for each count.")
  }
  if (!is.null(error)) error <- check_number(error, argument("error"), above = 0, most = 2)
  points <- as_table(list(n = n, seconds = seconds))
  if (length(unique(n)) < 2) return(assumed_scaling(points, assume, error, unit))
  # Spread of one time about the law: from repeats, or from the residuals if there are enough times.
  told <- is.null(error) && (length(n) >= enough_points || length(n) - length(unique(n)) >= 2)
  spread <- if (told) NULL else or_else(error, assumed_scaling_error)
  fits <- lapply(names(scaling_laws), fit_law, n = n, y = log(seconds), spread = spread)
  fit <- list(points = points, fits = stats::setNames(fits, names(scaling_laws)),
              unit = check_text(unit, argument("unit")), basis = "measured",
              error_basis = if (told) "measured" else if (is.null(error)) "assumed" else "given")
  fit$noise <- scaling_noise(fit)
  fit$posterior <- lapply(names(scaling_laws), law_posterior, n = n, y = log(seconds),
                          noise = fit$noise)
  evidence <- vapply(fit$posterior, `[[`, 0, "evidence")
  fit$best <- names(scaling_laws)[which.max(evidence)]
  evidence <- evidence * (if (length(n) < enough_points) 0.5 else 1) +
    log(law_odds[names(scaling_laws)])
  fit$weight <- unname(exp(evidence - max(evidence)) / sum(exp(evidence - max(evidence))))
  fit$laws <- law_table(fit)
  fit$says <- scaling_sentence(fit)
  new_scaling_fit(fit)
}

# Spread of log time from run to run where nothing measures it.
assumed_scaling_error <- 0.08

# Log of the time over that on one (`p`: the parameters, or a list of vectors of them for one n),
# and their bounds.
scaling_laws <- list(
  amdahl = list(log_time = function(n, p) log(p[[1]] + (1 - p[[1]]) / n), names = "serial",
                upper = 1),
  usl = list(log_time = function(n, p) log1p(p[[1]] * (n - 1) + p[[2]] * n * (n - 1)) - log(n),
             names = c("contention", "coherence"), upper = c(1, 1)),
  line = list(log_time = function(n, p) -log1p(p[[1]] * (n - 1)), names = "gain", upper = 1),
  plateau = list(log_time = function(n, p) pmax(-log1p(p[[1]] * (n - 1)), log(pmax(p[[2]], 1e-6))),
                 names = c("gain", "least"), upper = c(1, 1))
)

# Prior of the parameters: each is uniform between 0 and 1, to this power. Serial shares, contention
# and coherence are usually small (Gunther 2007, chapter 4, finds contention of a few per cent and
# coherence of a few per mille); gains may be anything.
law_powers <- list(amdahl = 2, usl = c(1.5, 3), line = 1, plateau = c(1, 3))

# Prior odds of the laws. The universal law contains Amdahl's, and choosing the simpler one by
# mistake (a plan for many nodes that stops paying early) is the more expensive error.
law_odds <- c(amdahl = 0.1, usl = 0.8, line = 0.03, plateau = 0.07)

# With fewer points than this the evidence of each counts by its root: by simulation, 80 % ranges of
# times from five points of the universal law then hold 65 to 95 %, where they held 57 to 85 % (at
# 8, 32 and 64; spread given).
enough_points <- 8L

# Least squares of one law, log t1 by its closed form, the rest on squares of a bounded scale from
# the best of a grid.
fit_law <- function(law, n, y, spread) {
  of <- scaling_laws[[law]]
  squares <- law_squares(of, n, y)
  grid <- as.matrix(expand.grid(rep(list(c(0, 1e-4, 1e-3, 0.01, 0.05, 0.2, 0.5, 0.8, 1)),
                                    length(of$names))))
  start <- grid[which.min(apply(grid, 1, squares)), ]
  found <- stats::nlminb(start, squares, lower = 0, upper = of$upper,
                         control = list(rel.tol = 1e-12))
  p <- if (found$objective <= squares(start)) found$par else start
  rss <- squares(p)
  k <- length(p) + 1
  df <- length(y) - k
  if (is.null(spread)) {
    # The spread is fitted too; a fit without any misses must not weigh infinitely.
    aicc <- length(y) * log(max(rss / length(y), 1e-8)) +
      2 * (k + 1) * length(y) / max(length(y) - k - 2, 0.5)
    sd <- sqrt(max(rss, 1e-12) / max(df, 1))
  } else {
    aicc <- rss / spread^2 + 2 * k
    sd <- spread
  }
  list(law = law, p = stats::setNames(p, of$names), log_t1 = mean(y - of$log_time(n, p)), rss = rss,
       df = df, sd = sd, spread_known = !is.null(spread), aicc = aicc)
}

law_squares <- function(of, n, y) {
  function(p) {
    off <- y - of$log_time(n, p)
    sum((off - mean(off))^2)
  }
}

# A scaling fit of a single count: the serial share is assumed, not fitted.
assumed_scaling <- function(points, assume, error, unit) {
  if (is.null(assume)) {
    stop_input("scaling", paste0("all times are of n = ", points[["n"]][1],
                                 ": nothing says what more or fewer would do"),
               argument("n"),
               paste0("Measure a second count, or give `assume`, a serial share, and take it ",
                      "as an assumption."))
  }
  assume <- check_number(assume, argument("assume"), least = 0, most = 1)
  y <- log(points[["seconds"]])
  n <- points[["n"]]
  sd <- or_else(error, assumed_scaling_error)
  one <- list(law = "amdahl", p = c(serial = assume),
              log_t1 = mean(y - scaling_laws$amdahl$log_time(n, assume)), rss = 0, df = Inf,
              sd = sd, spread_known = TRUE, aicc = NA_real_)
  fit <- list(points = points, fits = list(amdahl = one), weight = 1, unit = unit,
              basis = "assumed", error_basis = "assumed", best = "amdahl",
              says = paste0("assumed, not measured: one count, and a serial share of ",
                            format_percent(assume)))
  fit$laws <- law_table(fit)
  new_scaling_fit(fit)
}

law_table <- function(fit) {
  one <- function(f, name) if (name %in% names(f$p)) f$p[[name]] else NA_real_
  of <- function(name) vapply(fit$fits, one, 0, name = name, USE.NAMES = FALSE)
  as_table(list(law = names(fit$fits), aicc = vapply(fit$fits, `[[`, 0, "aicc", USE.NAMES = FALSE),
                weight = fit$weight,
                t1 = exp(vapply(fit$fits, `[[`, 0, "log_t1", USE.NAMES = FALSE)),
                serial = of("serial"),
                contention = of("contention"), coherence = of("coherence"), gain = of("gain"),
                least = of("least")))
}

# Warnings about measured points: rising times, points off the law, no repeats, two counts only.
scaling_sentence <- function(fit) {
  points <- fit$points
  means <- tapply(log(points[["seconds"]]), points[["n"]], mean)
  sd <- fit$fits[[fit$best]]$sd
  off <- outlying_counts(fit)
  rises <- which(diff(means) > 2 * sd)
  c(
    if (length(rises))
    paste0("times rise from ", names(means)[rises[1]], " to ", names(means)[rises[1] + 1], " ",
           fit$unit,
           ": more makes it slower, or something else changed"),
    if (isTRUE(fit$noise$refused)) paste0("no law fits these times within the spread of one (",
                                          format_percent(fit$fits[[1]]$sd),
                                          "): the ranges are as much wider"),
    if (length(off))
    paste0("the time at ", toString(unique(off)), " ", fit$unit, " lies off every law: ",
           "something else changed there, or the hardware has a step"),
    if (fit$best == "plateau")
    paste0("more than about ", plateau_start(fit), " ", fit$unit, " bring nothing"),
    if (fit$error_basis == "assumed")
    paste0("the spread of one time is assumed (", format_percent(assumed_scaling_error),
           "): give repeats or `error`"),
    if (length(means) == 2) "two counts cannot tell one law from another"
  )
}

# Counts whose time no law comes within three spreads of.
outlying_counts <- function(fit) {
  n <- fit$points[["n"]]
  y <- log(fit$points[["seconds"]])
  off <- vapply(fit$fits, function(one) {
    abs(y - one$log_t1 - scaling_laws[[one$law]]$log_time(n, one$p)) / max(one$sd, 0.01)
  }, numeric(length(y)))
  n[apply(matrix(off, length(y)), 1, min) > 3]
}

plateau_start <- function(fit) {
  p <- fit$fits$plateau$p
  if (p[["gain"]] > 0) ceiling((1 / max(p[["least"]], 1e-6) - 1) / p[["gain"]] + 1) else 1
}

#' Intervals of the parameters of a scaling fit
#'
#' @param object A [fit_scaling()].
#' @param parm A law; the best when absent.
#' @param level Level.
#' @param ... Not used.
#' @return A tibble: `term`, `estimate`, `lower`, `upper`; `t1` in s.
#' @examples
#' confint(fit_scaling(c(1, 2, 4, 8, 16, 32), c(100, 55, 31, 20, 14, 11)))
#' @rawNamespace S3method(stats::confint, cp_scaling_fit)
confint.cp_scaling_fit <- function(object, parm = object$best, level = 0.95, ...) {
  fit <- object$fits[[check_choice(parm, argument("parm"), names(object$fits))]]
  n <- object$points[["n"]]
  y <- log(object$points[["seconds"]])
  of <- scaling_laws[[fit$law]]
  t <- if (fit$spread_known) stats::qnorm((1 + level) / 2) else
    stats::qt((1 + level) / 2, max(fit$df, 1))
  limit <- fit$rss + t^2 * fit$sd^2
  squares <- law_squares(of, n, y)
  ends <- vapply(seq_along(fit$p), function(k) {
    best_at <- function(v) {
      if (length(fit$p) == 1) return(squares(v))
      stats::optimize(function(w) squares(replace(c(w, w), k, v)), c(0, of$upper[-k]),
                      tol = 1e-10)$objective
    }
    c(profile_end(best_at, fit$p[[k]], 0, limit),
      profile_end(best_at, fit$p[[k]], of$upper[k], limit))
  }, numeric(2))
  level_of <- function(v) {  # of log t1: the other parameters at their best for it
    start <- fit$p
    stats::nlminb(start, function(p) sum((y - v - of$log_time(n, p))^2), lower = 0,
                  upper = of$upper)$objective
  }
  t1 <- c(profile_end(level_of, fit$log_t1, fit$log_t1 - 10 * t * fit$sd, limit),
          profile_end(level_of, fit$log_t1, fit$log_t1 + 10 * t * fit$sd, limit))
  as_table(list(term = c("t1", names(fit$p)), estimate = c(exp(fit$log_t1), unname(fit$p)),
                lower = c(exp(t1[1]), ends[1, ]), upper = c(exp(t1[2]), ends[2, ])))
}

# Place where a profile crosses the limit between its best place and a bound; the bound if it does
# not cross.
profile_end <- function(squares, best, bound, limit) {
  if (best == bound || squares(bound) <= limit) return(bound)
  stats::uniroot(function(v) squares(v) - limit, sort(c(best, bound)),
                 tol = 1e-9 + 1e-7 * abs(best - bound))$root
}

# Spread of one log time as the posterior takes it: `sd` and how many degrees of freedom that is
# worth. A given spread is certain, unless no law comes near the points: then it is as large as the
# nearest needs.
scaling_noise <- function(fit) {
  m <- nrow(fit$points)
  if (fit$error_basis != "given") {
    return(list(sd = assumed_scaling_error, df = if (fit$error_basis == "measured") 1 else 4))
  }
  misfit <- min(vapply(fit$fits, function(one) one$rss / one$sd^2 / max(one$df, 1), 0))
  refused <- max(vapply(fit$fits, function(one) {
    if (one$df < 1) 1 else stats::pchisq(one$rss / one$sd^2, one$df, lower.tail = FALSE)
  }, 0)) < 0.01
  list(sd = fit$fits[[1]]$sd * if (refused) sqrt(misfit) else 1, df = Inf, refused = refused)
}

# One law given the points: a grid over its parameters (evenly in what is known beforehand, then
# finer where the points allow any), their chances, the level and its sd at each, and the law's own
# chance of these points (`evidence`, log).
law_posterior <- function(law, n, y, noise) {
  of <- scaling_laws[[law]]
  power <- law_powers[[law]]
  k <- length(power)
  m <- length(y)
  side <- if (k == 1) 200 else 40
  look <- function(from, to) {
    u <- Map(function(a, b) a + (b - a) * (seq_len(side) - 0.5) / side, from, to)
    u <- as.matrix(expand.grid(u))
    p <- sweep(u, 2, power, `^`)
    shape <- vapply(n, of$log_time, numeric(nrow(p)), p = lapply(seq_len(k), function(j) p[, j]))
    off <- rep(y, each = nrow(p)) - matrix(shape, nrow(p))
    level <- rowMeans(off)
    rss <- rowSums((off - level)^2)
    fit <- if (is.infinite(noise$df)) -rss / (2 * noise$sd^2)
           else -(noise$df + m - 1) / 2 * log1p(rss / (noise$df * noise$sd^2))
    list(u = u, p = p, level = level, rss = rss, fit = fit, size = prod(to - from))
  }
  from <- rep(0, k)
  to <- rep(1, k)
  for (finer in 1:2) {
    seen <- look(from, to)
    near <- seen$u[seen$fit > max(seen$fit) - 18, , drop = FALSE]
    step <- (to - from) / side
    from <- pmax(from, apply(near, 2, min) - step)
    to <- pmin(to, apply(near, 2, max) + step)
  }
  seen <- look(from, to)
  chance <- exp(seen$fit - max(seen$fit))
  list(law = law, p = seen$p, level = seen$level, rss = seen$rss, chance = chance, noise = noise,
       points = m, evidence = max(seen$fit) + log(mean(chance)) + log(seen$size))
}

# Draws of log time at n: laws by weight, parameters by their chances, the spread and the level
# given them.
scaling_draws <- function(fit, n, draws = 2000, seed = 1) {
  with_seed(seed, {
    law <- sample.int(length(fit$fits), draws, TRUE, fit$weight)
    out <- matrix(0, draws, length(n))
    for (k in unique(law)) {
      rows <- which(law == k)
      out[rows, ] <- if (fit$basis == "assumed")
        assumed_draws(fit$fits[[k]], fit$points, n, length(rows))
                     else law_draws(fit$posterior[[k]], n, length(rows))
    }
    out
  })
}

law_draws <- function(one, n, draws) {
  pick <- sample.int(length(one$chance), draws, TRUE, one$chance)
  noise <- one$noise
  sd <- if (is.infinite(noise$df)) noise$sd else {
    sqrt((noise$df * noise$sd^2 + one$rss[pick]) / stats::rchisq(draws, noise$df + one$points - 1))
  }
  t1 <- one$level[pick] + stats::rnorm(draws) * sd / sqrt(one$points)
  p <- lapply(seq_len(ncol(one$p)), function(j) one$p[pick, j])
  t1 + matrix(vapply(n, scaling_laws[[one$law]]$log_time, numeric(draws), p = p), draws)
}

assumed_draws <- function(one, points, n, draws) {
  t1 <- one$log_t1 + stats::rnorm(draws) * one$sd / sqrt(nrow(points))
  outer(t1, scaling_laws[[one$law]]$log_time(n, one$p), `+`)
}

#' @rdname fit_scaling
#' @param object A scaling fit.
#' @param level Level of the intervals of the mean time.
#' @param draws Number of draws.
#' @param ... Not used.
#' @return `predict()`: a tibble, one row an n: `n`, `seconds` (the laws' mean by weight), `lower`,
#'   `upper`, `speedup` (over n = 1), `efficiency` (speedup over n), `beyond` (whether n lies beyond
#'   what was measured).
#' @rawNamespace S3method(stats::predict, cp_scaling_fit)
predict.cp_scaling_fit <- function(object, n = sort(unique(object$points[["n"]])), level = 0.8,
                                   draws = 2000, ...) {
  n <- check_counts(n, argument("n"))
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  seconds <- scaling_mean(object, n)
  ends <- apply(scaling_draws(object, n, draws), 2, stats::quantile,
                c((1 - level) / 2, (1 + level) / 2), names = FALSE)
  speedup <- scaling_mean(object, 1) / seconds
  as_table(list(n = n, seconds = seconds, lower = pmin(exp(ends[1, ]), seconds),
                upper = pmax(exp(ends[2, ]), seconds), speedup = speedup, efficiency = speedup / n,
                beyond = n > max(object$points[["n"]])))
}

# The laws' mean log time by weight.
scaling_mean <- function(fit, n) {
  logs <- vapply(fit$fits, function(one) one$log_t1 + scaling_laws[[one$law]]$log_time(n, one$p),
                 numeric(length(n)))
  exp(drop(matrix(logs, length(n)) %*% fit$weight))
}

#' How many pay
#'
#' @param fit A [fit_scaling()].
#' @param price Money per hour: of each one (a number), or `c(fixed = , each = )` where something is
#'   paid however many there are. `NULL`: time alone counts.
#' @param most The largest number to look at; four times the largest measured by default.
#' @param least_gain The next one pays while it takes at least this share off the time.
#' @return A tibble of one row: `n` (least time; with a price: least money), its `seconds`, `lower`,
#'   `upper`, `efficiency`, `money` (`NA` without a price), `pays_until` (the n after which one more
#'   takes less than `least_gain` off the time), `beyond` (whether n lies beyond what was measured),
#'   `basis`.
#' @section Conditions: `clockpigeon_error_type` when `fit` is no scaling fit.
#' @examples
#' fit <- fit_scaling(c(1, 2, 4, 8, 16, 32), c(100, 55, 33, 24, 22, 26))
#' best_n(fit)
#' best_n(fit, price = c(fixed = 3, each = 0.5))
#' @export
best_n <- function(fit, price = NULL, most = 4 * max(fit$points[["n"]]), least_gain = 0.05) {
  check_class(fit, argument("fit"), "cp_scaling_fit", "fit_scaling()")
  most <- check_count(most, argument("most"))
  counts <- seq_len(min(most, 1e5))
  seconds <- scaling_mean(fit, counts)
  money <- NA_real_
  if (!is.null(price)) {
    if (!is.numeric(price) || anyNA(price) || any(price < 0) || !length(price) %in% 1:2) {
      stop_input("type", paste("got", show_value(price)), argument("price"),
                 "Give a price per hour of each one.")
    }
    fixed <- if ("fixed" %in% names(price)) price[["fixed"]] else 0
    each <- if ("each" %in% names(price)) price[["each"]] else price[[1]]
    money <- seconds / 3600 * (fixed + each * counts)
  }
  n <- if (is.null(price)) which.min(seconds) else which.min(money)
  at <- as_frame(predict.cp_scaling_fit(fit, n))
  gains <- 1 - seconds[-1] / seconds[-length(seconds)]
  stops <- which(gains < least_gain)
  as_table(list(n = n, seconds = at$seconds, lower = at$lower, upper = at$upper,
                efficiency = at$efficiency, money = if (is.null(price)) NA_real_ else money[n],
                pays_until = if (length(stops)) stops[1] else length(counts), beyond = at$beyond,
                basis = fit$basis))
}
