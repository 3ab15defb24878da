test_that("a deadline that no single site meets is met by several, and the answer says so", {
  skip_if_not_installed("lpSolve")
  # 60 frames of 10 s: slow alone takes 600 s, quick 200 s, both together 150 s.
  x <- pair_of_sites("170 s", draws = 50)
  expect_true(is.na(x$pick))
  expect_identical(x$plan$kind, "sides")
  expect_true(x$plan$fits)
  expect_identical(sum(x$plan$parts$count), 60L)
  expect_setequal(x$plan$parts$site, c("slow", "quick"))
  expect_match(clockpigeon:::answer_words(x)[["do"]], "No single site is fast enough")
  expect_identical(clockpigeon:::choice_status(x), 0L)
  none <- pair_of_sites("100 s", draws = 50)
  expect_false(none$plan$fits)
  expect_identical(clockpigeon:::choice_status(none), 3L)
})

test_that("a start with a fallback is taken where it costs least, and is never dearer than the pick", {
  # Slow and cheap, its speed hardly known; quick and ten times as dear an hour.
  x <- pair_of_sites("620 s", se = c(0.3, 0.01), draws = 400)
  plan <- x$plan
  expect_true(plan$fits)
  expect_lte(plan$mean, x$options$cost_mean[x$options$pick])
  looks <- Filter(function(p) p$kind == "fallback", c(list(plan), plan$rivals))
  expect_length(looks, 1)
  one <- looks[[1]]
  expect_gt(one$needed, 0)
  expect_gt(one$look$at_s, 0)
  expect_lt(one$look$at_s, 620)
  expect_identical(one$rescue$site, "quick")
  # Where it is not needed it costs what the start costs; on average what both say.
  d <- one$draws
  expect_equal(one$mean, mean(d$cost))
  expect_equal(one$cost_needed, mean(d$cost[d$needed]))
  expect_gt(one$cost_needed, mean(d$cost[!d$needed]))
})

test_that("the fastest is done sooner by several side by side, within the budget", {
  skip_if_not_installed("lpSolve")
  # Slow does a frame in 10 s, quick in 10/3: 15 and 45 frames end together, after 150 s, for 0.15 +
  # 1.50 EUR.
  x <- pair_of_sites("300 s", rule = "fastest", draws = 50)
  expect_identical(x$plan$kind, "sides")
  expect_lte(stats::median(x$plan$draws$finish_s), 160)
  expect_identical(sort(x$plan$parts$count), c(15L, 45L))
  expect_match(clockpigeon:::answer_words(x)[["done"]],
               "The fastest single option, quick t, 1 node: ")
  # 1.20 EUR pay for 33 frames of quick (1.11 EUR) at most: the rest takes 270 s at slow.
  poor <- pair_of_sites("500 s", budget = 1.2, rule = "fastest", draws = 50)
  expect_identical(poor$plan$kind, "sides")
  expect_true(all(poor$plan$draws$cost <= 1.2))
  best <- min(vapply(1:59, function(k) {
    if (k * 0.01 + (60 - k) * 0.1 / 3 <= 1.2) max(k * 10, (60 - k) * 10 / 3) else Inf
  }, 0))
  expect_lte(stats::median(poor$plan$draws$finish_s), 1.06 * best)
  # Without a deadline too.
  expect_lte(stats::median(pair_of_sites(rule = "fastest", draws = 50)$plan$draws$finish_s), 160)
})

test_that("without a deadline, by the best picture or on request the plan is the pick", {
  for (x in list(pair_of_sites(draws = 50), pair_of_sites("300 s", rule = "best", draws = 50),
                 pair_of_sites("300 s", plans = FALSE, draws = 50))) {
    expect_identical(x$plan$kind, "one")
    expect_identical(x$plan$parts$option, x$pick)
  }
})

test_that("a budget of nothing, and a deadline of minutes for a day's work, are answers", {
  broke <- pair_of_sites("1000 s", budget = 0, draws = 50)
  expect_false(broke$plan$fits)
  late <- pair_of_sites("5 s", draws = 50)
  expect_match(clockpigeon:::answer_words(late)[["do"]],
               "No plan keeps your limits .* a deadline .* later would admit")
})

test_that("of plans that cost the same the plainest is taken", {
  pick <- clockpigeon:::simplest_plan
  expect_identical(pick(c(TRUE, TRUE, TRUE), c(8.2, 7.30, 7.28), c(1, 1, 1)), 2L)
  expect_identical(pick(c(TRUE, TRUE, TRUE), c(8.2, 7.40, 7.28), c(1, 1, 1)), 3L)
  expect_identical(pick(c(FALSE, TRUE, TRUE), c(7, 7.40, 7.41), c(0.8, 1, 1)), 2L)
  expect_identical(pick(c(FALSE, FALSE), c(7, 9), c(0.5, 0.8)), 2L)
})
