remote <- list(site = "saltmill", id = "s-1", sent = "2026-11-24T12:00:00.000Z",
               order = list(shots = list(list(shot = "s", frames = "1-9", width = 160,
                                              height = 90))))

test_that("a picture that its pixels cannot fill is refused, and what is told beside it is dropped where it is wrong", {
  received <- function(...) {
    row <- utils::modifyList(list(parts = 1, bytes = 4000, sha256 = strrep("a", 64), seconds = 3),
                             list(...))
    clockpigeon:::received_picture(row, remote$order$shots[[1]])
  }
  expect_null(received()$fault)
  expect_identical(received()$row$seconds, 3)
  odd <- received(seconds = 1e308)
  expect_null(odd$row$seconds)
  expect_identical(odd$row$bytes, 4000)
  expect_match(odd$fault, "has the seconds 1e\\+308")
  expect_match(received(parts = 1e6)$fault, "has 1e\\+06 parts for 4 kB")
  expect_match(received(bytes = 4e12)$fault, "has 4 TB for a picture of 160 x 90 pixels")
  expect_null(received(bytes = 4e12)$row)
  expect_match(received(sha256 = "../x")$fault, "which is no SHA-256")
})

test_that("lines of a bill that are right are taken, and the others told", {
  line <- function(...)
    utils::modifyList(list(part = "list", item = "hour", quantity = 2, unit = "hour", price = 1.5,
                           amount = 3),
                      list(...))
  bill <- list(lines = list(line(), line(amount = NULL), line(amount = -1e308)), total = 3,
               currency = "GBP", last = TRUE)
  found <- clockpigeon:::received_bill(bill, remote, "GBP")
  expect_identical(found$lines$amount, 3)
  expect_identical(found$lines$key, "bill saltmill s-1 1")
  expect_match(found$faults, "^a line of its bill ")
  expect_length(found$faults, 2)
  expect_match(clockpigeon:::received_bill(bill, remote, "EUR")$faults,
               "its bill is in 'GBP' and its card in EUR")
  bill$lines <- rep(list(line()), 10001)
  expect_match(clockpigeon:::received_bill(bill, remote, "GBP")$faults, "its bill has 10001 lines")
})

test_that("what is quarantined is told once, and the disk is not filled", {
  x <- at_farm()
  x$send()
  remote <- clockpigeon:::remote_jobs(x$ledger, "review-1")[[1]]
  for (k in 1:2)
    clockpigeon:::note_quarantined(x$ledger, "review-1", remote, c("a fault", "a fault", "another"),
                                   "bill")
  events <- job_events(x$ledger, "review-1")
  expect_identical(events$detail[events$what == "quarantined"], c("a fault", "another"))
  expect_match(clockpigeon:::quarantine_words(x$ledger, "review-1", remote),
               "sent 2 entries that cannot be right, the first: a fault")
  expect_refusal(clockpigeon:::check_room(x$folder, 1e18), "file", "Make room there")
  expect_null(clockpigeon:::check_room(x$folder, 1))
})
