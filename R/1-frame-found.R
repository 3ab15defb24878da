# Findings of pictures: rows that say which picture, what is wrong with it, where, and how sure that
# is.

frame_finding <- function(index, code, what, evidence, weight = "unusable", top = NA, bottom = NA,
                          left = NA, right = NA, size = NA_real_, bound = NA_real_, sure = 1) {
  if (!length(index)) index <- integer()
  n <- length(index)
  full <- function(x) rep(x, length.out = n)
  data.frame(index = index, code = full(code), weight = full(weight), top = full(as.integer(top)),
             bottom = full(as.integer(bottom)), left = full(as.integer(left)),
             right = full(as.integer(right)), size = full(size), bound = full(bound),
             sure = full(sure), what = full(what), evidence = full(evidence))
}

# Confidence of a finding that exceeds its bound by this factor.
finding_confidence <- function(times) pmin(1, 1 - 0.5 / pmax(1, times)^2)

format_share <- function(x)
  paste0(format(round(100 * x, 1), trim = TRUE, drop0trailing = TRUE), " %")

# The neighbours of each of n pictures, nearest first: a matrix of indices, NA where there is none.
neighbours_of <- function(n, most = 2) {
  each <- seq_len(most)
  steps <- as.vector(rbind(-each, each))
  at <- outer(seq_len(n), steps, `+`)
  at[at < 1 | at > n] <- NA
  at
}
