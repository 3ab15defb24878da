labels <- c(job = "j", site = "s", tier = "t")

test_that("a job cut at any moment and continued ends as the uncut one", {
  set.seed(11)
  seeds <- clockpigeon:::stream_seeds(9, labels)
  cards <- list(
    NULL, flat_card("{per: node-hour, amount: 36 EUR, step: 30 s, rounding: up, rounded: run}"),
    flat_card("{per: node-hour, amount: 36 EUR, step: 1 s}",
              paste0("charges: [{charge: day, per: node-hour, amount: 20 EUR, ",
                     "hours: [{from: '08:00', to: '08:03'}]}, {charge: f, per: frame, amount: 0.1 EUR}]"),
              meter = "boot to release"))
  now <- as.POSIXct("2026-11-03 07:59:00", tz = "UTC")
  for (i in 1:150) {
    way <- random_way()
    card <- cards[[i %% 3 + 1]]
    if (length(card) && stats::runif(1) < 0.4)
      way[c("cap", "cap_lag")] <- list(stats::runif(1, 0.5, 6), 20)
    seconds <- matrix(stats::rlnorm(sample(1:12, 1), 3, 0.5), 1)
    go <- function(state) {
      simulate_job(seconds, way, seed = 9, drawing = list(labels = labels), state = state,
                   keep = TRUE, meter = if (length(card)) list(rate_card = card, now = now))
    }
    whole <- go(NULL)
    d <- twin_draw(seconds[1, ], way, seeds, 1)
    ends <- max(d$spans$to, d$t$hired)
    for (at in floor(stats::runif(4, 0, 1.02 * ends))) {
      expect_equal(go(twin_state(d, way, at))[c("draws", "home", "lines")],
                   whole[c("draws", "home", "lines")],
                   tolerance = 1e-12, label = paste("case", i, "cut at", at))
    }
  }
})

test_that("hours, charges by the hour, a halt and frames left are the same side by side and one by one", {
  set.seed(3)
  card <- flat_card("{per: node-hour, amount: 36 EUR, step: 1 s}",
                    "charges: [{charge: day, per: node-hour, amount: 20 EUR, hours: [{from: '08:00', to: '08:09'}]}]")
  now <- as.POSIXct("2026-11-03 07:59:00", tz = "UTC")
  for (i in 1:12) {
    seconds <- matrix(stats::rlnorm(11 * 30, 3, 0.5), 11)
    way <- job_way(list(count = sample(1:5, 1), speed = list(log_factor = 0, se = 0.3, df = Inf)),
                   stages(wait = c(median = 60, p90 = 200), load = c(median = 10, p90 = 30)),
                   transfers = if (i %% 2) list(frame_bytes = 1e7, link = 5e6),
                   open = if (i %% 3)
                   matrix(cumsum(stats::runif(20, 60, 300)), ncol = 2, byrow = TRUE),
                   halt_s = if (i %% 4) stats::runif(1, 50, 500))
    left <- if (i %% 5 > 1) matrix(stats::runif(11 * 30) < 0.6, 11)
    go <- function(lanes) {
      simulate_job(seconds, way, seed = i, keep = TRUE, meter = list(rate_card = card, now = now),
                   drawing = list(lanes = lanes), state = if (length(left)) list(left = left))
    }
    expect_identical(go(TRUE), go(FALSE), label = paste("case", i))
  }
})

test_that("a halted way and the frames it left make up the whole job", {
  # One node, 10 frames of 60 s, halted at 200 s: four are begun, and end at 240 s; six are left.
  whole <- simulate_job(matrix(60, 1, 10), job_way(halt_s = 200))
  expect_equal(whole$draws$finish_s, 240)
  expect_identical(which(whole$begun[, 1]), 1:4)
  rest <- simulate_job(matrix(60, 1, 10), job_way(nodes = 3, begin_s = 200),
                       state = list(left = t(!whole$begun)))
  expect_equal(rest$draws$finish_s, 200 + 2 * 60)
  expect_equal(c(whole$draws$frames_done, rest$draws$frames_done), c(4, 6))
  # Nodes that are not there yet never come.
  late <- simulate_job(matrix(60, 1, 10), job_way(stages = stages(wait = 300), halt_s = 200))$draws
  expect_equal(c(late$frames_done, late$node_hours), c(0, 0))
})

test_that("money that a site says was spent stands instead of what its card makes of it", {
  card <- flat_card("{per: node-hour, amount: 36 EUR, step: 1 s}")
  done <- data.frame(node = 1, does = "render", from_s = c(0, 60), to_s = c(60, NA), frame = 1:2)
  go <- function(spent) {
    simulate_job(matrix(60, 1, 3), job_way(), meter = list(rate_card = card),
                 state = list(at_s = 90, nodes = done, spent = spent))$draws
  }
  expect_equal(go(NA)$to_pay, 1.8)
  expect_equal(go(1.4)$to_pay, 1.8 + 0.5)   # the card makes 0.90 of the 90 s
  expect_equal(go(NA)$finish_s, 180)
})

test_that("a state that cannot be is one clear error", {
  go <- function(...) simulate_job(matrix(60, 1, 3), job_way(), state = list(...))
  spans <- function(...)
    data.frame(node = 1, does = "render", from_s = 0, to_s = NA_real_, frame = 1)
  expect_refusal(go(at_s = 5, stages = c(upload = 9)), "type", "after the moment of the state")
  expect_refusal(go(at_s = 5, nodes = transform(spans(), does = "sleep")), "type", "a node does")
  expect_refusal(go(at_s = 5, nodes = transform(spans(), frame = 7)), "type",
                 "beyond the 3 of the job")
  expect_refusal(go(at_s = 5, nodes = rbind(spans(), spans())), "type", "two things at once")
  expect_refusal(go(moment = 5), "field", "has moment")
  expect_refusal(go(left = c(TRUE, FALSE)), "type", "for each of 1 draws x 3 frames")
})
