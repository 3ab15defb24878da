test_that("how a job stands is said in the order in which it is asked, at 80 columns", {
  scenario <- list(now = as.POSIXct("2026-11-24 12:00", tz = "UTC"), time_zone = "UTC", currency = "EUR")
  x <- list(parts = data.frame(site = c("a", "b"), option = c("a t, 1 node", "b t, 2 nodes"), frames = c(60L, 40L),
                               there = c(30, 40), work = c(0.45, 1), last = c(3000, 2500), overdue = c(0.2, 0),
                               finish_p50 = c(7200, 2500), cost_mean = c(3, 1)),
            draws = data.frame(finish_s = seq(6000, 8400, length.out = 100), cost = seq(3, 5, length.out = 100)),
            passed_s = 3060, unknown = 2L, p_deadline = 0.95, p_both = 0.95, mean = 4,
            look = list(at_s = 3600, fewer = 50, of = 100, there = 70, due = "later", rescue = "c t, 4 nodes"))
  promised <- list(p_deadline = 0.9, p_both = 0.9, cost_mean = 3.5)
  asked <- list(deadline_s = 9000, confidence = 0.9)
  text <- function(x) clockpigeon:::watch_lines("film-1", x, promised, asked, scenario, 80)
  lines <- text(x)
  expect_lte(max(nchar(lines)), 80)
  expect_match(lines[1], "Job film-1, placed Tue 24 Nov 12:00")
  expect_identical(sub(" .*", "", grep("^(Stands|Done|Cost|Now)", lines, value = TRUE)), c("Stands", "Done", "Cost",
                                                                                          "Now"))
  all <- gsub("\\s+", " ", paste(lines, collapse = " "))
  expect_match(all, "70 of 100 frames are there, the last 1m00s ago. Other files: 2.", fixed = TRUE)
  expect_match(all, "by the deadline Tue 14:30 with a chance of 95 % (90 % when it was decided).", fixed = TRUE)
  expect_match(all, "it was decided on 3.5")
  expect_match(all, "Look Tue 13:00: fewer than 50 frames by then go on at c t, 4 nodes.", fixed = TRUE)
  x$look$due <- "send"
  x$parts$overdue <- c(1, 1)
  all <- gsub("\\s+", " ", paste(text(x), collapse = " "))
  expect_match(all, "Send the frames that are not begun to c t, 4 nodes: by Tue 13:00 there were 70", fixed = TRUE)
  # What is done has nothing overdue.
  expect_match(all, "See what is wrong at a: in 99 of 100 cases", fixed = TRUE)
  x$look <- NULL
  x$parts$overdue <- c(0, 0)
  expect_match(text(x), "Nothing to do.", all = FALSE)
})
