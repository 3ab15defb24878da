# How good forecasts were, once it is known what became of them.

# The continuous ranked probability score of forecasts that are known by some of their quantiles,
# less is better, in the unit of `actual`: twice the mean over all probabilities of the pinball
# loss, by trapezoids between the probabilities that are known, the outermost taken on to 0 and 1.
# `q`: a matrix, one row a forecast, one column a probability. Gneiting & Raftery (2007), Strictly
# Proper Scoring Rules, Prediction, and Estimation, JASA 102, 359-378.
crps_of <- function(actual, q, probs) {
  loss <- function(k) (actual - q[, k]) * (probs[k] - (actual < q[, k]))
  losses <- vapply(seq_along(probs), loss, numeric(length(actual)))
  losses <- matrix(losses, length(actual))
  # At 0 and 1 the loss of a quantile that is all of the forecast is how far it is off beyond the
  # outermost.
  low <- pmax(0, q[, 1] - actual)
  high <- pmax(0, actual - q[, length(probs)])
  all <- cbind(low * 0, losses, high * 0)
  at <- c(0, probs, 1)
  width <- diff(at)
  2 * as.vector((all[, -1, drop = FALSE] + all[, -ncol(all), drop = FALSE]) %*% width / 2)
}

# Scores of forecasts in one table, by groups. `x`: a data frame with `actual`, the quantile columns
# `points`, and `group`. Returns one row a group: `group`, `jobs`, `inside` (how many ended in their
# 80 % range), `bias` (the middle of actual over median, a factor), `crps` (of logs: about how far
# off a forecast was, as a share).
score_table <- function(x, points, probs) {
  middle <- x[[points[probs == 0.5]]]
  x <- x[x[["actual"]] > 0 & !is.na(x[["actual"]]) & middle > 0 & !is.na(middle), , drop = FALSE]
  groups <- unique(x[["group"]])
  q <- log(pmax(as.matrix(x[points]), 1e-9))
  y <- log(x[["actual"]])
  inside <- y >= q[, probs == 0.1] & y <= q[, probs == 0.9]
  scores <- if (nrow(x)) crps_of(y, q, probs)
  data.frame(
    group = groups,
    jobs = vapply(groups, function(g) sum(x[["group"]] == g), 0L, USE.NAMES = FALSE),
    inside = vapply(groups, function(g) sum(inside[x[["group"]] == g]), 0L, USE.NAMES = FALSE),
    bias = vapply(groups, function(g)
                  exp(stats::median((y - q[, probs == 0.5])[x[["group"]] == g])), 0,
                  USE.NAMES = FALSE),
    crps = vapply(groups, function(g) mean(scores[x[["group"]] == g]), 0, USE.NAMES = FALSE)
  )
}
