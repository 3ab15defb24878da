# A job of sixty frames of 10 s at the slow site.
watch_of <- function(came = 10 * (1:30), passed = 301, events = NULL, deadline = "700 s") {
  x <- pair_of_sites(deadline, se = c(0.05, 0.05), draws = 300)
  watched(x, list(slow = some_frames(scratch(), seq_along(came), came)), passed, events = events)
}
said <- function(x)
  gsub("\\s+", " ", paste(clockpigeon:::watch_lines(x, 80, unicode = FALSE), collapse = " "))

test_that("how a job stands is said in the order in which it is asked, at 80 columns", {
  x <- watch_of()
  lines <- clockpigeon:::watch_lines(x, 80, unicode = FALSE)
  expect_lte(max(nchar(lines)), 80)
  expect_match(lines[1], "night at .*, started Tue 24 Nov 12:00")
  expect_identical(sub(" .*", "", grep("^(Progress|Finish|Cost|Do now)", lines, value = TRUE)),
                   c("Progress", "Finish", "Cost", "Do"))
  expect_match(said(x), "Last frame 1.00s ago.", fixed = TRUE)
  expect_match(
    said(x), "On time for Tue 12:11: .* %|On time for 12:11:40: .* %")
  expect_match(said(x), "at the start")
  expect_match(said(x), "Do now Nothing.")
  expect_match(said(watch_of(10 * (1:60), 700)), "Do now All frames are received.")
  expect_output(print(x), "30 of 60")
})

test_that("frames are marks, by the worst in each; alarms have marks of their own", {
  strip <- clockpigeon:::strip_marks
  came <- c(1, 2, Inf, 3, Inf, Inf, Inf, Inf)
  state <- c("arrived", "arrived", "rendering", "arrived", "failed", "waiting", "waiting",
             "waiting")
  expect_identical(strip(came, state, 8, FALSE), "##r#x...")
  expect_identical(strip(came, state, 4, FALSE), "#rx.")
  expect_identical(strip(c(1, Inf), c("arrived", "waiting"), 1, FALSE), "+")
  expect_identical(strip(came, state, 8), "\u2588\u2588r\u2588x\u2591\u2591\u2591")
  late <- said(watch_of(18 * (1:30), 541))
  expect_match(late, "! On time for .* Send the rest to quick .* \\(until ")
  expect_match(late, "Do now Send the rest to quick")
})

test_that("nodes are a table: how many frames, how long, since when, and which now", {
  event <- function(s, what, frame = NA, ...) {
    data.frame(time = format(placed_at + s, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), what = what,
               shot = "s", frame = as.integer(frame), node = "loft-1", detail = NA, ...)
  }
  x <- watch_of(numeric(), 25,
                rbind(event(0, "node up", seconds = NA), event(1, "rendering", 1, seconds = NA),
                      event(11, "arrived", 1, seconds = 9.5),
                      event(12, "rendering", 2, seconds = NA)))
  expect_match(said(x), "loft-1 1 9.50s 13.0s ago s 2")
})

test_that("belief and frames are figures with a text alternative", {
  skip_if_not_installed("ggplot2")
  x <- watch_of(12 * (1:30), 361)
  b <- clockpigeon:::belief_of(x, 10)
  expect_identical(nrow(b), 10L)
  expect_true(all(b$p10 <= b$p50 & b$p50 <= b$p90))
  expect_identical(range(b$there), c(0L, 30L))
  # It narrows, and ends where the watch stands.
  expect_lt(b$p90[10] - b$p10[10], b$p90[1] - b$p10[1])
  expect_equal(b$p50[10], stats::median(x$draws$finish_s), tolerance = 0.02)
  for (show in c("belief", "frames")) {
    figure <- ggplot2::autoplot(x, show = show)
    expect_s3_class(figure, "ggplot")
    expect_match(figure$labels$alt, "night")
    path <- tempfile(fileext = ".png")
    clockpigeon:::write_figure(figure, path)
    expect_gt(file.size(path), 5000)
  }
  expect_refusal(ggplot2::autoplot(x, show = "weather"), "choice", "belief")
})
