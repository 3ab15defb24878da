test_that("a study names the count, the worst tile and the worst frame, and its price", {
  probes <- small_probes(memory_ledger(), scratch(), frames = c(1, 300), samples = c(4, 16))
  study <- study_limit(probes, noise = 0.15, hourly = 3600)
  frames <- study$frames
  expect_identical(frames$samples, pmax(frames$samples_frame, frames$samples_tile))
  expect_identical(which(frames$governs), which.max(frames$samples))
  expect_equal(frames$cost, frames$seconds)
  expect_identical(study$targets[["tile_noise"]], 0.3)
  best <- study_limit(probes, noise = 0.15, confidence = 0.5)
  expect_true(all(best$frames$samples <= frames$samples))
  # The tile is the worst of the map, brought to one sample.
  map <- probes$maps[[2]]
  place <- which(map$row == frames$row[1] & map$column == frames$column[1])
  expect_gt(map$seen[place], stats::quantile(map$seen, 0.7))
  # The price is that of the card and the machine it names.
  site <- read_site(demo_file("sites/attic.yaml"))
  price <- clockpigeon:::hourly_price(site, "pebble", "here")
  expect_equal(price$hourly, 0.31 * 0.42)
  rented <- clockpigeon:::hourly_price(read_site(demo_file("sites/quayside.yaml")), "pebble",
                                       "here")
  expect_equal(rented$hourly, 2.6 / 4)
  expect_null(clockpigeon:::hourly_price(site, "pebble", "elsewhere"))
})

test_that("what many targets take is what a study of each says", {
  study <- study_limit(small_probes(memory_ledger(), scratch(), frames = c(1, 300),
                                    samples = c(4, 16)), noise = 0.1)
  targets <- c(0.05, 0.1, 0.3)
  each <- vapply(targets, function(noise) max(study_limit(study$probes, noise)$frames$samples), 0)
  expect_identical(limit_needs(study, targets), each)
  expect_gt(each[1], each[3])
})

test_that("the three limits side by side: each holds what it names, and the first ends a frame", {
  probes <- small_probes(memory_ledger(), scratch(), frames = c(1, 300), samples = c(4, 16))
  study <- study_limit(probes, noise = 0.1)
  x <- three_limits(study, samples = 40, time = 1)
  of <- function(limit) x[x$limit == limit, ]
  expect_identical(of("samples")$samples, c(40, 40))
  expect_equal(of("time")$seconds, c(1, 1))
  expect_gt(abs(diff(log(of("noise")$samples))), 0.2)
  lowest <- pmin(of("samples")$samples, of("noise")$samples, of("time")$samples)
  expect_identical(of("all three")$samples, lowest)
  expect_identical(unique(three_limits(study, samples = 1, time = 100)$ended_by[c(4, 8)]),
                   "samples")
})

test_that("a time limit reaches on another machine what its speed gives", {
  study <- study_limit(small_probes(memory_ledger(), scratch(), samples = c(4, 16)), noise = 0.1)
  x <- time_limit_on(study, 10, c(here = 1, fast = 4))
  line <- study$fits[[1]]$time$estimate
  expect_equal(x$samples, (c(10, 40) - line[["start"]]) / line[["each"]])
  expect_equal(x$noise[1] / x$noise[2], sqrt(x$samples[2] / x$samples[1]), tolerance = 1e-6)
  expect_refusal(time_limit_on(study, 10, 4), "type", "named")
  rows <- some_timings(c(10, 20, 5, 5, 99), node = c("a", "a", "b", "b", "c"),
                       frame = c(1, 2, 1, 2, 3))
  expect_equal(measured_speeds(rows, "e", "a"), c(a = 1, "b (d)" = sqrt(2 * 4)))
})

test_that("a predicted noise limit is what the engine takes", {
  probes <- small_probes(memory_ledger(), scratch(), frames = 1, samples = c(4, 16),
                         beside = list(noise = 0.05))
  expect_identical(probes$adaptive$frame, c(1L, 1L))
  x <- three_limits(study_limit(probes, noise = 0.1))
  # Time by hand: the least everywhere, the rest at what the coarse run paid for them.
  line <- study_limit(probes, noise = 0.1)$fits[[1]]$time$estimate
  even <- line[["start"]] + 8 * line[["each"]]
  dear <- sum(pmax(probes$adaptive$seconds - even, 0)) / sum(probes$adaptive$samples - 8)
  expect_equal(x$seconds[x$limit == "noise"], even + dear * (x$samples[x$limit == "noise"] - 8))
  said <- run_pebble("--scene", "gears", "--frame", 1, "--size", "96x54", "--noise", 0.1, "--seed",
                     9, "--out", file.path(scratch(), "a.pfm"))$stdout
  real <- as.numeric(sub(".*\nsamples ([0-9.]+)\n.*", "\\1", said))
  expect_equal(x$samples[x$limit == "noise"], real, tolerance = 0.15)
})
