past_jobs <- function(y, site = "a", tier = "t", half = 0.3) {
  n <- length(y)
  data.frame(site = rep_len(site, n), tier = rep_len(tier, n), low = rep(-half, n), mid = rep(0, n),
             high = rep(half, n), y = y)
}
learned_from <- function(past, site = "a", tier = "t") {
  clockpigeon:::learned_of(clockpigeon:::learning_of(past), site, tier)
}

test_that("nothing is changed where nothing is known", {
  x <- learned_from(past_jobs(numeric()))
  expect_identical(x$bias, 0)
  expect_equal(x$width, 1, tolerance = 0.03)
  expect_identical(c(x$jobs, x$inside), c(0L, 0L))
})

test_that("a bias is taken over bit by bit, and other sites feel little of it", {
  biases <- vapply(c(1, 3, 10, 30), function(n) learned_from(past_jobs(rep(0.5, n)))$bias, 0)
  expect_true(all(diff(biases) > 0))
  expect_gt(biases[1], 0.15)
  expect_lt(biases[1], 0.45)
  expect_equal(biases[4], 0.5, tolerance = 0.06)
  many <- past_jobs(rep(0.5, 20))
  expect_lt(learned_from(many, "b")$bias, 0.12)
  expect_equal(learned_from(many, "a", "other")$bias, biases[4], tolerance = 0.15)
  # One odd job among many moves next to nothing.
  odd <- past_jobs(c(rep(0, 12), 3, rep(0, 3)))
  expect_lt(abs(learned_from(odd)$bias), 0.05)
})

test_that("the posterior mode is that of the stated model", {
  set.seed(5)
  past <- past_jobs(stats::rnorm(9, 0.3, 0.2), site = c("a", "b", "a"), tier = c("t", "t", "u"),
                    half = 0.4)
  fit <- clockpigeon:::fit_bias(past, clockpigeon:::learning_prior)
  sd <- 0.8 / (2 * stats::qnorm(0.9))
  minus <- function(effects) {
    names(effects) <- names(fit$effects)
    at <- effects[["all"]] + effects[paste("site", past$site)] +
      effects[paste("tier", past$site, past$tier)]
    kinds <- sub(" .*", "", names(effects))
    -sum(fit$weight * stats::dt((past$y - at) / sd, 4, log = TRUE)) -
      sum(stats::dnorm(effects, 0, unlist(clockpigeon:::learning_prior[kinds]), log = TRUE))
  }
  best <- stats::optim(fit$effects, minus, method = "BFGS", control = list(reltol = 1e-12))
  expect_equal(unname(fit$effects), unname(best$par), tolerance = 0.02)
})

test_that("ranges that were too narrow are widened, and those too wide narrowed, without harm by few jobs", {
  set.seed(8)
  width <- function(sd, n)
    learned_from(past_jobs(stats::rnorm(n, 0, sd), half = 0.3 * stats::qnorm(0.9)))$width
  wide <- mean(replicate(20, width(0.6, 25)))
  narrow <- mean(replicate(20, width(0.15, 25)))
  expect_gt(wide, 1.5)
  expect_lt(narrow, 0.75)
  expect_equal(mean(replicate(20, width(0.3, 4))), 1, tolerance = 0.12)
})

test_that("a change is noticed, and what was before is forgotten within five jobs", {
  set.seed(2)
  found <- replicate(30, {
    y <- c(stats::rnorm(12, 0, 0.2), stats::rnorm(5, 0.7, 0.2))
    x <- learned_from(past_jobs(y, half = 0.26))
    c(x$bias, x$changed)
  })
  expect_gt(mean(found[1, ] > 0.45), 0.8)
  expect_gt(mean(found[2, ] %in% 4:6), 0.7)
  # Without one it is seldom believed.
  none <- replicate(60, clockpigeon:::last_change(stats::rnorm(20, 0, 0.2), rep(0.2, 20)))
  expect_lt(mean(!is.na(none)), 0.15)
})

test_that("sites that are off by up to twice, with queues of heavy tails: ranges hold, medians are nearer", {
  # A few studios of bench/learn.R, which has three hundred.
  x <- do.call(rbind, lapply(1:6, sim_studio, jobs = 14))
  late <- x[x$known >= 8, ]
  expect_gt(mean(late$inside), 0.7)
  expect_lt(mean(late$inside), 0.95)
  expect_lt(mean(late$off), 0.75 * mean(late$off_as_is))
  honest <- do.call(rbind, lapply(1:4, sim_studio, jobs = 12, most = 0))
  expect_lt(mean(honest$width[honest$known >= 5]), 1.15)
})

test_that("a queue is learned by its hours, and that these differ is no change of the site", {
  set.seed(11)
  hours <- rep(c("6 to 12", "18 to 24"), 12)
  past <- past_jobs(ifelse(hours == "18 to 24", 1, 0) + stats::rnorm(24, 0, 0.2), half = 0.8)
  past$hours <- hours
  prior <- clockpigeon:::stage_priors$wait_s
  learning <- clockpigeon:::learning_of(past, prior)
  by_hours <- vapply(c("6 to 12", "18 to 24", "0 to 6"),
                     function(h) clockpigeon:::learned_of(learning, "a", "t", h)$bias, 0)
  expect_equal(unname(by_hours[1:2]), c(0, 1), tolerance = 0.25)
  # Of hours in which nothing was placed, what the site's others have in common.
  expect_gt(by_hours[[3]], 0.2)
  expect_lt(by_hours[[3]], 0.7)
  expect_true(is.na(clockpigeon:::learned_of(learning, "a", "t", "6 to 12")$changed))
  expect_length(learning$fit$effects, 5)
})

test_that("what stages explain, the whole does not learn again; honest queues stay as they are", {
  expect_equal(clockpigeon:::shift_of_sum(100, cbind(40, 10), cbind(2, 1)), log(1.4))
  expect_equal(clockpigeon:::failing_share(c(3, 1), c(20, 30)), 4.5 / 100)
  x <- do.call(rbind, lapply(1:3, sim_queues, jobs = 16))
  late <- x[x$known >= 8, ]
  expect_gt(mean(late$inside), 0.7)
  expect_lt(mean(late$off), mean(late$off_as_is))
  honest <- do.call(rbind, lapply(1:2, sim_queues, jobs = 10, busy = 0, most = 0, queue = Inf))
  expect_lt(mean(honest$off), 1.25 * mean(honest$off_as_is))
})
