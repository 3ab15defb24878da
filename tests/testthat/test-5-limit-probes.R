test_that("the cheapest probes that will do are proposed, for the frame and for its worst tile", {
  options <- bench_options(cross = factor_grid(sizes = list(c(96L, 54L), c(48L, 27L))))
  shot <- small_shot(size = c(width = 192L, height = 108L))
  scout <- probe_limit(shot, pebble(), memory_ledger(), c(2, 8), 1, options,
                       running = running(keep = scratch(), progress = FALSE))
  x <- propose_probes(scout, 0.15)
  for (question in c("frame", "worst tile")) {
    own <- x[x$question == question, ]
    pick <- own[own$proposed, ]
    expect_identical(nrow(pick), 1L)
    if (any(own$error <= 0.15)) expect_identical(pick$seconds, min(own$seconds[own$error <= 0.15]))
    else expect_identical(pick$error, min(own$error))
  }
  # More pixels and samples cost more; more pixels know more, and a smaller size brings its own
  # error.
  frame <- as.data.frame(x[x$question == "frame" & x$samples == "4, 16", ])
  frame <- frame[order(frame$width), ]
  expect_true(all(diff(frame$seconds) > 0))
  expect_true(all(diff(frame$error) < 0))
  expect_gt(x$power[1], 0.2)  # a machine at work on other things gave 2
  band <- x[x$question == "worst tile", ]
  expect_true(all(band$last_row - band$first_row < 108))
  expect_output(print(x), "proposed|best there is")
  one <- scout
  one$pairs <- scout$pairs[scout$pairs$width == 48, ]
  expect_refusal(propose_probes(one), "limit", "one size")
})
