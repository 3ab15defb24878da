# Looks that answer when they are told to.
told_looks <- function() {
  at <- new.env()
  at$asked <- list()
  at$look <- function(job, first) promises::promise(function(resolve, reject) {
    at$asked[[length(at$asked) + 1]] <- list(job = job, first = first, resolve = resolve,
                                             reject = reject)
  })
  at$turn <- function(until) for (k in 1:400) if (!until()) later::run_now(0.01)
  at
}
fake_session <- function(name) {
  at <- new.env()
  at$token <- name
  at$onSessionEnded <- function(f) at$end <- f
  at
}

test_that("a job is looked at once for all who look, one look after the other, as long as anybody does", {
  skip_if_not_installed("promises")
  skip_if_not_installed("later")
  at <- told_looks()
  follower <- clockpigeon:::page_follower(at$look, rest = 0.01)
  one <- fake_session("one")
  two <- fake_session("two")
  seen <- list(one = character(), two = character())
  follower$join("night", one, function(x) seen$one <<- c(seen$one, x$stands))
  follower$join("night", two, function(x) seen$two <<- c(seen$two, x$stands))
  expect_length(at$asked, 1)
  expect_true(at$asked[[1]]$first)
  at$asked[[1]]$resolve(list(stands = "a"))
  at$turn(function() length(at$asked) == 2)
  expect_identical(seen, list(one = "a", two = "a"))
  expect_false(at$asked[[2]]$first)
  # Who comes later has the last at once.
  late <- fake_session("late")
  had <- character()
  follower$join("night", late, function(x) had <<- c(had, x$stands))
  expect_identical(had, "a")
  one$end()
  at$asked[[2]]$reject("the ledger cannot be read")
  at$turn(function() length(at$asked) == 3)
  expect_identical(seen$one, "a")
  two$end()
  late$end()
  at$asked[[3]]$resolve(list(stands = "b"))
  for (k in 1:20) later::run_now(0.01)
  expect_length(at$asked, 3)
})

test_that("a job that is over is looked at no more, but when it is asked for", {
  skip_if_not_installed("promises")
  skip_if_not_installed("later")
  at <- told_looks()
  follower <- clockpigeon:::page_follower(at$look, rest = 0.01)
  follower$join("night", fake_session("one"), function(x) NULL)
  follower$again("night")
  at$asked[[1]]$resolve(list(over = TRUE))
  for (k in 1:20) later::run_now(0.01)
  expect_length(at$asked, 1)
  follower$again("night")
  expect_length(at$asked, 2)
  expect_null(follower$again("another"))
})

test_that("what was believed is added to with each look, and thinned", {
  x <- function(passed)
    list(draws = list(finish_s = passed + 1:100), passed_s = passed, came = c(1, Inf))
  belief <- data.frame(at_s = 0, there = 0, p10 = 5, p50 = 6, p90 = 7)
  for (passed in 1:1000) belief <- clockpigeon:::extend_belief(belief, x(passed), most = 50)
  expect_lte(nrow(belief), 51)
  expect_identical(belief$at_s[c(1, nrow(belief))], c(0, 1000))
  expect_false(is.unsorted(belief$at_s))
  expect_identical(belief$p50[nrow(belief)], 1050)
})
