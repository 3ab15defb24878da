test_that("a decided job is placed on an own pool, rendered for real, and followed", {
  skip_if_not_installed("mirai")
  x <- decided()
  place <- plan_place(x$project, x$ledger, "review-1")
  expect_s3_class(place, "cp_place")
  expect_identical(place$parts$kind, "own")
  expect_identical(place$parts$here, 1L)
  expect_true(place$go)
  expect_equal(place$chance, place$promised$chance, tolerance = 0.05)
  placed <- place_job(place, x$ledger, progress = FALSE)
  expect_identical(placed$frames$state, rep("done", 12))
  files <- file.path(x$folder, placed$frames$to)
  expect_true(all(file.exists(files)))
  expect_identical(basename(files)[1], "gears-review-0001.png")
  expect_identical(dim(png::readPNG(files[1]))[1:2], c(90L, 160L))
  events <- job_events(x$ledger, "review-1")
  expect_identical(events$detail[events$what == "placed"], file.path(placed$folder, "frames"))
  expect_identical(sum(events$what == "arrived"), 12L)
  expect_output(print(place), "Ready to place")
  expect_output(print(placed), "12 of 12")
  # The job's own frames are what it is held against, not what it is forecast from.
  asked <- clockpigeon:::replan_job(clockpigeon:::job_plan_record(x$ledger, "review-1"), x$project)
  again <- clockpigeon:::asked_job(x$ledger, asked, x$project, "review-1")
  expect_false(any(again$evidence$job %in% "review-1"))
})

test_that("one process at a time places a job", {
  x <- decided()
  place <- plan_place(x$project, x$ledger, "review-1")
  claim <- clockpigeon:::claim_plan(x$ledger, paste0("job-", place$id))
  expect_refusal(place_job(place, x$ledger), "plan", "is being run by process")
  clockpigeon:::release_plan(claim)
})

test_that("what stops a job is an error, unless it may stand", {
  skip_if_not_installed("mirai")
  x <- decided()
  x$project$sites$attic$pool <- character()
  place <- plan_place(x$project, x$ledger, "review-1")
  expect_false(place$go)
  expect_identical(place$findings$code[place$findings$weight == "stops"], "pool")
  expect_refusal(place_job(place, x$ledger), "place", c("no nodes", "--despite pool"))
  expect_refusal(plan_place(x$project, x$ledger, "gears-final"), "job", "no plan")
  expect_refusal(plan_place(x$project, x$ledger, "review-2"), "job", "Did you mean review-1")
  expect_refusal(place_options(frame_limit = 0), "type")
  expect_refusal(known_options(list(patience = 3)), "field", "patience")
})

test_that("options, files and runs of a pool's job", {
  x <- decided()
  place <- plan_place(x$project, x$ledger, "review-1")
  place$parts$spread <- "ranges"
  place$project$sites$attic$pool <- c("here", "here")
  place$parts$here <- 2L
  job <- clockpigeon:::pool_job(place, tempdir(), place_options())
  expect_identical(job$frames$range, rep(1:2, each = 6))
  expect_named(job$slots, c("here/1", "here/2"))
  expect_identical(vapply(job$slots, `[[`, 0, "share"), c("here/1" = 2, "here/2" = 2))
  expect_identical(job$limit_s$attic, 60)
  expect_identical(clockpigeon:::pool_job(place, tempdir(),
                                          place_options(frame_limit = 5))$limit_s$attic, 5)
  expect_length(job$files, 0)  # a built-in scene
  writeLines("a scene", file.path(x$folder, "wheel.txt"))
  of <- place$state$job
  of$shots[[1]]$scene <- "wheel.txt"
  expect_identical(clockpigeon:::needed_files(of, x$project), "wheel.txt")
  at <- clockpigeon:::needed_files(list(shots = list(list(shot = "gears"))), x$project)
  expect_true(length(at) > 1 && all(file.exists(file.path(x$folder, at))))
  expect_identical(clockpigeon:::run_numbers(7, 3), c(1L, 1L, 2L, 2L, 3L, 3L, 3L))
})

test_that("trial frames go first, are evidence, and are not rendered again", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-20")
  place <- plan_place(x$project, x$ledger, "review-1")
  tried <- place_job(place, x$ledger, progress = FALSE, trial = TRUE)
  expect_identical(sort(tried$frames$frame), sort(first_probes(1:20, 3)))
  expect_identical(tried$frames$state, rep("done", 3))
  again <- plan_place(x$project, x$ledger, "review-1")
  expect_null(again$seen)  # nothing was placed yet
  expect_identical(sum(again$state$job$evidence$job %in% "review-1"), 3L)
  placed <- place_job(again, x$ledger, progress = FALSE)
  expect_identical(placed$frames$state, rep("done", 20))
  events <- job_events(x$ledger, "review-1")
  expect_identical(sum(events$what == "rendering"), 20L)
  # What was there before says nothing of how it goes since.
  began <- watch_job(x$project, x$ledger, "review-1", now = again$now + 0.01)
  expect_identical(c(began$parts$there, began$parts$frames), c(3, 20))
  expect_identical(sum(is.finite(began$came)), 3L)
  expect_identical(sum(began$frames$state == "arrived"), 3L)
  expect_equal(stats::median(began$draws$finish_s), stats::median(began$going$draws[[1]]$finish_s),
               tolerance = 0.05)
  # What was begun is looked at as it stands.
  last <- plan_place(x$project, x$ledger, "review-1")
  expect_identical(sum(is.finite(last$seen$came)), 20L)
  expect_equal(last$chance, 1)
  expect_match(clockpigeon:::place_lines(last, width = 80), "20 of 20 frames received. No frames remain",
               all = FALSE)
  # However late it is asked.
  expect_true(plan_place(x$project, x$ledger, "review-1", now = Sys.time() + 86400)$go)
})

test_that("a job at an own pool, by a sheet and at an address is one thing: placed once, watched to its end, done", {
  skip_if_not_installed("mirai")
  skip_if_not_installed("nanonext")
  skip_if_not_installed("later")
  skip_if_not_installed("curl")
  withr::local_envvar(CLOCKPIGEON_NOW = NA, CLOCKPIGEON_TOKEN = "token-of-the-test")
  came <- function(x, kind) {
    folder <- file.path(x$folder, "placed/review-1/frames")
    # By a sheet somebody else puts them there, under other folders and names.
    if (kind == "sheet") for (k in 1:12) {
      dir.create(file.path(folder, "from-the-farm"), FALSE, TRUE)
      file.copy(one_pixel(scratch()),
                file.path(folder, "from-the-farm", sprintf("gears-review.%05d.png", k)))
    }
    if (kind == "service") clockpigeon:::wait_remote(x$project, x$ledger, "review-1", every = 0.2)
  }
  for (kind in c("own", "sheet", "service")) {
    x <- decided(only = if (kind == "own") "attic,nodes=1" else "quayside,nodes=2", deadline = "3h",
                 budget = "20 EUR")
    if (kind == "service") {
      card <- file.path(x$folder, "sites/quayside.yaml")
      writeLines(sub("^start:.*", "start: none", readLines(card)), card)
      served <- local_standin(x$folder, "quayside", "--render", "--slots", "1", "--for", "2min")
      at_address(x$folder, served$url, "quayside")
      x$project <- read_project(x$folder)
    }
    expect_refusal(watch_job(x$project, x$ledger, "review-1"), "job", "was not placed")
    place <- plan_place(x$project, x$ledger, "review-1")
    expect_identical(place$parts$kind, kind)
    let <- c("changed", "quote", "late", "dear")
    placed <- place_job(place, x$ledger, let, progress = FALSE)
    expect_length(placed$sheets, if (kind == "sheet") 2 else 0)
    expect_length(placed$remote, if (kind == "service") 1 else 0)
    came(x, kind)
    now <- watch_job(x$project, x$ledger, "review-1")
    expect_true(all(now$here), label = kind)
    expect_identical(now$parts$work, 1, label = kind)
    expect_identical(nrow(now$alarms), 0L, label = kind)
    expect_true(all(now$came >= 0 & now$came < 600), label = kind)
    expect_identical(nrow(clockpigeon:::watch_all(x$project, x$ledger)), 0L, label = kind)
    # Asked again, there is nothing left to do.
    again <- plan_place(x$project, x$ledger, "review-1")
    expect_true(all(again$seen$here), label = kind)
    place_job(again, x$ledger, let, progress = FALSE)
    events <- as.data.frame(job_events(x$ledger, "review-1"))
    expect_identical(sum(events$what == "placed"), 1L, label = kind)
    expect_identical(sum(events$what == "sent"), if (kind == "service") 1L else 0L, label = kind)
    if (kind != "sheet")
      expect_identical(sort(unique(events$frame[events$what == "arrived"])), 1:12, label = kind)
  }
})
