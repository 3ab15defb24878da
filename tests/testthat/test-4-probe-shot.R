test_that("a shot is probed until its total is as narrow as asked, and the total is right", {
  skip_if(!nzchar(pebble_program()))
  ledger <- memory_ledger()
  shot <- small_shot(frames = 1:60)
  found <- probe_shot(shot, pebble(), ledger, probing(target = 0.15, cheap = FALSE),
                      running = running(progress = FALSE))
  expect_identical(found$ended, "narrow")
  last <- found$steps[nrow(found$steps), ]
  expect_lte(last$half_width, 0.15)
  expect_identical(found$curve$frame, sort(found$rows$frame))
  expect_true(all(first_probes(1:60, 3) %in% found$rows$frame))
  expect_identical(nrow(timings(ledger)), nrow(found$rows))
  # What is known is not measured again.
  again <- probe_shot(shot, pebble(), ledger, probing(target = 0.5, cheap = FALSE),
                      running = running(progress = FALSE))
  expect_identical(nrow(timings(ledger)), nrow(found$rows))
  expect_identical(again$total$probes, found$total$probes)
  expect_output(print(found), "Total on one node")
})

test_that("with a cheap pass its times are used and its cost counts", {
  ledger <- memory_ledger()
  shot <- small_shot(frames = 1:40)
  found <- probe_shot(shot, pebble(), ledger, probing(target = 0.3, cheap = TRUE),
                      running = running(progress = FALSE))
  expect_true(found$cheap$used)
  expect_identical(found$curve$cheap$timed, 40L)
  expect_gt(found$spent_s, found$cheap$took)
  expect_identical(sum(grepl("cheap pass", timings(ledger)$note)), 40L)
  decided <- probe_shot(shot, pebble(), memory_ledger(), probing(target = 0.3),
                        running = running(progress = FALSE))
  expect_match(decided$cheap$why, "a cheap frame takes .* probes without it")
})

test_that("the budget ends it, and a frame that fails is said", {
  found <- probe_shot(small_shot(frames = 1:40), pebble(), memory_ledger(),
                      probing(target = 0.001, budget = 0.01, cheap = FALSE),
                      running = running(progress = FALSE))
  expect_identical(found$ended, "budget_used")
  bad <- pebble()
  bad$arguments <- c(bad$arguments, "--no-such")
  expect_refusal(probe_shot(small_shot(), bad, memory_ledger(), probing(cheap = FALSE),
                            running = running(progress = FALSE)), "curve", "failed")
})

test_that("frames measured at other counts of samples are brought to the shot's own", {
  shot <- small_shot(frames = 1:40)
  shot$limit <- list(samples = 16L)
  row <- function(seconds, frame, samples) {
    some_timings(seconds, scene = shot$scene, frame = frame, limit_value = samples,
                 width = shot$size[["width"]], height = shot$size[["height"]])
  }
  # 0.2 s + 0.1 s a sample on frame 5; frame 20 twice as dear and known at 8 samples alone.
  rows <- rbind(row(1, 5, 8), row(1.8, 5, 16), row(0.6, 5, 4), row(2, 20, 8), row(9, 30, 100))
  brought <- clockpigeon:::brought_rows(shot, rows[rows$limit_value != 16, ],
                                        rows[rows$limit_value == 16, ])
  expect_equal(brought$seconds[brought$frame == 20], 3.6, tolerance = 0.05)
  expect_true(all(brought$scaled >= 0.05))
  expect_false(30 %in% brought$frame)
  # Half the width and height: a quarter of the pixels, a quarter of the time, give or take.
  small <- row(0.5, 33, 16)
  small$width <- small$width / 2L
  small$height <- small$height / 2L
  grown <- clockpigeon:::brought_rows(shot, small, rows[rows$limit_value == 16, ])
  expect_equal(c(grown$seconds, grown$scaled), c(2, log(4) * 0.15))
})
