test_that("an unknown field is refused, with the near one", {
  f <- write_file(scratch(), "s.yaml", "shot: a", "scene: gears", "frmes: 1-3", "size: 16x9",
                  "limit: {samples: 1}")
  expect_refusal(read_shot(f), "field", c("s.yaml", "unknown field `frmes`", "`frames`"))
})

test_that("a missing field, a list where a mapping is due, and no YAML are refused", {
  folder <- scratch()
  expect_refusal(read_shot(write_file(folder, "a.yaml", "shot: a")), "field", "`frames` is missing")
  expect_refusal(read_shot(write_file(folder, "b.yaml", "- a", "- b")), "type", "name: value")
  expect_refusal(read_shot(write_file(folder, "c.yaml", "shot: [a")), "yaml", "c.yaml")
  expect_refusal(read_shot(write_file(folder, "d.yaml", "shot: a", "shot: b")), "yaml", "uplicate")
  expect_refusal(read_shot(write_file(folder, "e.yaml", "")), "type")
  expect_refusal(read_shot(file.path(folder, "none.yaml")), "file", "no such file")
})

test_that("YAML evaluates no code and makes no numbers of clock times", {
  folder <- scratch()
  mark <- file.path(folder, "made")
  f <- write_file(folder, "s.yaml", "shot: a", paste0("about: !expr file.create('", mark, "')"),
                  "scene: gears", "frames: 1-3", "size: 16x9", "limit: {time: 00:00:20}")
  shot <- suppressWarnings(read_shot(f))
  expect_false(file.exists(mark))
  expect_identical(shot$limit$time, 20)
})

test_that("an unquoted version is refused, since YAML drops its zero", {
  f <- write_file(scratch(), "n.yaml", "node: a", "devices: [{device: x, kind: cpu}]",
                  "engines: {pebble: [1.0, 1.1]}")
  expect_refusal(read_node(f), "type", "quotes")
})

test_that("only true and false are flags, and dates are dates", {
  expect_refusal(clockpigeon:::date_field("12.10.2026", "w"), "type", "2026-10-01")
  expect_refusal(clockpigeon:::date_field("2026-13-01", "w"), "type")
  f <- write_file(scratch(), "e.yaml", "engine: a", "program: sh", "arguments: [x]",
                  "limits: [samples]", "bands: yes")
  expect_refusal(read_engine(f), "type", "true or false")
})

test_that("YAML that repeats itself, nests or grows without end is refused at once, and `<<` fills gaps only", {
  read <- function(...)
    clockpigeon:::read_yaml_file(write_file(scratch(parent.frame()), "x.yaml", ...))
  for (mark in c("-x", "_x", "x")) {
    expect_refusal(read(paste0("a: &", mark, " [1]"), paste0("k", 1:30, ": *", mark)), "yaml",
                   "aliases")
    expect_refusal(read(paste0("a: &", mark, " [1]"), paste0("k", 1:30, ":\t*", mark)), "yaml",
                   "aliases")
  }
  expect_refusal(read(paste0("a: ", strrep("[", 5000), strrep("]", 5000))), "yaml", "64 deep")
  expect_refusal(read(strrep("- ", 5000)), "yaml", "64 deep")
  expect_refusal(read(paste0(strrep(" ", 0:200), "a:")), "yaml", "64 deep")
  expect_refusal(read(paste0("k", 1:60000, ": 1")), "yaml", "50,000 keys")
  x <- read("base: &base {size: 1, limit: 2}", "own:", "  <<: *base", "  size: 9")
  expect_identical(x$own[c("size", "limit")], list(size = 9L, limit = 2L))
})
