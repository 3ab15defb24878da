skip_unless_long()

# A minute of the fuzzers in tests/fuzz; an hour of them is `make fuzz`.
test_that("whatever is broken in files, output, pictures, parcels, ledgers and commands, the answer is ours", {
  skip_on_cran()
  script <- test_path("../fuzz/fuzz.R")
  skip_if(!file.exists(script), "the fuzzers are not at hand")
  fuzz <- new.env()
  sys.source(script, fuzz)
  library_path <- dirname(getNamespaceInfo("clockpigeon", "path"))
  seconds <- as.numeric(Sys.getenv("CLOCKPIGEON_FUZZ_S", "60")) / length(fuzz$sections)
  seed <- as.integer(format(Sys.Date(), "%j")) * 100000L
  found <- fuzz$run_all(library_path, seconds, seed, script = normalizePath(script))
  expect_identical(found$says[nzchar(found$says)], character())
  expect_true(all(found$cases > 10))
})

test_that("the fuzzers find what they are to find", {
  script <- test_path("../fuzz/fuzz.R")
  skip_if(!file.exists(script), "the fuzzers are not at hand")
  fuzz <- new.env()
  sys.source(script, fuzz)
  expect_match(fuzz$verdict(stop("any other")), "foreign: any other")
  expect_match(fuzz$verdict(warning("raw")), "WARNING raw")
  expect_null(fuzz$verdict(clockpigeon:::stop_input("type", "got x")))
  expect_match(fuzz$verdict(stop(structure(class = c("clockpigeon_error", "error", "condition"),
                                           list(message = "a\001b", call = NULL)))),
               "control characters")
  set.seed(1)
  bytes <- charToRaw("shot: gears\nsize: 16x9\n")
  expect_gt(mean(vapply(1:200, function(i) !identical(fuzz$broken(bytes), bytes), NA)), 0.95)
})
