one <- list(shot = "s", scene = "gears", frame = 3, width = 32, height = 18, samples = 2,
            noise = NA, time_s = NA, threads = NA, version = NA, devices = NA)

test_that("one frame is run, and all that came of it is told", {
  folder <- scratch()
  pixel <- one_pixel(folder)
  engine <- script_engine(folder, "echo load 1.5; touch beside.txt", paste("cp", pixel, "$1"))
  found <- try_engine(engine, one, folder)
  expect_identical(found$judged$status, "ok")
  expect_match(found$judged$note, "not found in the output: compute_s")
  expect_identical(found$reads$found, c(1.5, NA))
  expect_setequal(basename(found$files$path), c("beside.txt", "try-0003.png"))
  expect_null(found$picture)
  expect_false(file.exists(found$output))
  kept <- try_engine(engine, one, folder, keep = file.path(folder, "kept"))
  expect_true(file.exists(kept$picture))
})

test_that("what an engine cannot do is refused, and a pre-pass that fails is said", {
  engine <- script_engine(scratch(), "exit 0")
  engine$values <- list(samples = list(known = c(4, 9), texts = c("2", "3")))
  expect_refusal(try_engine(engine, one), "engine", "can do 4 or 9 samples, not 2")
  engine <- script_engine(scratch(), "exit 0")
  engine$prepass <- list(each = "frame", program = "/bin/false", arguments = list("x"))
  expect_refusal(try_engine(engine, one), "engine", "the pre-pass: exit status 1")
})
