test_that("probes are pairs of renders that differ in the seed, and their times go to the ledger", {
  ledger <- memory_ledger()
  probes <- small_probes(ledger, scratch(), frames = c(1, 300))
  expect_identical(probes$pairs$samples, c(2, 8, 2, 8))
  expect_identical(probes$pairs$frame, c(1L, 1L, 300L, 300L))
  expect_identical(probes$light, "linear")
  rows <- timings(ledger)
  expect_identical(nrow(rows), 9L)
  expect_identical(sum(rows$warm), 8L)
  again <- noise_between(read_picture(probes$pairs$picture[1]),
                         read_picture(probes$pairs$picture_2[1]))
  expect_identical(probes$pairs$noise[1], again$noise)
  expect_equal(probes$pairs$noise[1] / probes$pairs$noise[2], 2, tolerance = 0.2)
  expect_identical(dim(probes$maps[[1]]), c(6L, 13L))
})

test_that("features and sizes are probed as the options cross them", {
  options <- bench_options(warmups = 0, cross = factor_grid(features = list(bounces = c("2", "32")),
                                                            sizes = list(c(48L, 27L), c(96L, 54L))))
  probes <- small_probes(memory_ledger(), scratch(), options = options)
  expect_identical(nrow(probes$pairs), 8L)
  expect_identical(sort(unique(probes$pairs$width)), c(48L, 96L))
  study <- study_limit(probes, noise = 0.3)
  expect_identical(nrow(study$frames), 4L)
})

test_that("a band of rows is probed alone, and must lie in the frame", {
  ledger <- memory_ledger()
  probes <- small_probes(ledger, scratch(),
                         options = bench_options(cross = factor_grid(rows = c(20, 40))))
  expect_identical(dim(read_picture(probes$pairs$picture[1])), c(21L, 96L, 3L))
  expect_identical(unique(timings(ledger)$piece), "rows 20-40")
  expect_refusal(small_probes(ledger, scratch(),
                              options = bench_options(cross = factor_grid(rows = c(20, 55)))),
                 "region",
                 "outside the frame, which has rows 1-54")
  expect_refusal(bench_options(cross = factor_grid(rows = c(40, 20))), "region")
})

test_that("an engine without seeds is measured against a reference, or refused", {
  engine <- pebble()
  engine$arguments <- Filter(function(a) !any(grepl("{seed}", a, fixed = TRUE)), engine$arguments)
  shot <- small_shot(size = c(width = 96L, height = 54L))
  probe <- function(...) {
    probe_limit(shot, engine, memory_ledger(), c(2, 8), 1, ...,
                running = running(keep = scratch(), progress = FALSE))
  }
  expect_refusal(probe(), "limit", "takes no seed")
  expect_refusal(probe(beside = list(reference = 16)), "type")
  probes <- probe(beside = list(reference = 128))
  expect_identical(probes$against, "reference")
  # Against the same seed's own continuation the error is what the first samples bring: near the law
  # all the same.
  expect_equal(probes$pairs$noise[1] / probes$pairs$noise[2], 2, tolerance = 0.25)
})

test_that("probes that cannot answer are refused, and say which render failed", {
  ledger <- memory_ledger()
  expect_refusal(probe_limit(small_shot(), pebble(), ledger, 4), "limit", "one count")
  povray <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))
  expect_refusal(probe_limit(small_shot(), povray, ledger), "limit", "takes no seed")
  folder <- scratch()
  script <- script_engine(folder, "echo load 1; echo compute 1; exit 3")
  script$arguments <- list("{output}", "{seed}")
  expect_refusal(probe_limit(small_shot(), script, ledger, c(1, 2), 1,
                             running = running(progress = FALSE)), "limit",
                 "exit status 3")
})
