# Noise map and summary of a pair of 3840 x 2160 x 3 pictures, beside a C++ pass that only sums
# them: same compiler flags (R's own), same run, in turns, one thread.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
Rcpp::cppFunction("double sum_only(Rcpp::NumericVector a, Rcpp::NumericVector b) {
  const double *p = a.begin(), *q = b.begin();
  const R_xlen_t n = a.size();
  double of_a = 0, of_b = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    of_a += p[i];
    of_b += q[i];
  }
  return of_a + of_b;
}")
set.seed(1)
size <- c(2160, 3840, 3)
truth <- 0.5 + 0.3 * outer(sin(seq_len(size[1]) / 200), cos(seq_len(size[2]) / 300))
render <- function() array(as.vector(truth) + stats::rnorm(prod(size), sd = 0.02), size)
a <- render()
b <- render()
seconds <- function(code) system.time(code)[["elapsed"]]
invisible(gc(reset = TRUE))
before <- sum(gc()[, 2])
turns <- t(vapply(1:9, function(i) {
  c(sum = seconds(sum_only(a, b)), map = seconds(clockpigeon:::noise_map(a, b)),
    one = seconds(clockpigeon:::noise_between(a, b)))
}, numeric(3)))
say("sum_only_median", 1000 * stats::median(turns[, "sum"]), "ms")
say("noise_map_median", 1000 * stats::median(turns[, "map"]), "ms")
say("noise_map_speed_over_sum_median_of_turns", stats::median(turns[, "sum"] / turns[, "map"]),
    "ratio (at least 0.5 asked)")
say("noise_between_speed_over_sum_median_of_turns", stats::median(turns[, "sum"] / turns[, "one"]),
    "ratio (at least 0.5 asked)")
say("memory_beyond_the_pictures", sum(gc()[, 6]) - before, "MB")
say("noise_found_over_true", clockpigeon:::noise_between(a, b)$sd / 0.02, "ratio")
plain <- function() sqrt(mean((a - b)^2) / 2) / mean((a + b) / 2)
say("plain_r_over_ours_median",
    stats::median(replicate(3, seconds(plain()))) / stats::median(turns[, "one"]),
    "times as long, without tiles or outliers")
