skip_unless_long()

# The worst faults that an audit found, each by a small simulation with known truth; bench/truth.R
# asks all of them at length. The figures in comments are those of the fault.

test_that("a job is covered although its session and that of its probes differ", {
  # 53 % where the drift was counted once. Every frame is measured, so that nothing but the sessions
  # is unsure.
  shot <- exact_job(10, frames = 12L)$shots[[1]]
  rows <- function(plan, day, frames, level, scene = "s") {
    some_timings(10 * exp(level + rnorm(length(frames), 0, 0.01)), frame = frames, scene = scene,
                 plan_id = plan, measured_at = sprintf("2026-10-%02dT08:00:00Z", day))
  }
  set.seed(21)
  covered <- replicate(150, {
    drift <- function() rnorm(1, 0, 0.1)
    past <- do.call(rbind, lapply(1:7, function(s) rows(paste0("p", s), s, 1:5, drift(), "other")))
    job <- render_job(shot, "e", rbind(past, rows("q", 20, 1:12, drift())))
    speed <- clockpigeon:::drifted_speed(job, list(log_factor = 0, se = 0))
    off <- quantile(log(rowSums(clockpigeon:::frame_draws(job, 200, 1))) +
                    speed$se * rt(200, speed$df), c(0.1, 0.9))
    truth <- log(120) + drift()
    off[[1]] <= truth && truth <= off[[2]]
  })
  expect_gte(mean(covered), 0.74)
})

test_that("five points of the universal law leave it in, also far beyond", {
  # 50, 2 and 0 % at 8, 32 and 64, the law's weight 0.
  law <- function(n) 100 * (1 + 0.05 * (n - 1) + 0.002 * n * (n - 1)) / n
  set.seed(22)
  found <- replicate(40, {
    n <- c(1, 2, 4, 8, 16)
    fit <- fit_scaling(n, law(n) * exp(rnorm(5, 0, 0.04)))
    p <- predict(fit, c(8, 32, 64), draws = 400)
    c(fit$laws$weight[fit$laws$law == "usl"] > 0.01, p$lower <= law(p$n) & law(p$n) <= p$upper)
  })
  expect_true(all(found[1, ]))
  expect_true(all(rowMeans(found[-1, ]) >= c(0.7, 0.6, 0.6)))
})

test_that("glaring pixels stay in the noise, which then falls as the law says", {
  # samples_for() asked 25 to 27 where 1024 are needed.
  set.seed(23)
  picture <- function(n)
    array(0.5 + 40 * rbinom(96^2 * 3, n, 4e-4) / n + rnorm(96^2 * 3, 0, 0.3 / sqrt(n)),
          c(96, 96, 3))
  counts <- c(4, 16, 64)
  seen <- lapply(counts, function(n) noise_between(picture(n), picture(n)))
  noise <- vapply(seen, `[[`, 0, "noise")
  true <- sqrt((1600 * 4e-4 + 0.09) / counts) / (0.5 + 40 * 4e-4)
  expect_equal(noise / true, rep(1, 3), tolerance = 0.12)
  expect_lt(seen[[1]]$noise_usual, 0.8 * noise[1])
  # Float pictures of an unbiased renderer have no floor.
  fit <- fit_limit(counts, noise = noise, error = list(noise = vapply(seen, `[[`, 0, "error")),
                   floor = FALSE)
  needed <- samples_for(fit, sqrt((1600 * 4e-4 + 0.09) / 1024) / (0.5 + 40 * 4e-4), 0.5)
  expect_gt(needed, 600)
  expect_lt(needed, 1700)
})

test_that("the error of the noise is right for independent, grey and filtered pixels", {
  # 1.8 times too wide for independent channels, 1.4 to 2.9 times too narrow for neighbours that
  # share light.
  set.seed(24)
  make <- function(kind) {
    x <- array(rnorm(64 * 64 * 3, 0, 0.1), c(64, 64, 3))
    if (kind != "independent") x[, , 2:3] <- x[, , 1]
    if (kind == "filtered") for (c in 1:3) x[, , c] <- 0.75 * x[, , c] + 0.25 * x[c(2:64, 1), , c]
    0.5 + x
  }
  for (kind in c("independent", "grey", "filtered")) {
    runs <- replicate(40, unlist(noise_between(make(kind), make(kind))[c("noise", "error")]))
    expect_equal(mean(runs["error", ]) / (sd(runs["noise", ]) / mean(runs["noise", ])), 1,
                 tolerance = 0.35)
  }
})

test_that("a count for a target is neither three times what is needed nor refused where there is no floor", {
  # 1244 asked where 417 do, refused in 31 %.
  set.seed(25)
  found <- replicate(150, {
    n <- c(4, 16, 64)
    fit <- fit_limit(n, noise = sqrt(1 / n) * (1 + rnorm(3, 0, 0.03)), error = c(noise = 0.03))
    tryCatch(samples_for(fit, 0.049, 0.9), clockpigeon_error_limit = function(e) NA)
  })
  expect_lt(mean(is.na(found)), 0.28)
  expect_lt(stats::median(found, na.rm = TRUE), 1.9 * 417)
  expect_gte(mean(found >= 416, na.rm = TRUE), 0.85)
})

test_that("two sessions that differ by chance give no verdict", {
  # A verdict in 79 %.
  set.seed(26)
  told <- replicate(60, {
    one <- function(plan, version) {
      some_timings(10 * exp(rnorm(1, 0, 0.05) + rnorm(18, 0, 0.02)), frame = rep(1:3, 6),
                   engine_version = version, plan_id = plan, "repeat" = rep(1:6, each = 3))
    }
    compare_timings(rbind(one("a", "1.0"), one("b", "1.1")), "engine_version")$verdict
  })
  expect_true(all(told == "no clear difference"))
})
