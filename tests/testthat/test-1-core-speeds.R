ns <- asNamespace("clockpigeon")

# A table of scenes x rigs with known truth, `fill` of its cells timed.
a_table <- function(scenes, rigs, fill, sd = c(0.8, 0.4, 0.15, 0.08), repeats = 1) {
  logs <- 4 + outer(rnorm(scenes, 0, sd[1]), rnorm(rigs, 0, sd[2]), "+") + rnorm(scenes * rigs, 0, sd[3])
  cells <- which(matrix(runif(scenes * rigs) < fill, scenes), arr.ind = TRUE)
  cells <- cells[rep(seq_len(nrow(cells)), repeats), , drop = FALSE]
  list(logs = logs, cells = cells,
       rows = data.frame(scene = paste0("s", cells[, 1]), rig = paste0("r", cells[, 2]),
                         wall_s = exp(logs[cells] + rnorm(nrow(cells), 0, sd[4]))))
}

test_that("the restricted likelihood and forecasts agree with plain linear algebra", {
  set.seed(1)
  x <- a_table(6, 5, 0.6, repeats = 2)$rows
  claims <- data.frame(rig = "r2", relative_to = "r1", factor = 1.7)
  fit <- fit_speeds(x, claims, claim_sd = 0.3)
  sd <- c(0.9, 0.5, 0.2, 0.1)
  # All timings and the claim as one normal vector; the mean is unknown.
  scene <- outer(x$scene, x$scene, "==")
  rig <- outer(x$rig, x$rig, "==")
  n <- nrow(x)
  cover <- sd[1]^2 * scene + sd[2]^2 * rig + sd[3]^2 * (scene & rig) + diag(sd[4]^2, n)
  with_claim <- sd[2]^2 * ((x$rig == "r1") - (x$rig == "r2"))  # the claim says log time on r1 less that on r2
  whole <- rbind(cbind(cover, with_claim), c(with_claim, 2 * sd[2]^2 + 0.3^2 + 2 * sd[3]^2))
  one <- c(rep(1, n), 0)
  y <- c(log(x$wall_s), log(1.7))
  weight <- solve(whole)
  mean <- sum(weight %*% one * y) / sum(one * (weight %*% one))
  rest <- y - mean * one
  dense <- function(s) {
    cover <- s[1]^2 * scene + s[2]^2 * rig + s[3]^2 * (scene & rig) + diag(s[4]^2, n)
    claim <- s[2]^2 * ((x$rig == "r1") - (x$rig == "r2"))
    v <- rbind(cbind(cover, claim), c(claim, 2 * s[2]^2 + 0.3^2 + 2 * s[3]^2))
    w <- solve(v)
    m <- sum(w %*% one * y) / sum(one * (w %*% one))
    -(determinant(v)$modulus + log(sum(one * (w %*% one))) + drop((y - m * one) %*% w %*% (y - m * one))) / 2
  }
  ours <- function(s) ns$speed_equations(fit, s)$log_likelihood
  other <- c(0.5, 0.3, 0.1, 0.2)
  expect_equal(ours(sd) - ours(other), as.numeric(dense(sd) - dense(other)), tolerance = 1e-8)
  # A cell that never ran and one that did.
  for (cell in list(c("s1", "r3"), c(x$scene[1], x$rig[1]), c("s2", "r5"))) {
    with_cell <- sd[1]^2 * (x$scene == cell[1]) + sd[2]^2 * (x$rig == cell[2]) +
      sd[3]^2 * (x$scene == cell[1] & x$rig == cell[2])
    reach <- c(with_cell, sd[2]^2 * ((cell[2] == "r1") - (cell[2] == "r2")))
    expected <- mean + sum(reach * (weight %*% rest))
    off <- 1 - sum(reach * (weight %*% one))
    variance <- sum(sd[1:3]^2) - sum(reach * (weight %*% reach)) + off^2 / sum(one * (weight %*% one))
    found <- ns$cell_forecast(fit, sd, match(cell[1], fit$scenes), match(cell[2], fit$rigs), run = FALSE)
    expect_equal(found$mean, expected, tolerance = 1e-8)
    expect_equal(found$variance, variance, tolerance = 1e-8)
  }
})

test_that("80 % intervals of cells that never ran hold about 80 %, and beat one scene's ratio", {
  found <- ns$with_seed(4, do.call(rbind, lapply(1:12, function(k) {
    x <- a_table(30, 20, c(0.08, 0.2, 0.35)[k %% 3 + 1])
    fit <- fit_speeds(x$rows)
    open <- which(!matrix(paste0("s", row(x$logs), " r", col(x$logs)) %in% paste(x$rows$scene, x$rows$rig), 30),
                  arr.ind = TRUE)
    i <- match(paste0("s", open[, 1]), fit$scenes)
    j <- match(paste0("r", open[, 2]), fit$rigs)
    known <- !is.na(i) & !is.na(j)
    known[known] <- fit$islands$scene[i[known]] == fit$islands$rig[j[known]]
    open <- open[known, , drop = FALSE][seq_len(min(40, sum(known))), , drop = FALSE]
    p <- predict(fit, paste0("s", open[, 1]), paste0("r", open[, 2]), run = FALSE)
    truth <- exp(x$logs[open])
    data.frame(hit = p$lower <= truth & truth <= p$upper)
  })))
  expect_gt(mean(found$hit), 0.73)
  expect_lt(mean(found$hit), 0.87)
})

test_that("islands are named, and forecasts across them refused", {
  rows <- data.frame(scene = c("a", "a", "b", "x", "x"), rig = c("p", "q", "p", "v", "w"), wall_s = c(10, 5, 20, 3, 4))
  fit <- fit_speeds(rows)
  expect_match(fit$says, "2 islands", all = FALSE)
  expect_refusal(predict(fit, "a", "v"), "speeds", c("nothing connects scene a with rig v", "Run a on it"))
  expect_identical(speed_table(fit, "p")$rig, c("q", "p"))
  # A claim is a bridge, if a weak one.
  bridge <- fit_speeds(rows, data.frame(rig = "v", relative_to = "p", factor = 2))
  across <- predict(bridge, "b", "v")
  expect_gt(across$upper / across$lower, predict(bridge, "b", "q")$upper / predict(bridge, "b", "q")$lower)
})

test_that("claims weigh by how claims have compared", {
  set.seed(6)
  x <- a_table(8, 6, 1)$rows
  shown <- function(factor) data.frame(rig = paste0("r", 2:6), relative_to = "r1", factor = factor)
  measured <- speed_table(fit_speeds(x), "r1")
  right <- measured$ratio[match(paste0("r", 2:6), measured$rig)]
  expect_lt(claim_spread(fit_speeds(x, shown(right))), 0.22)
  expect_gt(claim_spread(fit_speeds(x, shown(right * 2))), 0.4)
  claimed <- speed_table(fit_speeds(x, data.frame(rig = "new", relative_to = "r1", factor = 3)), "r1")
  new <- claimed[claimed$rig == "new", ]
  expect_identical(new$evidence, "claimed")
  expect_true(new$ratio > 1.5 && new$ratio < 3.2 && new$upper / new$lower > 1.5)
})

test_that("the trial proposed is the one that narrows most", {
  rows <- data.frame(scene = c(rep(c("a", "b", "c"), 3), "d"), rig = c(rep(c("p", "q", "r"), each = 3), "p"),
                     wall_s = c(10, 20, 30, 5, 11, 14, 8, 15, 26, 44))
  rows <- rbind(rows, data.frame(scene = "a", rig = "new", wall_s = 3))
  fit <- fit_speeds(rows)
  found <- next_trial(fit, most = 9)
  open <- data.frame(scene = found$scene, rig = found$rig)
  sd <- exp(fit$mode)
  # The same by adding each trial to the table, the spreads held.
  after <- vapply(seq_len(nrow(open)), function(k) {
    more <- rbind(rows, data.frame(open[k, ], wall_s = 10))
    cells <- ns$speed_cells(ns$speed_rows(more), fit$scenes, fit$rigs)
    model <- replace(unclass(fit), "cells", list(cells))
    sum(ns$cell_forecast(model, sd, match(open$scene, fit$scenes), match(open$rig, fit$rigs), run = FALSE)$variance)
  }, 0)
  before <- sum(ns$cell_forecast(fit, sd, match(open$scene, fit$scenes), match(open$rig, fit$rigs),
                                 run = FALSE)$variance)
  expect_equal(found$narrows, 1 - after / before, tolerance = 1e-6)
})

test_that("timings of the ledger make rigs, and bad tables are refused", {
  fit <- fit_speeds(example_timings())
  expect_true("Quern 40, sundew 4.1" %in% fit$rigs)
  # Frames of a scene differ by far more than runs of one frame do.
  expect_lt(fit$spreads$sd[fit$spreads$part == "run"], 0.1)
  seven <- some_timings(c(10, 20, 5.1, 40), frame = c(1, 2, 1, 3), device = c("p", "p", "q", "p"))
  expect_equal(speed_table(fit_speeds(seven), "p, e 1.0")$ratio[1], 10 / 5.1, tolerance = 0.2)
  expect_refusal(fit_speeds(data.frame(scene = "a", rig = "b", wall_s = 0)), "type", "wall_s")
  expect_refusal(fit_speeds(data.frame(scene = character(), rig = character(), wall_s = numeric())), "speeds")
  expect_refusal(fit_speeds(data.frame(scene = "a", wall_s = 1)), "columns", "device")
  expect_refusal(speed_table(fit, "no such"), "speeds", "no such")
  whole <- fit_speeds(data.frame(scene = "a", rig = "b", wall_s = 3))
  expect_refusal(next_trial(whole), "speeds", "no open cell")
  expect_gt(predict(whole, "c", "b")$upper, 4 * predict(whole, "c", "b")$lower)
})
