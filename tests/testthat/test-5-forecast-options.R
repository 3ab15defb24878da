test_that("options cross sites, tiers and nodes, and what is left out says why", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "millrace", example_timings(), rates = project$rates)
  scenario <- plan_options(job, project$sites)
  options <- scenario$options
  expect_identical(options$site[1:2], c("attic", "attic"))
  expect_identical(options$start[1:2], c("now", "now"))
  expect_setequal(options$option[options$site == "saltmill"],
                  paste0("saltmill ", c("patient, 10", "patient, 20", "brisk, 10", "brisk, 20"),
                         " nodes"))
  out <- scenario$left_out
  expect_match(out$reason[out$site == "quayside"], "does not run millrace")
  expect_identical(out$code[out$site == "quayside"], "unfit")
  expect_match(out$reason[out$site == "treadle"], "which outputs it takes")
  expect_false("loftnights" %in% out$site)
  expect_length(scenario$doubts, 0)
  old <- project$sites$attic
  old$as_of <- as.Date("2025-03-01")
  expect_match(plan_options(job, old)$doubts, "attic: its prices are of 2025-03-01")
})

test_that("unknown speed, rate or link is a reason, never a guess", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings())
  expect_match(clockpigeon:::why_not(project$sites$saltmill, job)$reason,
               "no exchange rate from GBP to EUR")
  job$rates <- project$rates
  expect_null(clockpigeon:::why_not(project$sites$saltmill, job))
  no_link <- project$sites$saltmill
  no_link$link <- NULL
  expect_match(clockpigeon:::why_not(no_link, job)$code, "unknown_link")
  job$evidence <- job$evidence[is.na(job$evidence$site), ]
  expect_match(clockpigeon:::why_not(project$sites$saltmill, job)$code, "unknown_speed")
  expect_refusal(plan_options(job, project$sites["saltmill"]), "option",
                 c("saltmill", "unknown speed"))
  expect_refusal(plan_options(job, list()), "type")
})

now <- as.POSIXct("2026-11-24 12:00", tz = "UTC")  # a Tuesday, noon in Lisbon
demo_job <- function(...) {
  project <- read_project(demo_file())
  render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates,
             time_zone = "Europe/Lisbon", ...)
}
film_scenario <- function(..., job = demo_job())
  plan_options(job, read_project(demo_file())$sites, ..., now = now)
film_options <- function(...) film_scenario(...)$options

test_that("a job can begin when a card's hours get cheaper and the site is open", {
  starts <- unique(film_options(only = "loftnights")$start)
  # 18:00 gets cheaper too, but the site opens at 19:00
  expect_identical(starts, c("now", "Tue 22:00"))
  quiet <- read_project(demo_file())$sites$saltmill
  quiet$tiers[[1]]$quiet <- list(hours = list(list(days = clockpigeon:::week_days, from = 2 * 3600,
                                                   to = 5 * 3600)),
                                 wait = list(median_s = 30, p90_s = 60))
  scenario <- plan_options(demo_job(), quiet, now = now)
  options <- scenario$options
  expect_identical(unique(options$start[options$tier == "patient"]), c("now", "Wed 02:00"))
  patient <- with_options(scenario, rows = options$tier == "patient" & options$nodes == 20)
  f <- summary(forecast_job(patient, draws = 300))
  # begun 14 hours later, and no queue then
  expect_lt(f$finish_p90[2] - 14 * 3600, f$finish_p90[1])
})

test_that("only useful counts of nodes are options", {
  few <- demo_job()
  few$shots[[1]]$frames <- 1:15
  site <- read_project(demo_file())$sites$saltmill
  # 15 frames: 10 nodes take 2 rounds, 15 take one; 20 are cut to 15
  expect_setequal(plan_options(few, site, now = now)$options$nodes, c(10, 15))
  one <- few
  one$shots[[1]]$frames <- 1L
  expect_setequal(plan_options(one, site, now = now)$options$nodes, 1)
})

test_that("hire classes are options, faster by what the card says or by their devices", {
  site <- read_project(demo_file())$sites$tollhouse
  site$can$limits <- "samples"
  site$can$outputs <- "exr"
  site$nodes_like <- "loft-2"
  options <- plan_options(demo_job(), site, now = now)$options
  expect_setequal(options$hire, c("single", "double", "eightfold"))
  expect_identical(max(options$nodes[options$hire == "eightfold"]), 2L)
  speed <- function(hire) options$speed[match(hire, options$hire)]
  expect_equal(speed("double") / speed("single"), 2^0.85)
  expect_identical(unique(options$evidence[options$hire == "double"]), "assumed")
  site$hires[[2]]$speed <- 1.9
  options <- plan_options(demo_job(), site, now = now)$options
  expect_equal(speed("double") / speed("single"), 1.9)
  expect_identical(unique(options$evidence[options$hire == "double"]), "claimed")
})

test_that("a user pins and leaves out; what is not there, or contradicts, is refused", {
  expect_identical(unique(film_options(only = "saltmill")$site), "saltmill")
  expect_identical(film_options(only = c("saltmill", "brisk", "nodes=20"))$option,
                   "saltmill brisk, 20 nodes")
  expect_setequal(film_options(only = c("saltmill", "quayside"))$site, c("saltmill", "quayside"))
  expect_false("saltmill" %in% film_options(without = "saltmill")$site)
  expect_refusal(film_options(only = "saltmil"), "option", "Did you mean saltmill")
  expect_refusal(film_options(only = "nodes=3"), "option", c("no option has nodes", "20"))
  expect_refusal(film_options(only = c("saltmill", "standard")), "option",
                 c("saltmill", "Take one of them back"))
  expect_refusal(film_options(only = "saltmill", without = "site=saltmill"), "option",
                 "and not 'site=saltmill'")
})

test_that("engines and limits are options side by side, with the noise of each", {
  project <- read_project(demo_file())
  half <- demo_job(limit = "50 %")
  coarse <- demo_job(limit = list(noise = 0.02))
  scenario <- plan_options(list(demo_job(), half, coarse), project$sites, only = "attic", now = now)
  options <- scenario$options
  expect_setequal(options$limit, c("samples 512", "samples 256", "noise 0.02"))
  expect_equal(options$noise[options$limit == "samples 256"][1], sqrt(2))
  expect_true(all(is.na(options$noise[options$limit == "noise 0.02"])))
  expect_identical(unique(options$evidence[options$limit == "samples 256"]), "transferred")
  f <- summary(forecast_job(scenario, draws = 200))
  two <- function(limit) f$finish_p50[options$limit == limit & options$nodes == 2]
  # half the computing, all of the loading
  expect_lt(two("samples 256") / two("samples 512"), 0.56)
  expect_gt(two("samples 256") / two("samples 512"), 0.49)
  expect_refusal(demo_job(limit = "0 %"), "limit", "above 0 %")
})

test_that("of two sites that are asked for, the one that can do it answers", {
  job <- x_job()
  sites <- read_project(demo_file())$sites
  left <- plan_options(job, sites)$left_out
  unable <- setdiff(left$site, plan_options(job, sites)$options$site)[1]
  both <- plan_options(job, sites, only = c("saltmill", unable))
  expect_identical(unique(both$options$site), "saltmill")
  expect_true(unable %in% both$left_out$site)
  expect_refusal(plan_options(job, sites, only = unable), "option", paste(unable, "is left out"))
})
