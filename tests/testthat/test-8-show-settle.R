test_that("a settled bill says what was promised, what changed, and what is too much", {
  x <- rendered_job("prices=1.6,fail=0.1")
  s <- x$settle()
  lines <- clockpigeon:::settle_lines(s, width = 80)
  expect_true(all(nchar(lines) <= 80))
  text <- paste(lines, collapse = "\n")
  expect_match(text, "saltmill overcharged [0-9.]+ GBP of .* for job review-1. Forecast\\s+on 2026-11-26")
  expect_match(text, "rate +\\+[0-9.]+ +[0-9.]+ +billed and card prices differ")
  expect_match(text, "x \\(4.048 GBP - 2.53 GBP on the card of\\s+2026-09-20\\)")
  expect_match(text, "No change from: since the promise, ")
  expect_match(paste(clockpigeon:::settle_lines(s, all = TRUE), collapse = "\n"), "refunds")
  shown <- s$too_much
  expect_equal(shown, round(s$billed - sum(s$metered$amount), 2))
  expect_match(text, paste0("overcharged ", format(shown, nsmall = 2), " GBP"))
  expect_output(print(s), "overcharged")
})

test_that("an honest bill is said to be as it should be", {
  x <- rendered_job()
  expect_match(utils::tail(clockpigeon:::settle_lines(x$settle()), 1),
               "agrees with the rate card and the meter")
})

test_that("every kind of finding has its sentence", {
  codes <- c("doubled", "undelivered", "sum", "price", "tier", "beyond", "meter", "spoilt",
             "discount", "tax", "total", "minimum", "unknown")
  f <- data.frame(code = codes, line = 1L, quantity = 2, unit = "node-hour", known = 1, price = 3,
                  known_price = 2, amount = 1.5, detail = "x", lines = 1L, label = "line 4")
  says <- clockpigeon:::finding_sentence(f, "EUR", as.Date("2026-09-20"))
  expect_true(all(nzchar(says)))
  expect_match(says, "1.50 EUR", all = TRUE)
  expect_match(clockpigeon:::finding_sentence(transform(f[4, ], lines = 7L), "EUR", NULL),
               "^7 lines, the first line 4: ")
  expect_match(clockpigeon:::finding_sentence(transform(f[codes == "minimum", ], amount = -1), "EUR",
                                              NULL), "leaves 1.00 EUR less")
})

test_that("the figure has a bar for each step that changes something, and a text for those who cannot see it", {
  skip_if_not_installed("ggplot2")
  x <- rendered_job("prices=1.6")
  s <- x$settle()
  p <- ggplot2::autoplot(s)
  moved <- sum(!s$steps$difference %in% c(NA, 0))
  expect_identical(nrow(p$data), as.integer(moved + 2))
  expect_equal(p$data$to[nrow(p$data)], s$steps$after[nrow(s$steps)])
  expect_match(p$labels$alt, "promised to")
  expect_no_error(ggplot2::ggplot_build(p))
})
