# Faults that were found by hard use, each with the case that failed.

test_that("a name that leads elsewhere, or means something to a shell, is no name", {
  shot <- function(name) {
    read_shot(write_file(scratch(), "s.yaml", paste0("shot: '", name, "'"), "scene: gears",
                         "frames: 1-3", "size: 16x9", "limit: {samples: 1}"))
  }
  for (name in c("*", "a/b", "..", "a\\b", "a?", "-rf", ".hidden", "a.", "nul", "CON.txt",
                 strrep("x", 101), "a|b")) {
    expect_refusal(shot(name), "name", "Write letters, digits")
  }
  for (name in c("gears", "shot 12_a", "J\u00f6rg-1.2")) expect_identical(shot(name)$shot, name)
  expect_refusal(clockpigeon:::check_name("a\001b", "here"), "name", c("here", "control character"))
})

test_that("a plan's picture is removed by its name alone, though it looks like a pattern", {
  folder <- scratch()
  kept <- write_file(folder, "x-0001-001.png", "mine")
  shot <- small_shot()
  shot$shot <- "*"  # as an older release would have read it
  engine <- script_engine(scratch(), "exit 1")
  run_bench(plan_bench(shot, engine, frames = 1, repeats = 1, options = bench_options(warmups = 0)),
            memory_ledger(),
            keep = folder, progress = FALSE)
  expect_true(file.exists(kept))
})

test_that("files are read whatever wrote them, and what cannot be is one sentence", {
  text <- "shot: a\nscene: gears\nframes: 1,3\nsize: 16x9\nlimit: {samples: 1}"
  folder <- scratch()
  path <- file.path(folder, "s.yaml")
  read <- function(bytes) {
    writeBin(bytes, path)
    read_shot(path)
  }
  plain <- charToRaw(text)
  expect_identical(read(plain)$frames, c(1L, 3L))  # no last line end, and 1,3 is no thirteen
  expect_identical(read(c(as.raw(c(0xef, 0xbb, 0xbf)), plain))$shot, "a")
  expect_identical(read(c(as.raw(c(0xff, 0xfe)), rbind(plain, as.raw(0))))$shot, "a")
  expect_identical(read(c(as.raw(c(0xfe, 0xff)), rbind(as.raw(0), plain)))$shot, "a")
  expect_identical(read(charToRaw(gsub("\n", "\r\n", text)))$shot, "a")
  expect_identical(read(c(charToRaw("about: caf"), as.raw(0xe9), charToRaw("\n"), plain))$about,
                   "caf\u00e9")
  refused <- function(text, topic, says) expect_refusal(read(charToRaw(text)), topic, says)
  refused(sub("samples: 1", "samples: 010", text), "type", "got '010'")
  refused(sub("samples: 1", "samples: 99999999999999999999", text), "type", "whole number")
  refused(paste0(text, "\n---\n", text), "yaml", "several documents")
  refused(paste0(text, "\nshot: b"), "yaml", "uplicate")
  refused(
    "a: &a [1]\nb: [*a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a, *a]", "yaml",
    "aliases")
  expect_refusal(read(c(plain, as.raw(0))), "yaml", "is binary")
  refused("shot: \"a\\x1bb\"\nscene: gears\nframes: 1\nsize: 16x9\nlimit: {samples: 1}\n", "name",
          "a\\x1bb")
  error <- refused(paste0("\"", strrep("z", 900), "\": 1"), "field", "unknown field")
  expect_lt(nchar(conditionMessage(error)), 1500)
})

test_that("a ledger that is empty, lacks a part, or holds text for a number is told so", {
  path <- file.path(scratch(), "l.sqlite")
  file.create(path)
  expect_refusal(open_ledger(path, read_only = TRUE), "ledger", "is empty")
  ledger <- open_ledger(path)
  add_timings(ledger, some_timings(1))
  DBI::dbExecute(
    ledger$con, "INSERT INTO runs (id, setting, wall_s, status, kind) VALUES ('x', 1, 'soon', 'ok', 'typed')")
  expect_refusal(timings(ledger), "ledger", c("a text where a number belongs", "`wall_s`"))
  DBI::dbExecute(ledger$con, "DROP VIEW timings")
  close_ledger(ledger)
  expect_refusal(open_ledger(path), "ledger", "it has no timings")
})

test_that("a parcel is not begun where it cannot be written, and has a limit that is said", {
  skip_if_not(dir.exists("/proc/self"))
  project <- read_project(demo_file())
  expect_refusal(pack_shot(project$manifests$gears, project$root, "/proc/self"), "file",
                 "cannot be written")
  local_value("most_parcel_files", 1L)
  basin <- project$manifests$basin
  basin$dynamic <- basin$dynamic[0, ]
  expect_refusal(pack_shot(basin, project$root, scratch()), "pack", "a parcel holds at most 1")
})

test_that("the built-in engine replaces files only, and refuses what it cannot do", {
  folder <- scratch()
  render <- function(...) run_pebble("--scene", "gears", "--samples", "1", ...)
  good <- c("--size", "16x9", "--frame", "1")
  dir.create(file.path(folder, "d.png"))
  into <- render(good, "--out", file.path(folder, "d.png"))
  expect_identical(into$status, 1L)
  expect_match(into$stderr, "something that is no file")
  system2("mkfifo", shQuote(file.path(folder, "f.png")))
  expect_identical(render(good, "--out", file.path(folder, "f.png"))$status, 1L)
  expect_true(file.exists(file.path(folder, "f.png")))
  out <- c("--out", file.path(folder, "x.png"))
  expect_match(render(good, "--out", file.path(folder, "x.jpg"))$stderr, "ends in .png or .pfm")
  for (case in list(list(c("--frame", "1", "--size", "32000x32000"), "268 million"),
                    list(c("--frame", "1", "--size", "99999999999x1"), "two whole numbers"),
                    list(c("--frame", "1", "--size", "1e3x9"), "two whole numbers"),
                    list(c("--frame", "3-1", "--size", "16x9"), "write 12, 1-120"),
                    list(c("--frame", "1-3 by 0", "--size", "16x9"), "write 12, 1-120"),
                    list(c("--frame", "1", "--size", "16x9", "--band", "5-99"), "rows 1-9"))) {
    ran <- render(case[[1]], out)
    expect_identical(ran$status, 2L, info = paste(case[[1]], collapse = " "))
    expect_match(ran$stderr, case[[2]])
  }
  far <- render("--frame", "1-3 by 999999999", "--size", "16x9", out)  # the step overflowed
  expect_identical(far$status, 0L)
  expect_length(list.files(folder, "x-"), 1)
})
