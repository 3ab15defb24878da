# Draws of a running job in the order in which its frames really arrived.

# The draws assume the planned order of frames. A site may render every fifth frame first, or the
# heavy frames: the same number of frames is then another share of the work. Each draw keeps its
# course of work over time. The frames take their places on it in the order of `came`; frames that
# have not arrived follow in the planned order. `home`: arrival of each frame in each draw (draws x
# frames); `seconds`: computing time of each frame in each draw, of the same shape; `came`: arrival
# of each frame, Inf if it has not arrived. Returns `home` unchanged if the order makes a difference
# of at most `tolerance` of the work.
home_as_arrived <- function(home, seconds, came, tolerance = 0.01) {
  arrived <- which(is.finite(came))
  if (length(arrived) < 2 || ncol(home) < 3) return(home)
  planned <- order(apply(first_draws(home, 200), 2, stats::median))
  actual <- arrived[order(came[arrived])]
  work <- colMeans(seconds)
  ahead <- cumsum(work[actual]) - cumsum(work[planned])[seq_along(actual)]
  if (max(abs(ahead)) <= tolerance * sum(work)) return(home)
  sequence <- c(actual, setdiff(planned, actual))
  if (nrow(seconds) != nrow(home)) {
    seconds <- matrix(work, nrow(home), length(work), byrow = TRUE)
  }
  for (draw in which(rowSums(!is.finite(home)) == 0)) {
    home[draw, sequence] <- moments_of_work(home[draw, ], seconds[draw, ], sequence)
  }
  home
}

# When each frame of a sequence would arrive if one draw's work were done in that order.
moments_of_work <- function(home, seconds, sequence) {
  course <- order(home)
  done <- c(0, cumsum(seconds[course]))
  moments <- home[course]
  pace <- (moments[length(moments)] - moments[1]) / max(sum(seconds) - done[2], 1e-9)
  start <- max(0, moments[1] - pace * done[2])
  stats::approx(done, c(start, moments), cumsum(seconds[sequence]), rule = 2,
                ties = list("ordered", max))$y
}
