# A placed job as far as the last look needs it.
place_of <- function(x, ...)
  utils::modifyList(plan_place(x$project, x$ledger, "review-1"), list(...))
codes <- function(place, ledger) {
  found <- clockpigeon:::last_look(place, ledger)
  found$code[found$weight == "stops"]
}

test_that("each thing in the way is found, with what would cure it", {
  skip_if_not_installed("mirai")
  x <- decided()
  place <- plan_place(x$project, x$ledger, "review-1")
  expect_identical(codes(place, x$ledger), character())
  # Time passes, money runs out.
  late <- plan_place(x$project, x$ledger, "review-1", now = this_moment() + 29.99 * 60)
  found <- late$findings
  expect_true("late" %in% found$code)
  expect_match(found$what[found$code == "late"], "required: 90 %")
  expect_match(plan_place(x$project, x$ledger, "review-1",
                          now = this_moment() + 3600)$findings$what[1], "has passed")
  poor <- place
  poor$judged$p_budget <- 0.4
  expect_identical(codes(poor, x$ledger), "dear")
  # The plan counts on more nodes than there are; nodes that are not ready.
  more <- place
  more$parts$nodes <- 2L
  expect_identical(codes(more, x$ledger), "fewer")
  lost <- place
  lost$state$job$version <- "9.9"
  expect_identical(codes(lost, x$ledger), "nodes")
  spread <- place
  spread$parts$spread <- "layers"
  expect_identical(codes(spread, x$ledger), "spread")
  strange <- place
  strange$state$job$engine <- "sundew"
  expect_identical(codes(strange, x$ledger), "engine")
  # More pictures than the disk takes.
  full <- place
  full$state$job$shots[[1]]$frame_size <- 1e15
  expect_identical(codes(full, x$ledger), "disk")
  look <- place
  look$decision$plan$look <- list(at = "2026-11-24T12:00:00Z", fewer = 3)
  look$judged$late_look <- TRUE
  expect_identical(codes(look, x$ledger), "look")
  known <- clockpigeon:::finding_codes
  expect_true(all(c("late", "dear", "fewer", "nodes", "spread", "engine", "disk", "look") %in%
                  known))
})

test_that("a shot or card that changed since stops it, another site's does not", {
  skip_if_not_installed("mirai")
  x <- decided()
  card <- file.path(x$folder, "sites/attic.yaml")
  writeLines(sub("0.31 EUR", "0.62 EUR", readLines(card)), card)
  write_file(x$folder, "sites/saltmill.yaml", readLines(file.path(x$folder, "sites/saltmill.yaml")),
             "# touched")
  found <- plan_place(read_project(x$folder), x$ledger, "review-1")$findings
  expect_identical(found$code[found$weight == "stops"], "changed")
  expect_match(found$what[1], "attic.* is not as when it was decided")
})

test_that("the check's findings that block are here too, and balances and blind speeds are told", {
  skip_if_not_installed("mirai")
  x <- decided()
  at <- file.path(x$folder, "shots/gears-review.yaml")
  writeLines(sub("^scene: gears", "scene: lost/wheels.txt", readLines(at)), at)
  project <- read_project(x$folder)
  place <- plan_place(x$project, x$ledger, "review-1")
  place$project <- project
  expect_setequal(codes(place, x$ledger), c("changed", "check"))
  place <- plan_place(x$project, x$ledger, "review-1")
  place$parts$kind <- "sheet"
  place$parts$full_p90 <- 100
  place$project$sites$attic$balances <- list(list(balance = "card", kind = "prepaid", amount = 40))
  place$state$options$evidence <- "claimed"
  found <- clockpigeon:::last_look(place, x$ledger)
  expect_match(found$what[found$code == "balance"],
               "charged up to 100.00 EUR in 9 of 10 cases; prepaid money pays 40.00 EUR")
  # A gift needs no topping up; what it does not pay is billed.
  place$project$sites$attic$balances <- list(list(balance = "welcome", kind = "gift", amount = 40))
  gift <- as.data.frame(clockpigeon:::balance_findings(place))
  expect_match(gift$what, "balances given there pay 40.00 EUR")
  expect_identical(gift$cure, "Expect a bill of up to 60.00 EUR.")
  place$parts$full_p90 <- 40
  expect_null(clockpigeon:::balance_findings(place))
  place$parts$full_p90 <- 100
  expect_match(found$what[found$code == "trial"], "the speed of attic is claimed")
})
