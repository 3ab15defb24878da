project <- read_project(demo_file())

test_that("a bill reads as what was used, what it costs, and what is left to pay", {
  x <- bill(project$usages[["basin-highgarret"]], project$sites$highgarret)
  text <- clockpigeon:::bill_text(x, 100)
  expect_match(text, "rendering, tier usual +20.175 +node-hour +2.95 +59.52", all = FALSE)
  expect_match(text, "autumn +-8.93 +15 % off the list price", all = FALSE)
  expect_match(paste(text, collapse = " "),
               "To pay: 7.61 EUR (list price 59.52, discount 11.91, tax 10.00, credit used 50.00).",
               fixed = TRUE)
  expect_output(print(x), "To pay: 7.61 EUR")
  both <- bill(project$usages[["gears-saltmill"]], project$sites$saltmill,
               to = in_currency("EUR", project$rates))
  expect_match(clockpigeon:::bill_text(both, 100), "44.71 EUR: 1 GBP = 1.1485 EUR on 2026-11-02",
               all = FALSE)
})

test_that("all cards fit a line each, and one card says all it has", {
  lines <- clockpigeon:::site_lines(project$sites, 160)
  expect_match(lines, "coppice +managed +core-hour +0.033 to 0.084 GBP", all = FALSE)
  expect_true(all(nchar(clockpigeon:::site_lines(project$sites, 80)) <= 80))
  card <- function(name)
    paste(clockpigeon:::card_lines(project$sites[[name]], 110), collapse = "\n")
  expect_match(card("loftnights"), "daily 08:00-22:00")
  expect_match(card("loftnights"), "May render: mon-fri 19:00-08:00; sat-sun (Europe/Lisbon).",
               fixed = TRUE)
  expect_match(card("tollhouse"),
               "Hire class eightfold: 8 devices, 12.90 EUR per node-hour, at most 2 at once.",
               fixed = TRUE)
  expect_match(card("coppice"), "0.041 GBP from 500 on")
  expect_match(card("undertow"), "10.00 shells an hour of Quern 40")
  expect_match(card("undertow"), "frames of at most 20m00s on a Quern 40", fixed = TRUE)
})

test_that("a card says how machines start, what goes wrong, its quiet hours and its cap", {
  project <- read_project(demo_file())
  card <- function(name)
    paste(clockpigeon:::card_lines(project$sites[[name]], 300), collapse = "\n")
  expect_match(card("undertow"),
               "3 % of runs fail, tried again 2 times, 4 % of nodes vanish in an hour",
               fixed = TRUE)
  expect_match(card("tollhouse"), "Installing takes 2m00s (one in ten over 4m00s)", fixed = TRUE)
  expect_match(card("coppice"), "in quiet hours (daily 20:00-06:00) 5m00s", fixed = TRUE)
  expect_match(card("highgarret"), "Stops a job 10m00s after 120.00 EUR have been used",
               fixed = TRUE)
})
