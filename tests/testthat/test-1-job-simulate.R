simulated <- function(seconds, ..., draws = 1)
  simulate_job(seconds, flat_way(...), draws = draws)$draws

test_that("equal frames take whole rounds, on one node, on many, at any speed", {
  expect_equal(simulated(rep(60, 10))$finish_s, 600)
  expect_equal(simulated(rep(60, 100), nodes = 24)$finish_s, 5 * 60)
  expect_equal(simulated(rep(60, 100), nodes = 25)$finish_s, 4 * 60)
  expect_equal(simulated(rep(60, 100), nodes = 33)$finish_s, 4 * 60)
  expect_equal(simulated(rep(60, 100), nodes = 25, speed = 2)$finish_s, 2 * 60)
  # one frame, more slots than frames
  expect_equal(simulated(60, nodes = 8)$finish_s, 60)
  expect_equal(simulated(rep(60, 12), nodes = 3, spread = "ranges")$finish_s, 4 * 60)
})

test_that("every stage is in the finish, and the stages of the longest chain add up to it", {
  d <- simulated(rep(10, 12), nodes = 3, begin_s = 5, prepare = 20, upload = 3e8, link = 1e7,
                 wait = 100, start = 15, install = 5, load = 2, prepass = list(tasks = 6, each = 4),
                 frame_bytes = 1e7, encode = 9)
  # 5 held back, 20 to prepare, 30 up, 100 waiting, 22 to be ready, two rounds of pre-pass, four of
  # frames, one more frame down
  expect_equal(unlist(d[3:12]),
               c(held_s = 5, prepare_s = 20, upload_s = 30, wait_s = 100, start_s = 22,
                 prepass_s = 8, render_s = 40, closed_s = 0, download_s = 3, encode_s = 9))
  expect_equal(d$finish_s, 25 + 30 + 100 + 22 + 8 + 40 + 3 + 9)
  # three frames at once, one second each down the same link; frames that are slower down than
  # rendered
  slow <- simulated(rep(10, 12), nodes = 3, link = 1e7, frame_bytes = 1e8)
  expect_equal(slow$finish_s, 10 + 12 * 10)
  expect_equal(slow$render_s, 10)
  one <- simulated(rep(10, 12), nodes = 3, prepass = list(tasks = 6, each = 4, on = "one"))
  expect_equal(one$prepass_s, 24)
})

test_that("parts of a frame pay the load again and are merged; shares go through the coordinator's link", {
  # 4 bands: 2 s of load each, a quarter of the other 8 s, and 1 s to merge behind the last
  bands <- simulated(rep(10, 3), nodes = 4, spread = "bands", parts = 4, part_load_s = 2, merge = 1)
  expect_equal(bands$finish_s, 3 * (2 + 8 / 4) + 1)
  shares <- simulated(rep(10, 3), nodes = 4, spread = "shares", parts = 4, part_bytes = 1e7,
                      part_link = 1e7)
  expect_equal(shares$finish_s, 2.5 + 3 * 4)   # 2.5 s a frame to render, 4 s through the link
  uneven <- simulated(10, nodes = 2, spread = "bands", parts = 2, part_weight = c(3, 1))
  expect_equal(uneven$finish_s, 7.5)
})

test_that("nodes work in their hours only, and a frame that has begun is finished", {
  open <- rbind(c(100, 200), c(1000, 1100))
  d <- simulated(rep(60, 4), open = open)
  # begins at 100, 160 (ends at 220), waits until 1000, then two more
  expect_equal(d$finish_s, 1120)
  expect_equal(c(d$start_s, d$closed_s, d$render_s), c(100, 820, 200))
})

test_that("failed runs cost their time, and frames that fail too often are lost", {
  d <- simulated(rep(60, 400), fails = 0.25, retries = 50, draws = 50)
  # a run fails with 1/4 after half of its time on average: 1/3 of a failure a frame
  expect_equal(mean(d$finish_s), 400 * 60 * (1 + 1 / 3 / 2), tolerance = 0.01)
  expect_true(all(d$frames_lost == 0))
  none <- simulated(rep(60, 400), fails = 0.25, retries = 0, draws = 50)
  expect_equal(mean(none$frames_lost), 100, tolerance = 0.05)
})

test_that("lost nodes give their frame to another, and are replaced or not", {
  d <- simulated(rep(600, 60), nodes = 6, vanish = 0.5, notice_s = 60, draws = 200)
  expect_true(all(d$frames_done == 60 & d$finish_s >= 6000))
  expect_gt(mean(d$finish_s), 6600)
  gone <- simulated(rep(600, 60), nodes = 2, vanish = 20, replaced = FALSE, draws = 20)
  expect_true(all(is.infinite(gone$finish_s) & gone$frames_lost > 0))
})

test_that("the plain R twin agrees with every way that chance makes, to the microsecond", {
  set.seed(4)
  labels <- c(job = "j", site = "s", tier = "t")
  seeds <- clockpigeon:::stream_seeds(9, labels)
  for (i in 1:60) {
    way <- random_way()
    seconds <- matrix(stats::rlnorm(2 * sample(1:12, 1), 3, 0.5), 2)
    run <- simulate_job(seconds, way, seed = 9, drawing = list(labels = labels), keep = i %% 2 == 0)
    for (draw in 1:2) {
      twin <- twin_outcome(twin_draw(seconds[draw, ], way, seeds, draw), way)
      said <- setdiff(names(twin), c("spans", "home"))
      ours <- as.list(run$draws[draw, ])
      expect_equal(ours[said], twin[said], tolerance = 1e-12, label = paste("case", i))
      work <- twin$spans[!twin$spans$does %in% c("start", "idle"), ]
      expect_equal(ours$busy_hours * 3600, sum(work$to - work$from) / 1e6, tolerance = 1e-12)
      if (is.finite(ours$finish_s)) expect_equal(sum(unlist(ours[said[2:11]])), ours$finish_s)
    }
  }
})

# A card of one charge and whatever else is asked.
card <- function(price, ..., meter = "rendering", envir = parent.frame()) {
  read_site(write_file(scratch(envir), "x.yaml", "site: x", "kind: rented", "as_of: 2026-10-01",
                       "source: x", "currency: EUR", "engines: e", paste("meter:", meter),
                       paste("price:", price), ..., "tiers: [{tier: t, nodes: [1]}]"))
}

test_that("the meter charges as bill() does, whatever the card counts and however it rounds", {
  cards <- list(
    card(
      "{per: node-hour, amount: 3.6 EUR, step: 1 min, rounding: up, rounded: node, minimum: 0.5 EUR}"),
    card("{per: node-hour, amount: 36 EUR, step: 30 s, rounding: up, rounded: run}"),
    card("{per: frame, amount: 0.05 EUR, fixed: 1 EUR}", "billed: {failed: false, aborted: false}"),
    card("{per: node-hour, amount: 36 EUR, step: 1 min, rounding: nearest, rounded: job}",
         paste0("charges: [{charge: out, per: GB, amount: 2 EUR, activities: [download]}, ",
                "{charge: n, per: node, amount: 0.1 EUR}]"),
         "tax: {tax: t, percent: 19 %}", meter = "boot to release"),
    card("{per: node-hour, amount: 36 EUR, step: 1 s}",
         "charges: [{charge: day, per: node-hour, amount: 20 EUR, hours: [{from: '08:00', to: '08:03'}]}]",
         "billed: {prepass: false, failed: false}")
  )
  set.seed(7)
  now <- as.POSIXct("2026-11-03 07:59:00", tz = "UTC")
  labels <- c(job = "j", site = "s", tier = "t")
  seeds <- clockpigeon:::stream_seeds(2, labels)
  for (i in 1:50) {
    way <- random_way()
    while (way$parts > 1) way <- random_way()
    seconds <- matrix(stats::rlnorm(sample(1:9, 1), 3, 0.5), 1)
    site <- cards[[i %% 5 + 1]]
    ours <- simulate_job(seconds, way, seed = 2, drawing = list(labels = labels),
                         meter = check_metering(site, now = now, megapixels = 2))$draws
    d <- twin_draw(seconds[1, ], way, seeds, 1)
    expect_equal(ours$list + ours$minimum + ours$tax,
                 twin_bill(twin_outcome(d, way), way, site, d, now),
                 tolerance = 1e-9, label = paste("case", i))
  }
})

test_that("a cap stops the job late: what is in flight is paid and lost", {
  # Two nodes at 36 EUR an hour: 1.20 EUR after 60 s. 10 s later the job stops, at 70 s: two frames
  # of 25 s each are done on both, the third has begun at 50 s and is lost. Billed are 2 x 70 s.
  site <- card("{per: node-hour, amount: 36 EUR, step: 1 s}")
  run <- simulate_job(rep(25, 20), flat_way(nodes = 2, cap = c(1.2, 10)), draws = 3,
                      meter = check_metering(site), keep = TRUE)
  d <- as.data.frame(run$draws)[1, ]
  expect_true(d$capped)
  expect_equal(c(d$frames_done, d$frames_lost, d$to_pay, d$lost_money), c(4, 16, 1.40, 0.40))
  expect_identical(d$finish_s, Inf)
  expect_equal(run$home[, 1], c(25, 25, 50, 50, rep(Inf, 16)))
  high <- simulate_job(rep(25, 20), flat_way(nodes = 2, cap = c(5.1, 10)), draws = 1,
                       meter = check_metering(site))$draws
  expect_false(high$capped)
  expect_equal(c(high$to_pay, high$finish_s), c(5, 250))
  # A cap reached so late that the lag outlasts the job stops nothing.
  late <- simulate_job(rep(25, 20), flat_way(nodes = 2, cap = c(4.9, 10)), draws = 1,
                       meter = check_metering(site))$draws
  expect_false(late$capped)
  # Frames in flight that the card does not bill cost nothing.
  site <- card("{per: frame, amount: 0.25 EUR}", "billed: {aborted: false}")
  kind <- simulate_job(rep(25, 20), flat_way(nodes = 2, cap = c(1, 10)), draws = 1,
                       meter = check_metering(site))$draws
  expect_equal(c(kind$frames_done, kind$to_pay, kind$lost_money), c(4, 1, 0))
})

test_that("draws side by side, one by one, on one thread or three are the same draws", {
  way <- flat_way(nodes = 7, start = c(median = 50, p90 = 120), frame_bytes = 2e6, link = 1e6,
                  speed = list(
    log_factor = 0.2, se = 0.1, df = 3), prepass = list(tasks = 4, each = 30))
  a <- simulate_job(rep(40, 300), way, draws = 403, run_sd = 0.4, keep = TRUE,
                    drawing = list(threads = 1))
  expect_identical(simulate_job(rep(40, 300), way, draws = 403, run_sd = 0.4, keep = TRUE,
                                drawing = list(lanes = FALSE)), a)
  expect_identical(simulate_job(rep(40, 300), way, draws = 403, run_sd = 0.4, keep = TRUE,
                                drawing = list(threads = 3)), a)
  expect_identical(simulate_job(rep(40, 300), way, draws = 40, run_sd = 0.4)$draws, a$draws[1:40, ])
  expect_false(identical(simulate_job(rep(40, 300), way, draws = 403, run_sd = 0.4, seed = 2)$draws,
                         a$draws))
})

test_that("eight draws at once and one after the other agree with every mix of hours, downloads and charges", {
  hours_card <- card("{per: node-hour, amount: 36 EUR, step: 1 s}",
                     "charges: [{charge: day, per: node-hour, amount: 20 EUR, hours: [{from: '08:00', to: '08:20'}]}]")
  cards <- list(
    NULL, card("{per: node-hour, amount: 3.6 EUR, step: 1 min, rounding: up, rounded: node}"),
    card("{per: node-hour, amount: 36 EUR, step: 30 s, rounding: up, rounded: run}"), hours_card
  )
  set.seed(11)
  now <- as.POSIXct("2026-11-03 07:59:00", tz = "UTC")
  for (i in 1:160) {
    # Links from slower than rendering to 2,000 times faster: few frames or all of them are on the
    # way at the end.
    download <- if (i %% 2 == 0) list(frame_bytes = 1e6, link = 10^stats::runif(1, 3, 7))
    # Open for one minute in two: the last frame often ends while it is closed.
    open <- if (i %% 3 == 0) list(open = cbind(120 * (0:999), 120 * (0:999) + 60))
    way <- do.call(flat_way, c(list(nodes = sample(c(1, 2, 3, 17, 64), 1)), download, open))
    seconds <- matrix(stats::rlnorm(11 * sample(c(3, 12, 40, 200), 1), 3, stats::runif(1, 0, 1.5)),
                      11)
    left <- if (i %% 7 < 4) list(left = matrix(stats::runif(length(seconds)) < 0.6, 11))
    run <- function(lanes, keep) {
      site <- cards[[i %% 4 + 1]]
      simulate_job(seconds, way, draws = 11, seed = i, drawing = list(lanes = lanes), keep = keep,
                   state = left,
                   meter = if (length(site)) check_metering(site, now = now, megapixels = 2))$draws
    }
    expect_identical(run(TRUE, FALSE), run(FALSE, FALSE), label = paste("case", i))
    expect_identical(run(TRUE, TRUE), run(FALSE, FALSE),
                     label = paste("case", i, "with frames kept"))
  }
})

test_that("more nodes of a site begin as the fewer did", {
  some <- function(nodes)
    simulate_job(60, flat_way(nodes = nodes, start = c(median = 50, p90 = 120)),
                 draws = 500)$draws
  expect_true(all(some(5)$start_s <= some(2)$start_s))
  expect_true(mean(some(5)$start_s == some(2)$start_s) > 0.3)
})

test_that("times drawn inside are log-normal, of their medians and spread", {
  frames <- clockpigeon:::task_frames(c(10, 20, 40), 40000, 1, 0.5, c(job = "j"))
  x <- log(clockpigeon:::frame_seconds(frames, 40000L))
  expect_equal(colMeans(x), log(c(10, 20, 40)), tolerance = 0.003)
  expect_equal(apply(x, 2, stats::sd), rep(0.5, 3), tolerance = 0.02)
  expect_lt(max(abs(stats::cor(x)[upper.tri(diag(3))])), 0.02)
  z <- sort((x[, 1] - log(10)) / 0.5)
  # Kolmogorov, 1 %
  expect_lt(max(abs(stats::pnorm(z) - seq_along(z) / length(z))), 1.6 / sqrt(length(z)))
})

test_that("list scheduling ends within Graham's bound, and never before the work allows", {
  set.seed(1)
  for (i in 1:40) {
    seconds <- matrix(stats::rexp(20 * 25) + 0.01, 20)
    m <- sample(2:9, 1)
    end <- simulate_job(seconds, flat_way(nodes = m))$draws$finish_s
    least <- pmax(rowSums(seconds) / m, apply(seconds, 1, max))
    expect_true(all(end >= least - 1e-4 & end <= (2 - 1 / m) * least + 1e-4))
  }
})

test_that("simulate_job validates its inputs", {
  expect_refusal(simulate_job(0), "type", "seconds")
  expect_refusal(simulate_job(1, list()), "type", "job_way()")
  expect_refusal(simulate_job(matrix(1, 3, 2), draws = 4), "type", "draws")
})

test_that("what moves a whole draw is spread evenly over the draws, and independent between sites", {
  even <- function(seed, n)
    vapply(seq_len(n), function(d) clockpigeon:::stream_numbers(seed, d, 1L, TRUE, TRUE), 0)
  z <- even(7, 511)[256:511]
  # Of each 256 in a row every 256th part of the distribution holds one.
  expect_identical(sort(floor(pnorm(z) * 256)), as.numeric(0:255))
  expect_lt(abs(cor(even(7, 2048), even(8, 2048))), 0.08)
  way <- flat_way(nodes = 2, wait = c(median = 3600, p90 = 8 * 3600))
  points <- vapply(1:8, function(s) {
    quantile(simulate_job(rep(10, 12), way, draws = 512, seed = s)$draws$finish_s, 0.9,
             names = FALSE)
  }, 0)
  expect_lt(sd(points) / mean(points), 0.03)  # 4 to 6.5 % with independent draws
})

test_that("what a thread throws becomes an error of R, on one thread or several", {
  for (threads in 1:3) expect_error(throw_on_threads(threads), "thrown by a thread")
})

test_that("a long simulation can be interrupted", {
  code <- c("library(clockpigeon)", "cat('ready\\n')", "flush(stdout())",
            "simulate_job(rep(60, 5000), job_way(node_group(40, sd = 0.2)), draws = 1e5, run_sd = 0.1)",
            "cat('ended\\n')")
  p <- processx::process$new(file.path(R.home("bin"), "Rscript"),
                             c("-e", paste(code, collapse = "; ")), stdout = "|",
                             stderr = "|", env = c("current", R_LIBS = Sys.getenv("R_LIBS")))
  # However slow the machine: it is asked again until it has begun to simulate and hears of it.
  for (turn in 1:60) {
    p$poll_io(2000)
    p$interrupt()
    p$wait(2000)
    if (!p$is_alive()) break
  }
  expect_false(p$is_alive())
  expect_false(grepl("ended", p$read_all_output()))
})
