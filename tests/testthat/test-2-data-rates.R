sheet <- function(...) write_file(scratch(parent.frame()), "r.csv", "date,from,to,rate,source", ...)

test_that("bad rates name their line", {
  refused <- function(topic, patterns, ...) expect_refusal(read_rates(sheet(...)), topic, patterns)
  refused("type", "line 3, field `rate`", "2026-10-01,GBP,EUR,1.15,x", "2026-10-02,GBP,EUR,-1,x")
  refused("type", "in the future", "2999-10-01,GBP,EUR,1.15,x")
  refused("currency", "ISO 4217", "2026-10-01,GBX,EUR,1.15,x")
  refused("rates", c("line 3", "a second rate for 2026-10-01 GBP EUR"), "2026-10-01,GBP,EUR,1.15,x",
          "2026-10-01,GBP,EUR,1.16,x")
  refused("rates", c("line 2", "wrong way round", "0.86957"), "2026-10-01,GBP,EUR,1.15,x",
          "2026-10-12,EUR,GBP,1.16,x")
  expect_refusal(read_rates(write_file(scratch(), "r.csv", "date,rate", "2026-10-01,2")), "columns",
                 "from")
  expect_refusal(read_rates(file.path(scratch(), "none.csv")), "rates", "cannot be read")
  # A reverse pair that agrees is no contradiction.
  expect_identical(nrow(read_rates(sheet("2026-10-01,GBP,EUR,1.15,x",
                                         "2026-10-12,EUR,GBP,0.86,x"))), 2L)
})

test_that("a central bank's table is read, its currency from the file's name", {
  bank <- function(name)
    write_file(scratch(parent.frame()), name, "Date,USD,GBP,CYP,", "2026-11-03,1.0832,0.8707,N/A,",
               "2026-11-02,1.0801,0.8711,N/A,")
  x <- read_rates(bank("reference-EUR.csv"))
  expect_identical(nrow(x), 4L)
  expect_identical(unique(x$from), "EUR")
  expect_equal(clockpigeon:::exchange_rate(x, "GBP", "USD")$rate, 1.0832 / 0.8707)
  expect_refusal(read_rates(bank("reference.csv")), "rates", "reference-EUR.csv")
})
