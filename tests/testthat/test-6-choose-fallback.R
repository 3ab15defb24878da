# Two sites of one node; what is known of the slow one's speed varies from draw to draw.
fallback_state <- function(deadline, se = 0.4, draws = 200, prices = c("3.6", "36"),
                           confidence = 0.9) {
  x <- pair_of_sites(se = c(se, 0), prices = prices, draws = draws)
  scenario <- x$forecast$scenario
  asked <- list(deadline_s = deadline, budget = Inf, confidence = confidence, rule = "cheapest",
                together = TRUE)
  seconds <- clockpigeon:::frame_draws(x$forecast$scenario$jobs[[1]], draws, 1)
  clockpigeon:::with_lines(clockpigeon:::plan_state(scenario, asked, seconds, 1))
}

test_that("a fallback is what a plain reckoning of it gives, draw by draw", {
  state <- fallback_state(500)
  run <- clockpigeon:::check_split(state, c(1, 0), keep = TRUE)
  at <- 260
  found <- clockpigeon:::check_look(state, run, at, 2)
  log_speed <- clockpigeon:::part_draws(state, 1, NULL)$log_speed
  # 60 frames of 10 s one after the other on one node at 3.6 EUR an hour; the rest at speed 3 and 36
  # EUR an hour.
  each <- 10 / exp(log_speed)
  done <- floor(at / each + 1e-9)
  begun <- ceiling(at / each - 1e-9)
  needed <- done < found$fewer
  finish <- ifelse(needed, pmax(begun * each, at + (60 - begun) * 10 / 3), 60 * each)
  cost <- ifelse(needed, begun * each * 0.001 + (60 - begun) * 10 / 3 * 0.01, 60 * each * 0.001)
  expect_identical(found$needed, needed)
  expect_equal(found$finish, finish, tolerance = 1e-6)
  expect_equal(found$cost, cost, tolerance = 0.02)   # the meter counts started seconds, in cents
  expect_equal(found$p_both, mean(finish <= 500))
})

test_that("the threshold is the one that trying each gives", {
  set.seed(3)
  for (turn in 1:20) {
    n <- 80
    done <- sample(0:40, n, TRUE)
    on <- list(finish = rnorm(n, 100 - done, 10), cost = runif(n))
    rescued <- list(finish = rnorm(n, 70, 10), cost = 1 + runif(n))
    asked <- list(deadline_s = 90, budget = 2, confidence = sample(c(0.5, 0.8, 0.9), 1))
    found <- clockpigeon:::best_threshold(done, on, rescued, asked)
    tried <- vapply(0:41, function(fewer) {
      pick <- done < fewer
      f <- ifelse(pick, rescued$finish, on$finish)
      cost <- ifelse(pick, rescued$cost, on$cost)
      kept <- mean(f <= 90 & cost <= 2)
      c(if (kept >= asked$confidence) mean(cost) else Inf, kept)
    }, numeric(2))
    if (any(is.finite(tried[1, ]))) expect_equal(found$mean, min(tried[1, ]))
    else expect_equal(found$p, max(tried[2, ]))
  }
})

test_that("a fallback comes within 5 % of trying every moment and threshold", {
  expect_true(all(fallbacks_near_the_best(3)))
})

test_that("where it depends on the draws whether the likeliest moment fits, another is taken", {
  for (deadline in c(420, 470, 520)) {
    state <- fallback_state(deadline, se = 0.35, draws = 600)
    found <- clockpigeon:::find_fallback(state, list(c(1, 0)), Inf)
    run <- clockpigeon:::check_split(state, c(1, 0), keep = TRUE)
    grid <- lapply(deadline * seq(0.1, 0.9, by = 0.02),
                   function(at) clockpigeon:::check_look(state, run, at, 2))
    fits <- Filter(function(f) f$fits, grid)
    expect_gt(length(fits), 0)
    expect_lte(found$mean, 1.05 * min(vapply(fits, `[[`, 0, "mean")))
  }
})
