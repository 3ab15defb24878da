test_that("options cross sites, tiers and nodes, and what is left out says why", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "millrace", example_timings(), rates = project$rates)
  options <- plan_options(job, project$sites)
  expect_identical(options$site[1:2], c("attic", "attic"))
  expect_setequal(options$option[options$site == "saltmill"],
                  paste0("saltmill ", c("patient, 10", "patient, 20", "brisk, 10", "brisk, 20"), " nodes"))
  out <- attr(options, "left_out")
  expect_match(out$reason[out$site == "quayside"], "does not run millrace")
  expect_match(out$reason[out$site == "treadle"], "which outputs it takes")
  expect_match(out$reason[out$site == "loftnights"], "only in its hours")
  expect_length(attr(options, "doubts"), 0)
  old <- project$sites$attic
  old$as_of <- as.Date("2025-03-01")
  expect_match(attr(plan_options(job, old), "doubts"), "attic: its prices are of 2025-03-01")
})

test_that("unknown speed, rate or link is a reason, never a guess", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings())
  expect_match(clockpigeon:::why_not(project$sites$saltmill, job), "no exchange rate from GBP to EUR")
  job$rates <- project$rates
  expect_identical(clockpigeon:::why_not(project$sites$saltmill, job), "")
  no_link <- project$sites$saltmill
  no_link$link <- NULL
  expect_match(clockpigeon:::why_not(no_link, job), "unknown link")
  job$evidence <- job$evidence[is.na(job$evidence$site), ]
  expect_match(clockpigeon:::why_not(project$sites$saltmill, job), "unknown speed")
  expect_refusal(plan_options(job, project$sites["saltmill"]), "option", c("saltmill", "unknown speed"))
  expect_refusal(plan_options(job, list()), "type")
})
