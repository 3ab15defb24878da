test_that("a plan crosses everything, one of each setting a block, in an order of its own", {
  shots <- read_project(demo_file())$shots[c("gears-review", "basin-review")]
  plan <- plan_bench(shots, pebble(), frames = "1-21 by 10",
                     limits = list(list(samples = 2), list(noise = 0.1)), threads = c(1, 2),
                     repeats = 3)
  plan <- plan$trials
  blocks <- split(as.data.frame(plan), plan[["repeat"]])
  expect_identical(vapply(blocks, nrow, 0L), c("0" = 2L, "1" = 48L, "2" = 48L, "3" = 48L))
  key <- function(b) paste(b$shot, b$frame, b$version, b$samples, b$noise, b$threads)
  for (b in blocks[-1]) expect_false(anyDuplicated(key(b)) > 0)
  expect_setequal(key(blocks[[2]]), key(blocks[[3]]))
  expect_false(identical(key(blocks[[2]]), key(blocks[[3]])))
  expect_identical(plan$run_order, seq_len(nrow(plan)))
})

test_that("the seed fixes the order", {
  order <- function(seed) plan_bench(small_shot(), pebble(), repeats = 3,
                                     options = bench_options(seed = seed, probes = 5))$trials$frame
  expect_identical(order(2), order(2))
  expect_false(identical(order(2), order(3)))
})

test_that("a plan file becomes trials", {
  plan <- project_plan(read_project(demo_file()))$trials
  expect_identical(nrow(plan), 2L + 2L * 18L)
  expect_setequal(unique(plan$version), c("1.0", "1.1"))
  expect_refusal(project_plan(read_project(demo_file()), "rewiew"), "choice",
                 "Did you mean review?")
})

test_that("plan_bench validates its inputs", {
  expect_refusal(plan_bench(small_shot(), pebble(), frames = 900), "plan", c("frame 900", "1-720"))
  expect_refusal(plan_bench(small_shot(), pebble(), versions = list(pebble = "2.0")), "choice",
                 "1.0 or 1.1")
  expect_refusal(plan_bench("gears", pebble()), "type", "read_shot()")
  expect_refusal(plan_bench(small_shot(), pebble(), repeats = 0), "type")
  povray <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))
  expect_refusal(plan_bench(small_shot(), povray, versions = list(povray = "3")), "plan",
                 "one version")
  expect_refusal(bench_options(warmups = -1), "type")
})

test_that("a study of devices takes nodes with their own, or sets of them", {
  plan <- function(cross) {
    plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"), frames = 1,
               options = bench_options(study = "device", cross = cross))
  }
  expect_s3_class(plan(list(nodes = c("left", "right"))), "cp_bench_plan")
  expect_s3_class(plan(list(devices = c("gpu 0", "gpu 1"))), "cp_bench_plan")
  expect_refusal(plan(list(devices = "gpu 0")), "plan", "studies device, and has one level")
})

test_that("an engine that is named twice has the versions of both", {
  merged <- clockpigeon:::merged_engines(list(list(engine = "pebble", versions = "1.0"),
                                              list(engine = "quern", versions = NULL),
                                              list(engine = "pebble", versions = "1.1")))
  expect_identical(names(merged), c("pebble", "quern"))
  expect_identical(merged$pebble$versions, c("1.0", "1.1"))
  expect_null(merged$quern$versions)
  withr::local_dir(local_project())
  o <- list(engines = "pebble 1.0,pebble 1.1", shots = "gears-review", frames = "1", repeats = 1L)
  plan <- clockpigeon:::cli_plan(read_project(), NULL, o)
  expect_setequal(plan$trials$version, c("1.0", "1.1"))
})
