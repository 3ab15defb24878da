test_that("frames are cut into bands that make up every row once, and not below eight rows", {
  trials <- data.frame(shot = "s", frame = 1:3, height = c(90L, 17L, 9L))
  frames <- data.frame(shot = "s", frame = 1:3, site = "attic",
                       to = sprintf("placed/night/frames/s/s-%04d.png", 1:3))
  cut <- clockpigeon:::in_pieces(frames, trials, c(attic = 4))
  expect_identical(cut$frames$frame, c(1L, 1L, 1L, 1L, 2L, 2L, 3L))
  for (k in 1:2) {
    mine <- cut$trials[cut$trials$frame == k, ]
    rows <- unlist(Map(seq, mine$band_first, mine$band_last))
    expect_identical(as.integer(rows), seq_len(trials$height[k]))
  }
  expect_identical(cut$frames$piece[c(1, 7)], c("rows 1-22", NA))
  expect_identical(cut$frames$to[c(1, 7)], c("placed/night/pieces/s/s-0001-rows-00001-00022.png",
                                             "placed/night/frames/s/s-0003.png"))
  expect_identical(clockpigeon:::piece_path("placed/frames/frames/s/s-0001.png", 1, 8),
                   "placed/frames/pieces/s/s-0001-rows-00001-00008.png")
  expect_true(all(is.na(clockpigeon:::in_pieces(frames, trials, c(loft = 4))$frames$piece)))
  expect_identical(nrow(clockpigeon:::in_pieces(frames, trials)$frames), 3L)
})

test_that("a pool renders a frame in bands on its slots, joins them to what the whole frame would be, and goes on after a cut", {
  skip_if_not_installed("mirai")
  skip_if_not_installed("png")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(only = "attic,nodes=1", frames = "1-3")
  site <- file.path(x$folder, "sites/attic.yaml")
  text <- sub("^pool: .*", "pool: [here, here]", readLines(site))
  writeLines(sub("^  outputs: (.*)", "  outputs: \\1\n  spreads: [frames, bands]", text), site)
  x$project <- read_project(x$folder)
  job <- render_job(x$project$shots["gears-review"], c(pebble = "1.1"), timings(x$ledger), "EUR",
                    x$project$rates)
  only <- c("attic", "nodes=2", "spread=bands")
  forecast <- forecast_job(plan_options(job, x$project$sites, only = only, spreads = "bands"),
                           draws = 100)
  record_job(x$ledger, choose_option(forecast, "30min"), "banded")
  # What was decided of the spread is what is placed.
  place <- plan_place(x$project, x$ledger, "banded")
  expect_true(place$go)
  expect_identical(place$parts$spread, "bands")
  job <- clockpigeon:::pool_job(place, clockpigeon:::placed_folder(place), place_options())
  expect_identical(nrow(job$frames), 6L)
  expect_identical(unique(job$trials$band_last - job$trials$band_first + 1L),
                   job$trials$height[1] %/% 2L)
  frames <- clockpigeon:::run_pool(job, x$ledger)
  expect_identical(frames$state, rep("done", 3))
  folder <- file.path(x$folder, "placed/banded")
  expect_identical(basename(list.files(file.path(folder, "frames"), recursive = TRUE)),
                   sprintf("gears-review-%04d.png", 1:3))
  expect_length(list.files(file.path(folder, "pieces"), recursive = TRUE), 0)
  # The same picture as in one go.
  program <- clockpigeon:::engine_program(x$project$engines$pebble)
  shot <- x$project$shots[["gears-review"]]
  alone <- file.path(scratch(), "alone.png")
  trial <- job$trials[3, ]
  render <- function(...) {
    processx::run(program, c("--release", "1.1", "--scene", "gears", "--frame", "2", "--seed", "1",
                             "--size", paste(shot$size, collapse = "x"), "--samples", trial$samples,
                             ...))
  }
  render("--out", alone)
  expect_identical(png::readPNG(file.path(folder, "frames/gears-review/gears-review-0002.png")),
                   png::readPNG(alone))
  events <- as.data.frame(job_events(x$ledger, "banded"))
  whole <- events[events$what == "arrived" & is.na(events$piece), ]
  expect_identical(sort(whole$frame), 1:3)
  expect_match(whole$detail, "joined of 2 bands")
  expect_identical(sum(events$what == "arrived" & !is.na(events$piece)), 6L)
  # A frame that lacks is made again; a band that was there before is not.
  unlink(file.path(folder, "frames/gears-review/gears-review-0002.png"))
  dir.create(file.path(folder, "pieces/gears-review"), FALSE, TRUE)
  band <- file.path(x$folder, job$frames$to[3])
  render("--band", paste0(trial$band_first, "-", trial$band_last), "--out", band)
  before <- nrow(job_events(x$ledger, "banded"))
  expect_identical(clockpigeon:::run_pool(job, x$ledger)$state, rep("done", 3))
  new <- as.data.frame(job_events(x$ledger, "banded"))[-seq_len(before), ]
  expect_identical(new$piece[new$what == "rendering"], job$frames$piece[4])
  # What is watched counts frames, not bands.
  clockpigeon:::note_placed(place, x$ledger, folder, "attic")
  now <- watch_job(x$project, x$ledger, "banded")
  expect_true(all(now$here))
  # Times of bands are no times of frames.
  rows <- as.data.frame(timings(x$ledger, job = "banded"))
  expect_true(all(grepl("^rows ", rows$piece)))
})

test_that("bands that cannot be joined are rendered again, and pools say which spreads they can", {
  at <- scratch()
  bands <- data.frame(piece = c("rows 1-8", "rows 9-16"), to = c("a.png", "b.png"),
                      into = "whole.png")
  file.create(file.path(at, c("a.png", "b.png")))
  expect_match(clockpigeon:::join_frame(at, bands), "cannot be joined")
  expect_false(any(file.exists(file.path(at, c("a.png", "b.png", "whole.png")))))
  engine <- list(engine = "kiln", bands = TRUE, output = "png")
  expect_null(clockpigeon:::spread_trouble("bands", engine))
  expect_null(clockpigeon:::spread_trouble("ranges", engine))
  expect_match(clockpigeon:::spread_trouble("layers", engine), "the plan has layers")
  expect_match(
    clockpigeon:::spread_trouble("bands", utils::modifyList(engine, list(output = "exr"))),
    "bands of EXR cannot be joined, those of PNG and PFM can")
  expect_match(
    clockpigeon:::spread_trouble("bands", utils::modifyList(engine, list(bands = FALSE))),
    "renders no bands")
})

# An engine whose pre-pass takes a moment and writes into a log when it begins and ends; its frames
# need it.
prepass_engine <- function(folder, log, prepass = "sleep 0.3") {
  engine <- script_engine(folder, paste0("grep -q 'ended' ", log, " || { echo no cache; exit 4; }"),
                          paste0("echo frame $2 >> ", log), paste("cp", one_pixel(folder), "$1"),
                          "echo load 0.01 compute 0.1")
  pass <- write_file(folder, "prepass.sh", c("#!/bin/sh", paste0("echo begun >> ", log), prepass,
                                            paste0("echo ended >> ", log)))
  Sys.chmod(pass, "755")
  engine$prepass <- list(each = "shot", program = pass, arguments = list("{shot}"),
                         environment = list())
  engine
}

test_that("a pre-pass is a stage: once for a shot, whichever slot does it, and before its frames", {
  skip_if_not_installed("mirai")
  at <- scratch()
  log <- file.path(at, "log")
  ledger <- ledger_of_job()
  job <- pool_of(at, prepass_engine(at, log), 1:6, slots = 2)
  frames <- clockpigeon:::run_pool(job, ledger)
  expect_identical(frames$state, rep("done", 6))
  said <- readLines(log)
  expect_identical(said[1:2], c("begun", "ended"))
  expect_identical(sum(said == "begun"), 1L)
  expect_identical(sum(frames$failures), 0L)
  rows <- as.data.frame(timings(ledger, job = "night"))
  expect_identical(sum(rows$activity == "prepass"), 1L)
  expect_gt(rows$wall_s[rows$activity == "prepass"], 0.25)
  # What runs again later goes on without another.
  unlink(file.path(at, job$frames$to[2:3]))
  expect_identical(clockpigeon:::run_pool(job, ledger)$state, rep("done", 6))
  expect_identical(sum(readLines(log) == "begun"), 1L)
})

test_that("a pre-pass that fails is tried again, and frames without it are not begun", {
  skip_if_not_installed("mirai")
  at <- scratch()
  log <- file.path(at, "log")
  once <- file.path(at, "once")
  ledger <- ledger_of_job()
  engine <- prepass_engine(at, log, paste0("[ -f ", once, " ] || { touch ", once,
                                           "; echo no room; exit 5; }"))
  frames <- clockpigeon:::run_pool(pool_of(at, engine, 1:3, slots = 2), ledger)
  expect_identical(frames$state, rep("done", 3))
  expect_identical(sum(frames$failures), 1L)
  expect_identical(sum(readLines(log) == "begun"), 2L)
  events <- job_events(ledger, "night")
  expect_match(events$detail[events$what == "failed"], "the pre-pass: exit status 5: no room")
  expect_identical(sum(events$what == "prepassed"), 1L)
})
