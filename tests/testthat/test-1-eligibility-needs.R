needs <- function(...) utils::modifyList(list(engine = "sundew", version = "4.2"), list(...))
able <- function(...) utils::modifyList(list(versions = list(sundew = c("4.1", "4.2"))), list(...))
fit <- function(needs, can, field = NULL, engines = "sundew") {
  rows <- clockpigeon:::eligibility_rows(needs, can, engines)
  if (is.null(field)) rows else rows[rows$field == field, ]
}

test_that("versions fit exactly or within bounds; candidates and unknown ranges are told apart", {
  answer <- function(want, have)
    fit(needs(version = want), list(versions = list(sundew = have)))$answer
  expect_identical(answer("4.2", c("4.1", "4.2")), "fits")
  expect_identical(answer("4.2", ">=4.0 <4.3"), "fits")
  expect_identical(answer("4.2", "any"), "fits")
  expect_identical(answer(">=4.2", c("4.1", "4.3-rc1")), "does not fit")
  expect_identical(answer(">=4.2", ">=4.0"), "unknown")
  expect_match(fit(needs(version = ">=4.3"),
                   able(versions = list(sundew = c("4.2", "4.3-rc1"))))$says,
               "4.3-rc1 only a candidate")
  expect_identical(fit(needs(), list())$answer, "unknown")
  no_engine <- fit(needs(), able(), engines = "millrace")
  expect_identical(c(no_engine$answer, no_engine$needs), c("does not fit", "sundew"))
  expect_match(no_engine$says, "ask it to install that")
})

test_that("add-ons and host programs are asked by name and version", {
  wants <- needs(add_ons = list(mist = "any"), hosts = list(drafter = ">=3 <4"))
  x <- fit(wants, able(add_ons = list(mist = "1.0"), hosts = list(drafter = "2.9")))
  expect_identical(x$answer, c("fits", "fits", "does not fit"))
  expect_match(x$says[3], "ask it for drafter >=3 <4, or render with drafter 2.9")
  expect_identical(fit(wants, able())$answer[2:3], c("unknown", "unknown"))
  expect_match(fit(wants, able(add_ons = list(rain = "any")), "add-on")$says, "has no mist")
})

test_that("memory, device memory with and without spill, and caps on sending are amounts", {
  answer <- function(field, needs, can) fit(needs, can, field)$answer
  expect_identical(answer("memory", needs(memory = 2e9), able(memory = 4e9)), "fits")
  expect_identical(answer("memory", needs(memory = 8e9), able(memory = 4e9)), "does not fit")
  expect_identical(answer("memory", needs(memory = 8e9), able()), "unknown")
  large <- needs(device_memory = 20e9)
  expect_identical(answer("device memory", large, able(device_memory = 16e9, spill = TRUE)), "fits")
  expect_identical(answer("device memory", large, able(device_memory = 16e9, spill = FALSE)),
                   "does not fit")
  expect_identical(answer("device memory", large, able(device_memory = 16e9)), "unknown")
  expect_identical(answer("upload", needs(upload = 2e9), able(upload_cap = 1e9)), "does not fit")
  expect_length(answer("upload", needs(upload = 2e9), able()), 0)
})

test_that("kinds of devices need one in common; limits, cameras, outputs, channels and spreads all", {
  x <- fit(needs(devices = c("cpu", "gpu"), limits = c("samples", "noise"), outputs = "exr",
                 channels = "depth", cameras = "wide", spread = "bands"),
           able(devices = "gpu", limits = "samples", outputs = c("png", "exr"), channels = "colour",
                cameras = "wide"))
  expect_identical(stats::setNames(x$answer, x$field)[-1],
                   c("device kind" = "fits", limit = "does not fit", camera = "fits",
                     output = "fits", channel = "does not fit", spread = "unknown"))
  expect_match(x$says[x$field == "limit"], "does not take noise: change the shot to samples")
})

test_that("the cap on a frame's time is held against the yardstick machine", {
  cap <- list(time = 1200, on = "Quern 40")
  answer <- function(...) fit(needs(...), able(frame_cap = cap), "frame time")
  expect_identical(answer(slowest = 2000, speeds = list("Quern 40" = 2))$answer, "fits")
  slow <- answer(slowest = 3000, speeds = list("Quern 40" = 2))
  expect_identical(slow$answer, "does not fit")
  expect_match(slow$says, "25m00s on a Quern 40, above the cap of 20m00s")
  expect_identical(answer(slowest = 3000, speeds = list("Quern 80" = 2))$answer, "unknown")
})

test_that("confidential work goes nowhere that shows it, and the worst answer is the site's", {
  answer <- function(...) fit(needs(confidential = TRUE), able(...), "confidential")$answer
  expect_identical(c(answer(), answer(helpers_see_frames = TRUE),
                     answer(helpers_see_frames = FALSE)),
                   c("unknown", "does not fit", "fits"))
  expect_identical(clockpigeon:::eligibility_answer(c("fits", "unknown", "fits")), "unknown")
  expect_identical(clockpigeon:::eligibility_answer(c("unknown", "does not fit")), "does not fit")
})

test_that("a community farm asks for a balance and for jobs of a size", {
  farm <- function(earned)
    list(currency = "shells", balances = list(list(kind = "earned", amount = earned)),
         community = list(entry = 200, smallest_job = 1800))
  answer <- function(earned, total)
    clockpigeon:::eligibility_community(list(total = total), farm(earned))
  expect_identical(answer(200, 1800)$answer, c("fits", "fits"))
  poor <- answer(150, 60)
  expect_identical(poor$answer, c("does not fit", "does not fit"))
  expect_match(poor$says, "asks 200 shells to enter, you have 150 shells|refuses jobs under 30m00s")
  expect_null(clockpigeon:::eligibility_community(list(total = 1), list()))
})

test_that("memory that was measured counts where the card says how much there is, and is no question elsewhere", {
  answer <- function(can) fit(needs(measured_memory = 5e9), can, "memory")$answer
  expect_identical(answer(able(memory = 4e9)), "does not fit")
  expect_identical(answer(able(memory = 8e9)), "fits")
  expect_length(answer(able()), 0)
})
