test_that("a bill's lines are kept once; corrections and refunds are lines of their own", {
  x <- rendered_job()
  lines <- farm_lines(x)
  lines$Key <- sprintf("L%03d", seq_len(nrow(lines)))
  x$project$sites$saltmill$bill$map[["key"]] <- "Key"
  first <- x$settle(lines)
  expect_identical(first$new, nrow(lines))
  again <- x$settle(lines)
  expect_identical(again$new, 0L)
  expect_identical(again$billed, first$billed)
  # Line 3 comes anew, dearer by a pound, then as it was.
  dearer <- lines
  dearer$Cost[3] <- dearer$Cost[3] + 1
  corrected <- x$settle(dearer, "second.csv")
  expect_identical(corrected$new, 1L)
  expect_equal(corrected$billed, round(sum(dearer$Cost), 2))
  expect_match(utils::tail(corrected$lines$item, 1), "^correction: ")
  expect_equal(stats::setNames(corrected$steps$difference, corrected$steps$step)[["refunds"]],
               round(corrected$rate[["now"]], 2), tolerance = 0.01)
  back <- x$settle(lines, "third.csv")
  expect_identical(back$new, 1L)
  expect_equal(back$billed, first$billed)
  # A refund is a line without a key of the first bill.
  refund <- transform(lines[1, ], Key = "R1", What = "Refund", Sort = "", Hours = NA, Rate = NA,
                      Cost = -0.5, Frame = NA)
  s <- x$settle(rbind(lines, refund), "fourth.csv")
  expect_equal(s$billed, round(sum(lines$Cost) - 0.5, 2))
  expect_identical(s$lines$kind[s$lines$amount == -0.5], "refund")
  adds_up(s)
})

test_that("the same bill in another file or form adds nothing, and one line more is one line more", {
  x <- rendered_job()
  lines <- farm_lines(x)
  first <- x$settle(lines)
  x$project$sites$saltmill$bill$as <- "json"
  path <- file.path(scratch(), "bill.json")
  jsonlite::write_json(lines, path, digits = NA, na = "null")
  expect_identical(settle_job(x$project, x$ledger, "review-1", path)$new, 0L)
  x$project$sites$saltmill$bill$as <- "csv"
  fee <- lines[nrow(lines), ]
  twice <- x$settle(rbind(lines, fee), "later.csv")
  expect_identical(twice$new, 1L)
  expect_equal(twice$billed, round(first$billed + 0.4, 2))
})

test_that("a total is held against the lines of its own file, subtotals against those above them", {
  x <- rendered_job()
  lines <- farm_lines(x)
  net <- sum(lines$Cost)
  sum_line <- function(amount)
    transform(lines[1, ], Sort = "sum", What = "Sum", Cost = amount, Frame = NA)
  first <- x$settle(rbind(lines[1:10, ], sum_line(sum(lines$Cost[1:10])), lines[-(1:10), ],
                          sum_line(net)))
  expect_identical(nrow(first$findings), 0L)
  refund <- transform(lines[1, ], What = "Refund", Sort = "", Hours = NA, Rate = NA, Cost = -0.5,
                      Frame = NA)
  expect_identical(nrow(x$settle(rbind(refund, sum_line(-0.5)), "second.csv")$findings), 0L)
  wrong <- x$settle(rbind(transform(refund, What = "Again", Cost = -0.2), sum_line(0.1)),
                    "third.csv")
  expect_equal(found_of(wrong), c(total = 0.3))
})

test_that("lines of other jobs are left out, and a bill of nothing else is refused", {
  x <- rendered_job()
  lines <- farm_lines(x)
  other <- transform(lines[1:3, ], Job = "saltmill-9")
  s <- x$settle(rbind(lines, other))
  expect_identical(s$other, 3L)
  expect_identical(nrow(s$findings), 0L)
  expect_refusal(x$settle(other), "bill", "saltmill-1")
  expect_refusal(x$settle(transform(lines, Cur = "USD")), "bill",
                 "in USD, and the card of saltmill is in GBP")
  month <- transform(lines, From = sub("2026-11", "2026-08", From),
                     To = sub("2026-11", "2026-08", To))
  expect_refusal(x$settle(month), "bill", "2026-08-26")
})

test_that("zero and negative lines stay what they are, and a site that sent none is asked for one", {
  x <- rendered_job()
  lines <- farm_lines(x)
  zero <- transform(lines[1, ], What = "Gift frame", Cost = 0, Hours = 0, Frame = NA, From = NA,
                    To = NA)
  s <- x$settle(rbind(lines, zero))
  expect_identical(nrow(s$findings), 0L)
  adds_up(s)
  fresh <- decided(frames = "1-12", only = "saltmill,brisk,nodes=10", deadline = "3h",
                   budget = "20 EUR", seconds = c(30, 31))
  place <- plan_place(fresh$project, fresh$ledger, "review-1")
  place_job(place, fresh$ledger, despite = unique(place$findings$code), progress = FALSE)
  expect_refusal(settle_job(fresh$project, fresh$ledger, "review-1"), "bill", "--bill FILE")
})

test_that("a bill that is read again by a corrected map replaces its lines, and can be forgotten", {
  x <- rendered_job()
  lines <- farm_lines(x)
  total <- transform(lines[1, ], Sort = "", What = "Gesamt 2026-11", Cost = sum(lines$Cost),
                     Hours = NA, Rate = NA, Frame = NA, From = NA, To = NA, Machine = NA)
  lines <- rbind(lines, total)
  x$project$sites$saltmill$bill$kinds <- list(usage = "use")
  first <- x$settle(lines)
  # Nobody said that it is a total: it counts as usage, and the answer says so.
  expect_equal(first$billed, round(2 * sum(lines$Cost[-nrow(lines)]), 2))
  expect_match(first$unmatched, "'Gesamt 2026-11', taken for usage")
  expect_match(gsub(" +", " ", paste(clockpigeon:::settle_lines(first), collapse = " ")),
               "No word of `bill: kinds` matches line")
  x$project$sites$saltmill$bill$kinds <- list(usage = "use", total = "Gesamt*")
  second <- x$settle(lines)
  expect_equal(second$billed, round(sum(lines$Cost[-nrow(lines)]), 2))
  expect_identical(second$replaced, 1L)
  expect_identical(nrow(second$findings), 0L)
  expect_length(second$unmatched, 0)
  # Back and forth, however often: the bill's own total is what is billed.
  x$project$sites$saltmill$bill$kinds <- list(usage = "use")
  expect_equal(x$settle(lines)$billed, first$billed)
  x$project$sites$saltmill$bill$kinds <- list(usage = "use", total = "Gesamt*")
  expect_equal(x$settle(lines)$billed, second$billed)
  again <- x$settle(lines)
  expect_identical(c(again$new, again$replaced), c(0L, 0L))
  forgotten <- clockpigeon:::forget_bill(x$ledger, "review-1", "bill.csv")
  expect_identical(forgotten, nrow(lines) - 1L)
  left <- clockpigeon:::asked_lines(x$ledger, "review-1", "saltmill")
  expect_false(any(startsWith(left$key, "file ")))
  expect_refusal(clockpigeon:::forget_bill(x$ledger, "review-1", "bill.csv"), "bill",
                 "no line of 'bill.csv' is known")
  expect_equal(x$settle(lines)$billed, second$billed)
})
