project <- read_project(demo_file())

test_that("findings read as sentences under their shot, the gravest first", {
  x <- check_shot(project$shots$gears, manifest = project$manifests$gears, folder = project$root,
                  used = c("gears-final", "basin-test"))
  text <- cli::ansi_strip(clockpigeon:::check_lines(x, 100))
  expect_match(text[1], "Not ready to send: gears \\(2 problems, 1 warning")
  expect_match(text, "^problem  textures/engraving.png is missing. Put it there", all = FALSE)
  expect_true(all(nchar(text) <= 100))
  expect_output(print(x), "engraving")
})

test_that("sites stand with their answer and the reason in a column of its own", {
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  text <- clockpigeon:::eligibility_lines(eligible(job, project$sites), 90)
  expect_match(text[1], "5 of 11 sites fit.")
  expect_match(text, "^coppice +does not fit +has sundew 4.0 or 4.1", all = FALSE)
  expect_output(print(eligible(job, project$sites)), "quayside +fits")
})

test_that("parcels are listed with the time that sending takes at each site", {
  x <- data.frame(shot = "s", parcel = "/x/s-0123.zip", version = "0123", files = 3L, bytes = 4e8,
                  parcel_bytes = 2.5e8, made = FALSE)
  text <- clockpigeon:::pack_lines(x, list(list(site = "far", link = 1e7), list(site = "here")), 80)
  expect_match(text, "s +0123 +3 +400 MB +250 MB +as before", all = FALSE)
  expect_match(text, "25.0s to far", all = FALSE)
})
