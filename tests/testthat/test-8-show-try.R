test_that("a try is shown whole: command, output with its ends, files, reads and verdict", {
  folder <- scratch()
  pixel <- one_pixel(folder)
  engine <- script_engine(
    folder, "for i in $(seq 40); do echo \"line $i\"; done; printf 'odd \\033[31m\\n'; echo load 2",
    paste("cp", pixel, "$1"))
  trial <- list(shot = "s", scene = "a b", frame = 3, width = 32, height = 18, samples = 2,
                noise = NA, time_s = NA, threads = NA, version = NA, devices = NA)
  lines <- cli::ansi_strip(try_lines(try_engine(engine, trial, folder)))
  text <- paste(lines, collapse = "\n")
  for (part in c("engine.sh", "exit status 0", "| line 1\n", "(18 lines left out)", "odd \\x1b[31m",
                 "try-0003.png", "bytes, the picture asked for", "load_s     2",
                 "compute_s  nothing", "Good: ")) {
    expect_match(text, part, fixed = TRUE)
  }
  engine$reads <- list()
  expect_match(paste(try_lines(try_engine(engine, trial, folder)), collapse = "\n"),
               "'load ([0-9.,]+)'", fixed = TRUE)
})

test_that("a command can be typed again as it is shown", {
  expect_identical(wrap_command(c("a", "b c", "$x", "-o=1"), 80), "  a 'b c' '$x' -o=1")
  long <- wrap_command(rep("word", 30), 40)
  expect_true(all(nchar(long) <= 40))
  expect_identical(sum(lengths(strsplit(trimws(sub(" [\\]$", "", long)), " "))), 30L)
})
