bench <- function(engine, ..., shot = small_shot(), ledger = memory_ledger(parent.frame())) {
  plan <- plan_bench(shot, engine, frames = 1, repeats = 1,
                     options = bench_options(warmups = 0, ...))
  run_bench(plan, ledger, progress = FALSE)
}

test_that("engines that fail in their own ways are rows with the reason, and the rest is measured", {
  folder <- scratch()
  pixel <- one_pixel(folder)
  cases <- list(
    list("echo some words; echo 'no licence' >&2; exit 3", "failed",
         "exit status 3: some words | no licence"),
    list("sleep 60", "timed_out", "ended after 0.500s"),
    list(paste0("cp ", pixel, " $1"), "failed", "printed nothing"),
    list("echo load 1 compute 2", "failed", "no picture"),
    list("echo load 1 compute 2; : > $1", "failed", "empty picture"),
    list("echo load 1 compute 2; echo text > $1", "unusable", "no PNG"),
    list(paste0("echo load 1; cp ", pixel, " $1"), "ok", "not found in the output: compute_s"),
    list(paste0("echo load 1 compute 2; cp ", pixel, " $1"), "ok", NA),
    list("kill -9 $$", "failed", "exit status -9")
  )
  ledger <- memory_ledger()
  for (case in cases) {
    # only the engine that never ends is given little time: a busy machine may stall any other
    row <- bench(script_engine(folder, case[[1]]),
                 time_limit = if (case[[2]] == "timed_out") 0.5 else 60,
                 ledger = ledger)
    expect_identical(row$status, case[[2]])
    if (is.na(case[[3]])) expect_true(is.na(row$note)) else
      expect_match(row$note, case[[3]], fixed = TRUE)
  }
  expect_identical(nrow(timings(ledger)), length(cases))
})

test_that("a limit that the engine does not know is unsupported, and not run", {
  folder <- scratch()
  row <- bench(script_engine(folder, paste("touch", file.path(folder, "ran"))),
               shot = small_shot(limit = list(noise = 0.1, samples = NULL, time = NULL)))
  expect_identical(row$status, "unsupported")
  expect_true(is.na(row$wall_s))
  expect_false(file.exists(file.path(folder, "ran")))
})

test_that("a program that is missing, or gives another version, is refused before anything runs", {
  ledger <- memory_ledger()
  missing <- script_engine(scratch(), "exit 0")
  missing$program <- "no-such-renderer"
  expect_refusal(bench(missing, ledger = ledger), "engine", "no-such-renderer")
  folder <- scratch()
  liar <- script_engine(folder, "echo release 9.9")
  liar$versions <- "1.0"
  liar$version <- list(ask = list("--version"), pattern = "release ([0-9.]+)")
  expect_refusal(bench(liar, ledger = ledger), "engine", c("asked as 1.0", "9.9"))
  expect_identical(nrow(timings(ledger)), 0L)
})

# An engine with pretended devices: two of a kind and one slower; fixtures/pretend.sh says what it
# is.
pretend_engine <- function(env = parent.frame()) {
  folder <- scratch(env)
  script <- file.path(folder, "pretend.sh")
  file.copy(test_path("fixtures/pretend.sh"), script)
  Sys.chmod(script, "755")
  read_engine(write_file(folder, "pretend.yaml", "engine: pretend", paste("program:", script),
                         "arguments: ['{output}']", "limits: [samples]",
                         paste0("environment: {PICTURE: '", one_pixel(folder), "'}"), "devices:",
                         "  gpu:", "    ask: [--list]", "    pattern: 'card ([0-9]) is a (.*)'",
                         "    use: [[--cards, '{device_index}']]",
                         "    share: [[--part, '{share}']]", "    used: 'using card ([0-9])'"))
}

test_that("plans cross sets of devices, each is really asked for, and rows say which did the work", {
  engine <- pretend_engine()
  node <- structure(list(node = "n", devices = list(list(device = "cards", kind = "gpu", count = 3L,
                                                         share = 0.5))),
                    class = "cp_node")
  plan <- plan_bench(small_shot(), engine, frames = 1, repeats = 2,
                     options = bench_options(warmups = 0,
    cross = list(devices = c("gpu 0", "gpu 0+1", "gpu 2", "gpu 7"))))
  ledger <- memory_ledger()
  rows <- run_bench(plan, ledger, node, progress = FALSE)
  good <- rows[rows$status == "ok", ]
  expect_identical(nrow(good), 6L)
  expect_setequal(paste(good$device, good$device_count),
                  c("Pretended Lantern 1", "Pretended Lantern 2", "Pretended Taper 1"))
  expect_match(rows$note[rows$status == "unsupported"][1],
               "no gpu 7 here: there is 0 (Pretended Lantern)", fixed = TRUE)
  # Each trial takes as long as its cards sleep, and longer on a busy machine: the comparison is of
  # the sleep alone.
  sleep <- c("Pretended Lantern 1" = 0.2, "Pretended Lantern 2" = 0.1, "Pretended Taper 1" = 0.4)
  sleep <- unname(sleep[paste(good$device, good$device_count)])
  expect_true(all(good$wall_s >= sleep))
  good$wall_s <- sleep
  by_count <- compare_timings(good, by = "device_count")
  expect_identical(nrow(by_count), 1L)
  expect_equal(by_count$ratio, 2)
  expect_identical(nrow(compare_timings(good[good$device_count == 1, ], by = "device")), 1L)
  shared <- plan_bench(small_shot(), engine, frames = 1, repeats = 1,
                       options = bench_options(warmups = 0, cross = list(devices = "shared")))
  expect_identical(run_bench(shared, ledger, node, progress = FALSE)$capacity, 1.5)
})

test_that("a device that was asked for and did not do the work fails the trial", {
  withr::local_envvar(CARDS_BROKEN = "2")
  plan <- plan_bench(small_shot(), pretend_engine(), frames = 1, repeats = 1,
                     options = bench_options(warmups = 0, cross = list(devices = "gpu 2")))
  row <- run_bench(plan, memory_ledger(), progress = FALSE)
  expect_identical(row$status, "failed")
  expect_match(row$note, "asked for gpu 2 (Pretended Taper), and 0 did the work", fixed = TRUE)
})

test_that("real processors are sets of devices: taskset keeps the engine to those asked for", {
  skip_if(!nzchar(Sys.which("taskset")) || !nzchar(Sys.which("lscpu")) ||
          isTRUE(parallel::detectCores() < 2))
  project <- read_project(demo_file())
  plan <- project_plan(project, "processors")
  ledger <- memory_ledger()
  rows <- run_bench(plan, ledger, project$nodes$here, project$root, progress = FALSE)
  expect_true(all(rows$status == "ok"))
  expect_setequal(rows$threads, 1:2)
  cores <- parallel::detectCores()
  expect_setequal(rows$capacity, 1:2 / cores)
  expect_identical(nrow(compare_timings(rows, by = "capacity")), 1L)
  expect_identical(nrow(compare_timings(rows, by = "threads")), 1L)
  # Kept to one processor, two threads take the CPU time of one: the engine's own count is the
  # witness.
  engine <- project$engines$`pebble-pinned`
  engine$program <- "/bin/sh"
  engine$arguments <- list("-c", "taskset -cp $$; echo load 0 compute 0; cp \"$0\" {output}",
                           one_pixel(scratch()))
  engine$version <- engine$versions <- NULL
  trial <- list(shot = "s", scene = "gears", frame = 1, width = 32, height = 18, samples = 2,
                noise = NA, time_s = NA, threads = NA, version = NA, devices = "cpu 1")
  expect_match(try_engine(engine, trial, node = project$nodes$here)$ran$text, "affinity list: 1\n")
})

test_that("a pre-pass runs once a shot, as a row of its own, or before each frame, within its time", {
  folder <- scratch()
  engine <- script_engine(folder, "cat cache >/dev/null || exit 9",
                          paste("cp", one_pixel(folder), "$1"), "echo load 1",
                          reads = "prepass: {program: /bin/sh, arguments: [-c, 'echo x >> cache; sleep 0.1']}")
  plan <- plan_bench(small_shot(), engine, frames = 1:3, repeats = 1,
                     options = bench_options(warmups = 0))
  rows <- run_bench(plan, memory_ledger(), folder = folder, progress = FALSE)
  expect_identical(sum(rows$activity == "prepass"), 1L)
  expect_identical(sum(rows$status == "ok" & rows$activity == "render"), 3L)
  expect_gt(rows$wall_s[rows$activity == "prepass"], 0.09)
  expect_identical(length(readLines(file.path(folder, "cache"))), 1L)
  engine$prepass$each <- "frame"
  rows <- run_bench(plan_bench(small_shot(), engine, frames = 1:3, repeats = 1,
                               options = bench_options(warmups = 0)),
                    memory_ledger(), folder = folder, progress = FALSE)
  expect_true(all(rows$activity == "render" & rows$wall_s > 0.1))
  expect_identical(length(readLines(file.path(folder, "cache"))), 4L)
  engine$prepass$arguments <- list("-c", "echo no licence; exit 4")
  rows <- run_bench(plan_bench(small_shot(), engine, frames = 1, repeats = 1,
                               options = bench_options(warmups = 0)),
                    memory_ledger(), folder = folder, progress = FALSE)
  expect_match(rows$note, "the pre-pass: exit status 4: no licence")
})

test_that("a field that cannot be reckoned fails its trial, and the run goes on", {
  engine <- script_engine(scratch(), "exit 0")
  engine$arguments <- list("{sqrt(frame-2)}", "{output}")
  shot <- small_shot(scene = "a{1/(frame-1)}.dat")
  rows <- run_bench(plan_bench(shot, engine, frames = 1:3, repeats = 1,
                               options = bench_options(warmups = 0)),
                    memory_ledger(), progress = FALSE)
  expect_identical(nrow(rows), 3L)
  expect_true(all(rows$status == "failed"))
  expect_match(rows$note[rows$frame == 1], "gives no number for frame = 1", fixed = TRUE)
})
