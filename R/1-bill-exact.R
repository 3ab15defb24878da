# Exact arithmetic of bills: whole numbers in doubles, never beyond 2^53, and one rounding at the
# end of a line.

# A decimal number as a ratio of whole numbers: 0.0045 is 45 / 10000. Up to `digits` decimals.
as_ratio <- function(x, digits = 9) {
  for (p in 0:digits) {
    scaled <- x * 10^p
    if (abs(scaled - round(scaled)) <= 1e-13 * max(1, abs(scaled))) return(c(round(scaled), 10^p))
  }
  stop_input("type", paste("got", show_value(x)), "a price",
             paste("Write at most", digits, "decimals."))
}

common_divisor <- function(a, b) {
  while (b > 0) {
    rest <- a %% b
    a <- b
    b <- rest
  }
  a
}

# a * num / den, rounded half up; `a` a vector of whole numbers of at least 0, the rest one whole
# number each. Long division digit by digit, so that no product leaves the whole numbers a double
# holds (den below 4e14).
scale_exactly <- function(a, num, den) {
  shared <- common_divisor(num, den)
  num <- num / shared
  den <- den / shared
  if (den > 4e14 || num > 9e15) {
    stop_input("type", "has more decimals than can be billed exactly", "a price",
               "Write fewer decimals.")
  }
  whole <- a %/% den
  left <- a %% den
  quotient <- rest <- numeric(length(a))
  for (digit in as.numeric(strsplit(format(num, scientific = FALSE, digits = 16), "")[[1]])) {
    value <- rest * 10 + left * digit
    quotient <- quotient * 10 + value %/% den
    rest <- value %% den
  }
  whole * num + quotient + (2 * rest >= den)
}

# Whole numbers to whole steps: up, down or to the nearest (a half goes up).
to_steps <- function(x, step, rounding) {
  switch(rounding, up = (x + step - 1) %/% step, down = x %/% step,
         nearest = (2 * x + step) %/% (2 * step)) * step
}
