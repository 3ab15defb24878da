test_that("the demo's usages are read, and priced by what they name", {
  project <- read_project(demo_file())
  expect_setequal(names(project$usages),
                  c("gears-saltmill", "basin-highgarret", "gallery-undertow"))
  x <- project$usages[["gears-saltmill"]]
  expect_equal(sum(x$rows$seconds), 380 + 13272 + 365 + 13127 + 270)
  expect_identical(summary(bill(x, project$sites$saltmill))$to_pay, 38.93)
  # What is named in the call comes before what the file names.
  expect_lt(summary(bill(x, project$sites$saltmill, tier = "patient"))$to_pay, 38.93)
})

test_that("a usage that cannot be read names the file and field", {
  usage <- function(row, ...)
    write_file(scratch(parent.frame()), "u.yaml", "usage: u", "site: s", ..., "rows:",
               paste("  -", row))
  expect_refusal(read_usage(usage("{node: a, time: 8.20}")), "duration",
                 c("u.yaml", "rows`[1], field `time`", "two ways"))
  expect_refusal(read_usage(usage("{node: a, data: 5}")), "unit", "MB")
  expect_refusal(read_usage(usage("{node: a, seconds: 5}")), "field", "seconds")
  x <- read_usage(usage("{node: a, time: 1h, power: 300 W, frame_size: 1920x1080, frames: 2}",
                        "this_month: {quantity: 3, amount: 4 GBP}"))
  expect_identical(x$rows$watts, 300)
  expect_identical(x$rows$megapixels, 2.0736)
  expect_refusal(bill(x, read_site(demo_file("sites/quayside.yaml"))), "currency", c("GBP", "EUR"))
})
