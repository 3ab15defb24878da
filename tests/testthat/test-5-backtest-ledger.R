test_that("complete shots, cells and limits are hidden and forecast, beside the habits", {
  set.seed(5)
  shot <- function(scene, limit, factor) {
    some_timings(factor * exp(0.4 * sin(1:60 / 9) + rnorm(60, 0, 0.03)), scene = scene,
                 frame = 1:60, limit_value = limit)
  }
  hall <- rbind(shot("hall", 64, 20), shot("hall", 4, 1), shot("loft", 64, 8))
  found <- backtest(hall, probes = 5)
  s <- summary(found)
  shots <- s[s$question == "the rest of a shot", ]
  expect_setequal(shots$method,
                  c("first frame times count", "even frames times count", "frame curve",
                    "frame curve with cheap pass"))
  off <- stats::setNames(shots$error, shots$method)
  expect_lt(off[["frame curve"]], off[["first frame times count"]])
  expect_true(all(is.na(shots$covered[grepl("count$", shots$method)])))
  # The truth is the sum, whatever the method.
  expect_equal(unique(found$true_s[grepl("hall .* 64", found$case)]), sum(hall$wall_s[1:60]),
               tolerance = 1e-9)
})

test_that("hidden cells are forecast from the others, and on the sample data errors are those of its model", {
  found <- backtest(example_timings(), most = 10)
  cells <- found[found$question == "other hardware" & found$method == "rig speeds", ]
  expect_identical(nrow(cells), 10L)
  expect_lt(mean(abs(cells$error)), 0.1)
  expect_gt(mean(cells$covered), 0.5)
  expect_output(print(found), "Other hardware: rig speeds off by")
})

test_that("a hidden limit is forecast by the fit", {
  rows <- some_timings(c(1.4, 2.6, 7.4), limit_value = c(4, 16, 64))  # 1 + 0.1 N
  found <- backtest(rows)
  expect_equal(found$forecast_s[found$method == "limit fit"], 7.4, tolerance = 1e-6)
  expect_equal(found$forecast_s[found$method == "in proportion to samples"], 4 * 2.6)
  expect_refusal(backtest(some_timings(1)), "backtest", "no timings that could be hidden")
})

# Runs of 60 frames on two slots, each with probes an hour before; the machine is up to 10 % off on
# the day.
job_ledger <- function(jobs = 6, drift = 0.1) {
  set.seed(3)
  rows <- lapply(seq_len(jobs), function(j) {
    seconds <- 20 * exp(0.3 * sin(seq_len(60) / 12 + j) + rnorm(60, 0, 0.05))
    day <- as.POSIXct("2026-11-01", tz = "UTC") + 86400 * j
    row <- function(frame, wall, began, plan)
      some_timings(wall, frame = as.integer(frame), scene = paste0("scene", j),
                   measured_at = format(began, "%Y-%m-%dT%H:%M:%SZ",
                                        tz = "UTC"),
                   plan_id = plan)
    probes <- c(5, 17, 30, 43, 55)
    walls <- seconds * exp(rnorm(1, 0, drift))
    free <- c(0, 0)
    began <- numeric(60)
    for (k in 1:60) {
      w <- which.min(free)
      began[k] <- free[w]
      free[w] <- free[w] + walls[k]
    }
    rbind(as.data.frame(row(probes, seconds[probes], day, paste("probes", j))),
          as.data.frame(row(1:60, walls, day + 3600 + began, paste("job", j))))
  })
  clockpigeon:::as_timings(do.call(rbind, rows))
}

test_that("whole jobs of the ledger are forecast from what was known before them", {
  b <- backtest(job_ledger(), probes = 5)
  x <- as.data.frame(b[b$question == "a whole job", ])
  ours <- x[x$method == "simulated job", ]
  expect_identical(nrow(ours), 6L)
  expect_true(all(ours$probes == 5))
  expect_lt(mean(abs(ours$error)), 0.15)
  expect_gte(sum(ours$covered), 3)
  expect_lt(mean(abs(ours$error)), mean(abs(x$error[x$method != "simulated job"])))
  s <- as.data.frame(summary(b))
  expect_true("a whole job" %in% s$question)
})

test_that("the machine's drift from session to session is learned", {
  job <- function(drift) {
    rows <- job_ledger(12, drift)
    shot <- structure(list(shot = "s", scene = "scene1", frames = 1:60, cuts = integer(),
                           size = c(width = 160L, height = 90L),
                           limit = list(samples = 8L), upload = 0, frame_size = 0),
                      class = "cp_shot")
    render_job(shot, "e", rows)$drift_sd
  }
  expect_lt(job(0.001), 0.06)
  expect_equal(job(0.2), 0.2, tolerance = 0.5)
})

test_that("slots are what ran at once", {
  expect_identical(clockpigeon:::most_at_once(c(0, 10, 20), c(10, 20, 30)), 1L)
  expect_identical(clockpigeon:::most_at_once(c(0, 1, 20), c(10, 20, 30)), 2L)
})
