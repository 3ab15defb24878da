trial <- list(scene = "a b; rm -rf $HOME", frame = 7, width = 320, height = 180, samples = 100000,
              noise = NA, time_s = NA, threads = NA, version = "1.1")

test_that("fields are filled, and groups without a value fall out whole", {
  values <- clockpigeon:::trial_values(trial, list(engine = "e"), "/tmp/o.png", "/tmp")
  filled <- clockpigeon:::fill_arguments(list("+I{scene}", c("--size", "{width}x{height}"),
                                              c("--noise", "{noise}"), c("--n", "{samples}"),
                                              "plain"), values)
  expect_identical(filled, c("+Ia b; rm -rf $HOME", "--size", "320x180", "--n", "100000", "plain"))
})

test_that("the last match of a pattern counts, and what is not there is NA", {
  text <- "load 1.5 s\npass 1 compute 2\npass 2 compute 4.25\n"
  found <- clockpigeon:::parse_output(text, list(load_s = "load ([0-9.]+) s",
                                                 compute_s = "compute ([0-9.]+)",
                                                noise = "noise ([0-9.]+)"))$found
  expect_identical(found[["load_s"]], 1.5)
  expect_identical(found[["compute_s"]], 4.25)
  expect_true(is.na(found[["noise"]]))
})

test_that("POV-Ray's own words are read", {
  profile <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))
  text <- paste(c("Parse Time:       0 hours  0 minutes  0 seconds (0.012 seconds)",
                  "Trace Time:       0 hours  1 minutes  2 seconds (62.345 seconds)"),
                collapse = "\n")
  found <- clockpigeon:::parse_output(text, profile$reads)$found
  expect_identical(found[["load_s"]], 0.012)
  expect_identical(found[["compute_s"]], 62.345)
})


test_that("arguments, environment, folder and values are filled for a profile of odd habits", {
  engine <- read_engine(write_file(scratch(), "e.yaml", "engine: odd", "program: sh",
                                   "limits: [samples]",
                                   "arguments: ['{scene}', [-q, '{samples}'], [-n, '{frame-1:03}'], [-t, '{threads:2}']]",
                                   "environment: {PICTURE: '{stem}', TAG: 'x{noise}'}",
                                   "folder: '{scene_folder}'", "output_as: '{stem}{frame:03}.png'",
                                   "values: {samples: {is: 2^n, n: 0-6}}"))
  root <- scratch()
  write_file(root, "scenes/a-0007.dat", "x")
  it <- utils::modifyList(trial, list(scene = "scenes/a-{frame:04}.dat", samples = 16))
  values <- clockpigeon:::trial_values(it, engine, "/out/p.png", root)
  command <- clockpigeon:::trial_command(engine, "/bin/sh", values, root)
  expect_identical(command$arguments,
                   c(file.path(root, "scenes/a-0007.dat"), "-q", "4", "-n", "006", "-t", "2"))
  expect_identical(command$environment, c(PICTURE = "/out/p"))
  expect_identical(command$folder, file.path(root, "scenes"))
  expect_null(clockpigeon:::value_trouble(engine, it))
  it$samples <- 10
  expect_match(clockpigeon:::value_trouble(engine, it),
               "odd can do 1, 2, 4, 8, 16, 32 or 64 samples, not 10", fixed = TRUE)
  expect_identical(clockpigeon:::possible_count(engine, c(5, 64, 100)), c(8, 64, 64))
})

test_that("devices are passed as arguments, variables or a program in front", {
  engine <- read_engine(write_file(scratch(), "e.yaml", "engine: odd", "program: sh",
                                   "arguments: [x]", "limits: [samples]", "devices:", "  gpu:",
                                   "    use: [[--cards, '{device_index}'], '--n={device_count}']",
                                   "    environment: {CARDS: '{device_index}'}", "    join: ';'",
                                   "    share: [[--part, '{share}']]",
                                   "  cpu: {through: [sh, -c, '{device_index}']}"))
  command <- function(...) clockpigeon:::trial_command(engine, "/bin/odd", list(), "/", list(...))
  two <- command(kind = "gpu", index = c("0", "2"), share = 0.5)
  expect_identical(two$arguments, c("x", "--cards", "0;2", "--n=2", "--part", "50"))
  expect_identical(two$environment, c(CARDS = "0;2"))
  expect_identical(command(kind = "gpu", index = "1", share = 1)$arguments,
                   c("x", "--cards", "1", "--n=1"))
  own <- command(kind = "cpu", index = "1", share = 1)
  expect_identical(basename(own$program), "sh")
  expect_identical(own$arguments, c("-c", "1", "/bin/odd", "x"))
})

test_that("numbers are read in any country, and those that cannot be are named", {
  read <- clockpigeon:::read_number
  expect_identical(vapply(c("12.5", "0,25", "12,5", "1,234,567", "1 234.5", "1e3"), read, 0,
                          USE.NAMES = FALSE),
                   c(12.5, 0.25, 12.5, 1234567, 1234.5, 1000))
  expect_true(is.na(read("1,234")))  # a thousand, or a decimal comma
  found <- clockpigeon:::parse_output("load -3 s\ncompute 1e400 s\nrays 12\n\xff noise nan",
                                      list(load_s = "load (\\S+)", compute_s = "compute (\\S+)",
                                           work = "rays (\\S+)"))
  expect_identical(found$found[["work"]], 12)
  expect_true(all(is.na(found$found[c("load_s", "compute_s")])))
  expect_identical(found$odd, c("load_s -3", "compute_s 1e400"))
})
