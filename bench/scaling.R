# More threads and bands: real renders of the built-in engine, and 1,000 simulated fits with known
# truth.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 3, scientific = FALSE), unit, "\n")
pebble <- system.file("bin", "pebble", package = "clockpigeon")
picture <- tempfile(fileext = ".png")
render <- function(...) {
  said <- processx::run(pebble, c("--scene", "gallery", "--frame", "1", "--size", "320x192",
                                  "--samples", "8", "--out", picture, ...))$stdout
  number <- function(word) as.numeric(sub(paste0(".*\n", word, " ([0-9.]+).*"), "\\1", said))
  c(load = number("load"), compute = number("compute"))
}

# Threads, as many as there are, four runs of each in turns.
most <- parallel::detectCores()
threads <- rep(seq_len(most), 4)
seconds <- vapply(threads, function(n) render("--threads", n)[["compute"]], 0)
fit <- fit_scaling(threads, seconds)
print(fit)
say("threads_speedup_of_all", predict(fit, most)$speedup, paste("of", most))

# One frame over 1 to 16 helpers by bands: the frame is done when its slowest band is, load and all
# (each band is rendered by itself, one after the other, so that helpers do not share this machine).
bands <- c(1, 2, 4, 8, 16)
helpers <- rep(bands, 2)
parts <- lapply(helpers, function(n) {
  rows <- 192 / n
  vapply(seq_len(n), function(k)
         sum(render("--band", sprintf("%d-%d", (k - 1) * rows + 1, k * rows))), 0)
})
slowest <- vapply(parts, max, 0)
fit <- fit_scaling(helpers, slowest, unit = "helpers")
print(fit)
for (n in bands) {
  at <- which(helpers == n)
  say(paste0("bands_", n), mean(slowest[at]),
      sprintf("s a frame (fit %.3f), slowest band over mean band %.2f",
              predict(fit, n)$seconds,
                                                     mean(vapply(parts[at], function(p) max(p) /
                                                                 mean(p), 0))))
}
advice <- spread_advice(list(seconds = rep(mean(slowest[helpers == 1]), 24), load_s = 0.01),
                        rep(1, 8))
cat("#", advice$sentence, "\n")

# Truth: 500 of each law, times at 1 to 32, twice, 5 % spread.
set.seed(8)
n <- rep(c(1, 2, 4, 8, 16, 32), 2)
held <- function(x, truth) x$lower <= truth & truth <= x$upper
hit <- vapply(1:500, function(i) {
  share <- runif(1, 0.02, 0.3)
  noisy <- function(coherence) 100 * (1 + share * (n - 1) + coherence * n * (n - 1)) / n *
    exp(rnorm(12, 0, 0.05))
  c(held(confint(fit_scaling(n, noisy(0)), "amdahl"), c(100, share)),
    held(confint(fit_scaling(n, noisy(0.004)), "usl"), c(100, share, 0.004)))
}, logical(5))
rates <- 100 * rowMeans(hit)
names(rates) <- c("amdahl_t1", "amdahl_serial", "usl_t1", "usl_contention", "usl_coherence")
for (k in names(rates))
  say(paste0("interval_95_holds_", k), rates[[k]], "% of 500 fits (93 to 97 asked)")
