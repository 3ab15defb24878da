# The film's gears at a managed farm, decided on the sample evidence.
farm_job <- function(only = "quayside", env = parent.frame()) {
  folder <- local_project(env)
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  withr::defer(close_ledger(ledger), envir = env)
  file.copy(file.path(folder, "assets/textures/brass.png"),
            file.path(folder, "assets/textures/engraving.png"))
  project <- read_project(folder)
  job <- render_job(project$shots["gears"], "sundew", timings(ledger), project$currency,
                    project$rates, "Europe/Lisbon")
  forecast <- forecast_job(plan_options(job, project$sites, only = only), draws = 100)
  record_job(ledger, choose_option(forecast, "60 h"), "gears-1")
  list(project = project, ledger = ledger, folder = folder)
}

test_that("a sheet says what to send, what to see first, what was promised and what to cap, for people and programs", {
  x <- farm_job()
  place <- plan_place(x$project, x$ledger, "gears-1")
  expect_identical(place$parts$kind, "sheet")
  placed <- place_job(place, x$ledger, despite = clockpigeon:::finding_codes)
  expect_identical(basename(placed$sheets), c("sheet-quayside.md", "sheet-quayside.json"))
  sheet <- jsonlite::fromJSON(placed$sheets[2], simplifyVector = FALSE)
  gears <- x$project$shots$gears
  expect_identical(sheet$shots[[1]]$frames, clockpigeon:::format_frames(gears$frames))
  expect_identical(sheet$count, length(gears$frames))
  expect_identical(sheet$shots[[1]]$limit, clockpigeon:::format_limit(gears$limit))
  expect_identical(sheet$shots[[1]]$name, sprintf("gears-%04d.png", gears$frames[1]))
  expect_true(all(unlist(sheet$shots[[1]]$trial_frames) %in% gears$frames))
  expect_length(sheet$shots[[1]]$trial_frames, 3)
  expect_equal(sheet$price$mean, mean(place$judged$cost), tolerance = 0.001)
  expect_gte(sheet$cap$amount, sheet$price$nine_in_ten)
  page <- paste(readLines(placed$sheets[1]), collapse = "\n")
  expect_match(page, "# gears-1 at quayside")
  expect_match(page, "Spend cap to set there before it starts: ")
  expect_match(page, placed$folder, fixed = TRUE)
  # The folder is where `watch` looks from then on.
  events <- job_events(x$ledger, "gears-1")
  expect_identical(events$detail[events$what == "placed"], file.path(placed$folder, "frames"))
  # The parcel of the manifest is beside it, and stays the same.
  expect_match(basename(sheet$shots[[1]]$parcel), "^gears-[0-9a-f]{12}\\.zip$")
  expect_true(file.exists(sheet$shots[[1]]$parcel))
})

test_that("a cap stays within what the budget leaves, and is told in a site's own unit", {
  x <- farm_job()
  place <- plan_place(x$project, x$ledger, "gears-1")
  place$state$asked$budget <- place$judged$mean + 1
  sheet <- clockpigeon:::part_sheet(place, 1, tempdir())
  expect_equal(sheet$cap$amount, round(min(place$parts$cost_p99, place$judged$mean + 1), 2),
               tolerance = 0.001)
  site <- x$project$sites$quayside
  site$currency <- "token"
  site$unit <- list(worth = list(amount = 0.05, currency = "EUR"))
  expect_equal(clockpigeon:::sheet_unit(site, "EUR", x$project$rates),
               list(unit = "token", worth = 0.05))
  expect_null(clockpigeon:::sheet_unit(x$project$sites$attic, "EUR", x$project$rates))
})

test_that("frames that a look takes away get a sheet of their own", {
  x <- farm_job()
  place <- plan_place(x$project, x$ledger, "gears-1")
  place$decision$plan$rescue <- list(option = place$parts$option, site = "quayside")
  rescue <- clockpigeon:::rescue_part(place, data.frame(shot = "gears", frame = c(5L, 6L, 9L)))
  expect_identical(rescue$columns, c(5L, 6L, 9L))
  files <- clockpigeon:::write_rescue(place, rescue, scratch())
  sheet <- jsonlite::fromJSON(files[2], simplifyVector = FALSE)
  expect_identical(sheet$shots[[1]]$frames, "5-6, 9")
  expect_identical(sheet$count, 3L)
  expect_lt(sheet$price$mean, place$judged$mean)
})

test_that("a trial's sheet is of a few frames and their share of the price", {
  x <- farm_job()
  place <- plan_place(x$project, x$ledger, "gears-1")
  whole <- clockpigeon:::part_sheet(place, 1, scratch())
  placed <- place_job(place, x$ledger, despite = clockpigeon:::finding_codes, trial = TRUE)
  expect_identical(basename(placed$sheets)[1], "sheet-quayside-trial.md")
  sheet <- jsonlite::fromJSON(placed$sheets[2], simplifyVector = FALSE)
  expect_identical(sheet$count, 3L)
  expect_equal(sheet$price$mean, round(whole$price$mean * 3 / whole$count, 2), tolerance = 0.01)
  expect_lt(sheet$cap$amount, whole$cap$amount)
  expect_false("placed" %in% job_events(x$ledger, "gears-1")$what)
})

test_that("frames that were refused get a sheet of their own, at their share of the price", {
  x <- farm_job()
  place <- plan_place(x$project, x$ledger, "gears-1")
  whole <- jsonlite::fromJSON(place_job(place, x$ledger,
                                        despite = clockpigeon:::finding_codes)$sheets[2])
  add_events(x$ledger, "gears-1",
             data.frame(what = "failed", shot = "gears", frame = c(7L, 12L), source = "verify"))
  place <- plan_place(x$project, x$ledger, "gears-1")
  placed <- place_job(place, x$ledger, despite = clockpigeon:::finding_codes)
  expect_identical(basename(placed$sheets),
                   c("sheet-quayside-again.md", "sheet-quayside-again.json"))
  sheet <- jsonlite::fromJSON(placed$sheets[2])
  expect_identical(sheet$shots$frames, "7, 12")
  expect_equal(sheet$price$mean, whole$price$mean * 2 / 720, tolerance = 0.2)
  # Once one of them is there it is the other alone.
  folder <- file.path(placed$folder, "frames", "gears")
  dir.create(folder, FALSE, TRUE)
  png::writePNG(matrix(0.5, 4, 4), file.path(folder, "gears-0012.png"))
  Sys.setFileTime(file.path(folder, "gears-0012.png"), this_moment() + 60)
  later <- plan_place(x$project, x$ledger, "gears-1", this_moment() + 600)
  placed <- place_job(later, x$ledger, despite = clockpigeon:::finding_codes)
  expect_identical(jsonlite::fromJSON(placed$sheets[2])$shots$frames, "7")
})
