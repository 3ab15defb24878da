project <- read_project(demo_file())
job <- function(shots, engine = "sundew", ...)
  render_job(project$shots[shots], engine, example_timings(),
             rates = project$rates, ...)

test_that("each site of the demo is asked, and says what stands in the way and which side moves", {
  x <- summary(eligible(job(c("gears", "gallery")), project$sites))
  answer <- stats::setNames(x$answer, x$site)
  expect_identical(answer[["quayside"]], "fits")
  expect_identical(answer[["saltmill"]], "does not fit")
  expect_match(x$because[x$site == "saltmill"], "helpers see the frames")
  expect_match(x$because[x$site == "coppice"],
               "ask it for sundew 4.2, or render with sundew 4.0 or 4.1")
  expect_match(x$because[x$site == "broadloom"], "does not run sundew")
  expect_identical(answer[["treadle"]], "unknown")
  expect_match(x$because[x$site == "treadle"], "which outputs it takes")
})

test_that("what was rendered there is known to fit, whatever the card leaves unsaid", {
  quiet <- project$sites$saltmill
  quiet$can <- list(outputs = "exr")
  expect_identical(summary(eligible(job("gears"), quiet))$answer, "fits")
  unseen <- quiet
  unseen$site <- "elsewhere"
  expect_match(summary(eligible(job("gears"), unseen))$because, "which versions it has")
})

test_that("the slowest frame is converted to the yardstick device of the card", {
  x <- eligible(job("gears"), project$sites$undertow)
  row <- x[x$field == "frame time", ]
  on_reference <- slowest(job("gears")$curves[[1]])$upper
  # The frames that both nodes rendered, in the sample data.
  rows <- example_timings()
  rows <- rows[rows$scene == "gears" & rows$engine_version %in% "4.2" & rows$engine == "sundew" &
               is.na(rows$site), ]
  mean_log <- function(at) tapply(log(rows$wall_s[at]), rows$frame[at], mean)
  yardstick <- mean_log(rows$device %in% "Quern 40")
  both <- intersect(names(yardstick), names(mean_log(rows$node == job("gears")$node)))
  there <- on_reference /
    exp(mean(mean_log(rows$node == job("gears")$node)[both] - yardstick[both]))
  expect_match(row$needs, format_duration(there), fixed = TRUE)
  expect_match(row$needs, "on a Quern 40")
  expect_identical(row$answer, if (there <= 1200) "fits" else "does not fit")
})

test_that("options leave out what does not fit and what is not known", {
  out <- plan_options(job(c("gears", "gallery")), project$sites)$left_out
  expect_match(out$reason[out$site == "saltmill"], "helpers see the frames")
  expect_match(out$reason[out$site == "treadle"], "^unknown: ")
  expect_refusal(eligible(list(), project$sites), "type", "render_job")
})
