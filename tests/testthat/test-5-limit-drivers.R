# A study whose times and noises are made from known factors.
made_study <- function(interaction = 1) {
  at <- expand.grid(fog = c("off", "on"), lens = c("off", "on"), width = c(100L, 200L), frame = 1L,
                    stringsAsFactors = FALSE)
  set.seed(4)
  fits <- lapply(seq_len(nrow(at)), function(i) {
    each <- 0.1 * (if (at$fog[i] == "on") 2 else 1) * (if (at$lens[i] == "on") 1.25 else 1) *
      (at$width[i] / 100)^(2 * 0.9) *
        (if (at$fog[i] == "on" && at$lens[i] == "on") interaction else 1)
    n <- rep(c(4, 16, 64), each = 2)
    fit_limit(n, each * n * (1 + rnorm(6, sd = 0.01)),
              (if (at$fog[i] == "on") 1.5 else 1) / sqrt(n), c(noise = 0.01), floor = FALSE)
  })
  features <- sprintf("{\"fog\":\"%s\",\"lens\":\"%s\"}", at$fog, at$lens)
  frames <- data.frame(frame = at$frame, features = features, width = at$width, height = at$width)
  structure(list(frames = frames, fits = fits), class = "cp_study")
}

test_that("each change alone is told: time, noise, and time of equal noise", {
  x <- time_drivers(made_study())
  fog <- x[x$what == "fog", ]
  expect_identical(nrow(fog), 4L)
  expect_equal(fog$time, rep(2, 4), tolerance = 0.05)
  expect_true(all(fog$time_lower < 2 & fog$time_upper > 2))
  expect_equal(fog$noise, rep(1.5, 4), tolerance = 1e-6)
  expect_equal(fog$equal_noise, fog$time * 1.5^2, tolerance = 1e-6)
  expect_equal(x$power[x$what == "size"], rep(0.9, 4), tolerance = 0.02)
  expect_equal(x$time[x$what == "lens"], rep(1.25, 4), tolerance = 0.05)
  expect_gt(min(fog$interacts), 0.01)
})

test_that("features that interact are told, and one setting says nothing", {
  x <- time_drivers(made_study(interaction = 1.6))
  expect_lt(max(x$interacts[x$what == "fog"]), 0.01)
  expect_output(cat(clockpigeon:::driver_lines(x), sep = "\n"), "They interact: fog, lens")
  study <- made_study()
  study$frames <- study$frames[1, ]
  study$fits <- study$fits[1]
  expect_refusal(time_drivers(study), "limit", "one setting")
})
