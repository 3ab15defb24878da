test_that("the record holds all that is needed to check the choice and make it again", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates,
                    time_zone = "UTC")
  highgarret <- project$sites$highgarret
  highgarret$nodes_like <- "loft-2"
  options <- plan_options(job, list(project$sites$attic, highgarret),
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  x <- choose_option(forecast_job(options, draws = 100, seed = 7), "8 h", "60 EUR")
  path <- file.path(scratch(), "decision")
  files <- record_choice(x, path)
  record <- jsonlite::fromJSON(files[1], simplifyVector = FALSE)
  expect_identical(record$pick, x$pick)
  expect_identical(record$asked$deadline, "2026-11-25T04:00:00Z")
  expect_identical(record$made_with$seed, 7L)
  expect_length(record$options, nrow(options$options))
  expect_identical(record$inputs[[1]]$hash, unname(tools::md5sum(demo_file("sites/attic.yaml"))))
  expect_match(unlist(record$disclosures), "highgarret: gift balance welcome, 10.00 EUR",
               fixed = TRUE, all = FALSE)
  page <- readLines(files[2])
  expect_match(page, paste0("- **Plan**: ", clockpigeon:::do_words(x)), fixed = TRUE, all = FALSE)
  expect_identical(record$plan$parts[[1]]$option, x$plan$parts$option[1])
  expect_match(page, "highgarret: discount autumn, 15 %", fixed = TRUE, all = FALSE)
  again <- choose_option(forecast_job(options, draws = 100, seed = 7), "8 h", "60 EUR")
  expect_identical(choice_record(again), choice_record(x))
  expect_refusal(record_choice(x, file.path(scratch(), "no", "way")), "file",
                 "Make the folder first")
})

test_that("a plan with a fallback is written down as it is to be carried out", {
  x <- pair_of_sites("620 s", se = c(0.3, 0.01), draws = 400)
  x$plan <- Filter(function(p) p$kind == "fallback", c(list(x$plan), x$plan$rivals))[[1]]
  plan <- clockpigeon:::plan_record(x)
  at <- as.POSIXct(plan$look$at, tz = "UTC", format = "%Y-%m-%dT%H:%M:%SZ")
  expect_equal(as.numeric(at - x$forecast$scenario$now, units = "secs"), x$plan$look$at_s,
               tolerance = 1)
  expect_identical(plan$rescue$site, "quick")
  expect_match(plan$policy,
               "^Checkpoint .*: with fewer than [0-9]+ frames finished, send the rest to quick")
})
