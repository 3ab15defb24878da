# Prior of a shot's frame times.

# A frame that stands out is this many times as slow as the others, where no complete shot has told;
# in a shot whose heavy frames no probe met.
assumed_heavy <- 2

new_prior <- record_type("cp_prior", full = is.list, cheap = is.list, rate = is.numeric,
                         heavy = is.numeric, shots = is.numeric, heavy_factor = is.numeric)

#' Prior of the frames of a shot
#'
#' How log frame times vary along a shot before any is measured: their standard deviation along the
#' shot (`sd`), the length over which they stay alike, as a share of the shot (`range`), the spread
#' of each frame for itself (`own`), all log-normal, and the share of frames that stand out (`rate`,
#' beta), each slower by a factor of exp(0.6) on average, with a standard deviation of 0.5 of its
#' log. With a cheap pass the first three are of what the cheap times leave.
#'
#' The default is weak and assumed; `learn_curve_prior()` replaces it by what complete shots teach.
#'
#' @param sd,range,own,cheap_sd,cheap_range,cheap_own Each `c(median, sd of the log)`.
#' @param rate `c(mean, weight in frames)` of the share of frames that stand out.
#' @param heavy_factor How many times as slow as the others frames are that stand out and that no
#'   probe met.
#' @return A list of class `cp_prior`.
#' @section Conditions: `clockpigeon_error_type` when a number is not above 0.
#' @noRd
curve_prior <- function(sd = c(0.35, 0.6), range = c(0.2, 0.9), own = c(0.08, 0.7),
                        cheap_sd = c(0.08, 0.8), cheap_range = c(0.3, 0.8),
                        cheap_own = c(0.07, 0.6), rate = c(0.007, 10),
                        heavy_factor = assumed_heavy) {
  pair <- function(x, name) {
    if (!is.numeric(x) || length(x) != 2 || !all(is.finite(x)) || any(x <= 0)) {
      stop_input("type", paste("got", show_value(x)), argument(name), "Give two numbers above 0.")
    }
    as.numeric(x)
  }
  new_prior(list(
    full = list(sd = pair(sd, "sd"), range = pair(range, "range"), own = pair(own, "own")),
    cheap = list(sd = pair(cheap_sd, "cheap_sd"), range = pair(cheap_range, "cheap_range"),
                 own = pair(cheap_own, "cheap_own")),
    rate = pair(rate, "rate"), heavy = c(0.6, 0.5), shots = 0L,
    heavy_factor = check_number(heavy_factor, argument("heavy_factor"), least = 1, most = 1000)
  ))
}

# As the compiled model takes it, for a shot of these frames.
prior_of_shot <- function(prior, frames, cheap) {
  of <- if (cheap) prior$cheap else prior$full
  long <- max(diff(range(frames)), 2)
  list(mean = log(c(of$sd[1], of$range[1] * long, of$own[1])),
       spread = c(of$sd[2], of$range[2], of$own[2]),
       rate = prior$rate[2] * c(prior$rate[1], 1 - prior$rate[1]), heavy = prior$heavy)
}

# Points of the prior of (sd, range, own), evenly in its quantiles (Halton 1960), and rate: a matrix
# of n rows.
prior_points <- function(beforehand, n) {
  halton <- function(base) {
    vapply(seq_len(n), function(i) {
      f <- 1
      at <- 0
      while (i > 0) {
        f <- f / base
        at <- at + f * (i %% base)
        i <- i %/% base
      }
      at
    }, 0)
  }
  at <- vapply(c(2, 3, 5), halton, numeric(n))
  z <- stats::qnorm(at)
  cbind(exp(t(beforehand$mean + beforehand$spread * t(z))), 0)
}
