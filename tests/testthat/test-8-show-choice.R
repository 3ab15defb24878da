test_that("every figure of a choice says what it shows", {
  skip_if_not_installed("ggplot2")
  skip_if_not_installed("ggrepel")
  job <- exact_job(30, frames = 40L, upload = 30e6, frame_size = 2e6,
                   encode = list(median_s = 20, p90_s = 40))
  site <- exact_site(wait = "{median: 60 s, p90: 120 s}", "cap: {amount: 0.20 EUR, lag: 10 s}",
                     "tax: {tax: t, percent: 20 %}")
  x <- choose_option(forecast_job(plan_options(job, site), draws = 50), "1 h", "5 EUR")
  for (show in c("cost", "frames")) {
    figure <- ggplot2::autoplot(x, show = show)
    expect_s3_class(figure, "ggplot")
    expect_gt(nchar(figure$labels$alt), 40)
    file <- tempfile(fileext = ".png")
    clockpigeon:::write_figure(figure, file)
    expect_gt(file.size(file), 5000)
  }
  expect_match(ggplot2::autoplot(x, show = "frames")$labels$title, "A spend cap stops x t",
               fixed = TRUE)
  for (show in c("tradeoff", "timeline", "chance")) {
    expect_refusal(ggplot2::autoplot(x, show = show), "figure", "no option finishes in any draw")
  }
  site$cap <- NULL
  whole <- choose_option(forecast_job(plan_options(job, site), draws = 50), "1 h", "5 EUR")
  for (show in c("tradeoff", "chance"))
    expect_gt(nchar(ggplot2::autoplot(whole, show = show)$labels$alt), 40)
  time <- ggplot2::autoplot(whole, show = "timeline")
  expect_match(time$labels$title, "^Render takes longest at")
  expect_match(time$labels$alt, "encode")
  expect_setequal(as.character(ggplot2::autoplot(whole, show = "cost")$data$part),
                  c("rendering", "tax"))
  expect_refusal(ggplot2::autoplot(whole, show = "pie"), "choice", "tradeoff")
})
