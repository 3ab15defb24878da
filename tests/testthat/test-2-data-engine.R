profile <- function(...) c("engine: a", "program: sh", "limits: [samples]", ...)

test_that("the shipped profiles are read", {
  for (name in c("pebble", "povray"))
    expect_s3_class(read_engine(system.file("engines", paste0(name, ".yaml"),
      package = "clockpigeon")), "cp_engine")
  expect_true(file.exists(clockpigeon:::engine_program(pebble())))
})

test_that("unknown fields of arguments, limits and patterns are refused", {
  read <- function(...) read_engine(write_file(scratch(), "e.yaml", profile(...)))
  expect_refusal(read("arguments: ['--s {sample}']"), "engine", c("{sample}", "{samples}"))
  expect_refusal(read("arguments: [x]", "reads: {load_s: 'load [0-9]+'}"), "engine", "one group")
  expect_refusal(read("arguments: [x]", "reads: {load_s: 'load ([0-9]+'}"), "engine", "one group")
  expect_refusal(read("arguments: [x]", "reads: {speed: '(x)'}"), "field", "speed")
  expect_refusal(read("arguments: ['{version}']"), "engine", "versions")
  expect_refusal(read_engine(write_file(scratch(), "e.yaml", "engine: a", "program: sh",
                                        "arguments: [x]", "limits: [passes]")), "choice", "samples")
})

test_that("a program that is not installed is named, with how to get it", {
  engine <- read_engine(write_file(scratch(), "e.yaml", "engine: a", "program: no-such-renderer",
                                   "install: ask its maker", "arguments: [x]", "limits: [samples]"))
  expect_refusal(clockpigeon:::engine_program(engine), "engine",
                 c("no-such-renderer", "field `program`", "ask its maker"))
})
