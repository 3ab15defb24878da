ns <- asNamespace("clockpigeon")

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
  # the claim says log time on r1 less that on r2
  with_claim <- sd[2]^2 * ((x$rig == "r1") - (x$rig == "r2"))
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
    -(determinant(v)$modulus + log(sum(one * (w %*% one))) +
      drop((y - m * one) %*% w %*% (y - m * one))) / 2
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
    variance <- sum(sd[1:3]^2) - sum(reach * (weight %*% reach)) +
      off^2 / sum(one * (weight %*% one))
    found <- ns$cell_forecast(fit, sd, match(cell[1], fit$scenes), match(cell[2], fit$rigs),
                              run = FALSE)
    expect_equal(found$mean, expected, tolerance = 1e-8)
    expect_equal(found$variance, variance, tolerance = 1e-8)
  }
})

test_that("80 % intervals of cells that never ran hold about 80 %, and beat one scene's ratio", {
  found <- ns$with_seed(4, do.call(rbind, lapply(1:12, function(k) {
    x <- a_table(30, 20, c(0.08, 0.2, 0.35)[k %% 3 + 1])
    fit <- fit_speeds(x$rows)
    open <- which(!matrix(paste0("s", row(x$logs), " r", col(x$logs)) %in%
                          paste(x$rows$scene, x$rows$rig), 30),
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

test_that("timings of the ledger make rigs, and bad tables are refused", {
  fit <- fit_speeds(example_timings())
  expect_true("Quern 40, sundew 4.1" %in% fit$rigs)
  # Frames of a scene differ by far more than runs of one frame do.
  expect_lt(fit$spreads$sd[fit$spreads$part == "run"], 0.1)
  seven <- some_timings(c(10, 20, 5.1, 40), frame = c(1, 2, 1, 3), device = c("p", "p", "q", "p"))
  expect_equal(summary(fit_speeds(seven), "p, e 1.0")$ratio[1], 10 / 5.1, tolerance = 0.2)
  expect_refusal(fit_speeds(data.frame(scene = "a", rig = "b", wall_s = 0)), "type", "wall_s")
  expect_refusal(fit_speeds(data.frame(scene = character(), rig = character(), wall_s = numeric())),
                 "speeds")
  expect_refusal(fit_speeds(data.frame(scene = "a", wall_s = 1)), "columns", "device")
  expect_refusal(summary(fit, "no such"), "speeds", "no such")
  whole <- fit_speeds(data.frame(scene = "a", rig = "b", wall_s = 3))
  expect_gt(predict(whole, "c", "b")$upper, 4 * predict(whole, "c", "b")$lower)
})
