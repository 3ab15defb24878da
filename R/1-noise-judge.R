# What noise people accept.

# The noise at which half of the answers accept. Where answers overlap, a logistic regression on log
# noise; where all accepted lie below all refused, the geometric mean of the two next to the border;
# the noisiest accepted when nothing was refused; NULL when nothing was accepted.
acceptable_noise <- function(noise, accepted) {
  if (!length(noise) || !any(accepted)) return(NULL)
  if (all(accepted)) return(max(noise))
  top <- max(noise[accepted])
  bottom <- min(noise[!accepted])
  if (top < bottom) return(sqrt(top * bottom))
  fit <- suppressWarnings(stats::glm(accepted ~ log(noise), family = stats::binomial()))
  slope <- stats::coef(fit)[[2]]
  # answers that follow no noise: the most careful one
  if (is.na(slope) || slope >= 0) return(min(noise[accepted]))
  exp(-stats::coef(fit)[[1]] / slope)
}
