# Sixty frames of 10 s: slow does them in 600 s for 0.60 EUR, quick in 200 s for 2.
written <- function(..., name = "mine.yaml") write_file(scratch(parent.frame()), name, ...)
parts_of <- function(...)
  c("parts:", sprintf("  - {option: '%s', frames: %s}", c(...)[c(TRUE, FALSE)],
                      c(...)[c(FALSE, TRUE)]))
slow <- "slow t, 1 node"
quick <- "quick t, 1 node"

test_that("a plan of one's own is simulated as it is written, and held against the best", {
  x <- pair_of_sites(500)
  mine <- written(parts_of(slow, "s 1-30", quick, "s 31-60"))
  choice <- choose_option(x$forecast, 500, plans = mine)
  expect_true(choice$plan$stated)
  expect_identical(choice$plan$kind, "sides")
  expect_identical(choice$plan$parts$count, c(30L, 30L))
  expect_equal(stats::median(choice$plan$draws$finish_s), 300)
  expect_equal(choice$plan$mean, 0.3 + 1, tolerance = 0.02)
  best <- choose_option(x$forecast, 500)$plan
  expect_equal(choice$plan$rivals[[1]]$mean, best$mean)
  expect_lt(best$mean, choice$plan$mean)
  said <- clockpigeon:::answer_words(choice)
  expect_match(said[["do"]],
               "As written: render s 1-30 at slow t, 1 node; s 31-60 at quick t, 1 node. Better: ",
               fixed = TRUE)
  rows <- clockpigeon:::answer_rows(choice)
  expect_identical(rows$mark[1:2], c(">", "+"))
  expect_equal(rows$cost[2], best$mean)
  # One part without frames is all of them.
  alone <- choose_option(x$forecast, 500,
                         plans = written(paste0("parts: [{option: '", quick, "'}]")))
  expect_identical(alone$plan$kind, "one")
  expect_equal(alone$plan$parts$count, 60L)
})

test_that("a fallback of one's own looks when it says, and sends what it says", {
  x <- pair_of_sites(500, se = c(0.4, 0))
  path <- written(parts_of(slow, "s 1-60"), "look: {at: 260 s, fewer: 30}",
                  paste0("rescue: {option: '", quick, "'}"))
  plan <- choose_option(x$forecast, 500, plans = path)$plan
  expect_identical(plan$kind, "fallback")
  expect_equal(unlist(plan$look), c(at_s = 260, fewer = 30, of = 60))
  log_speed <- x$forecast$draws$log_speed[x$forecast$draws$option == slow]
  each <- 10 / exp(log_speed)
  needed <- floor(260 / each + 1e-9) < 30
  expect_equal(plan$draws$needed, needed & ceiling(260 / each) < 60)
  expect_equal(plan$draws$finish_s, ifelse(needed, pmax(ceiling(260 / each - 1e-9) * each,
                                                        260 + (60 - ceiling(260 / each - 1e-9)) *
                                                        10 / 3), 60 * each),
               tolerance = 1e-6)
  none <- written(parts_of(slow, "s 1-60"), "look: {at: 260 s, fewer: 1}",
                  paste0("rescue: {option: '", quick, "'}"))
  never <- choose_option(x$forecast, 3000, plans = none)
  expect_equal(never$plan$needed, 0)
  expect_no_match(clockpigeon:::answer_words(never)[["risk"]], "NaN|NA ")
})

test_that("the plan of a decision's record can be asked about again", {
  x <- pair_of_sites(500, se = c(0.4, 0))
  expect_identical(x$plan$kind, "fallback")
  path <- file.path(scratch(), "kept")
  record_choice(x, path)
  again <- choose_option(x$forecast, 500, plans = paste0(path, ".json"))$plan
  expect_identical(again$parts$option, x$plan$parts$option)
  expect_equal(again$look[c("fewer", "of")], x$plan$look[c("fewer", "of")])
  # the record tells it to the second
  expect_equal(again$look$at_s, x$plan$look$at_s, tolerance = 1 / 200)
  expect_equal(again$mean, x$plan$mean, tolerance = 0.02)
})

test_that("a plan that cannot be carried out is one clear error", {
  x <- pair_of_sites(500)
  refused <- function(topic, says, ...) {
    expect_refusal(choose_option(x$forecast, 500, plans = written(...)), topic,
                   c("mine.yaml", says))
  }
  rescue <- paste0("rescue: {option: '", quick, "'}")
  all <- parts_of(slow, "s 1-60")
  refused("deadline", "has passed", all, "look: {at: 2026-11-24 11:00, fewer: 30}", rescue)
  refused("plan", "when the deadline has passed", all, "look: {at: 600 s, fewer: 30}", rescue)
  refused("plan", "of 60", all, "look: {at: 200 s, fewer: 61}", rescue)
  refused("plan", "is busy with the frames", all, "look: {at: 200 s, fewer: 30}",
          sub("quick", "slow", rescue))
  refused("plan", "a look and no rescue", all, "look: {at: 200 s, fewer: 30}")
  refused("plan", "names the site slow twice", parts_of(slow, "s 1-30", slow, "s 31-60"))
  refused("plan", "frame 31 of s in two parts", parts_of(slow, "s 1-31", quick, "s 31-60"))
  refused("plan", "20 frames in no part, the first frame 41 of s",
          parts_of(slow, "s 1-30", quick, "s 31-40"))
  refused("frames", "that are not of s", parts_of(slow, "s 1-61"))
  refused("frames", "no shot 't'", parts_of(slow, "t 1-60"))
  refused("option", "no option is called 'slow'", parts_of("slow", "s 1-60"))
  refused("option", "Did you mean", parts_of("slow t, 2 node", "s 1-60"))
  refused("plan", "without frames beside others",
          paste0("parts: [{option: '", slow, "'}, {option: '", quick, "'}]"))
  refused("field", "parts", "look: {at: 200 s, fewer: 30}")
  other <- x$forecast
  other$scenario$jobs$more <- other$scenario$jobs[[1]]
  other$scenario$options$limit[2] <- "samples 4"
  names(other$scenario$jobs)[2] <- clockpigeon:::job_key(as.data.frame(other$scenario$options)[2, ])
  expect_refusal(choose_option(other, 500, plans = written(parts_of(slow, "s 1-30", quick,
                                                                    "s 31-60"))), "plan",
                 "another engine or limit")
  later <- x$forecast
  later$scenario$options$begin_s <- c(0, 100)
  expect_refusal(choose_option(later, 500, plans = written(all, "look: {at: 200 s, fewer: 30}",
                                                           rescue)), "plan",
                 "starts at its own time")
  expect_refusal(choose_option(x$forecast, 500, plans = "no.yaml"), "file", "no.yaml")
  expect_refusal(choose_option(x$forecast, 500, plans = 3), "type", "plans")
})
