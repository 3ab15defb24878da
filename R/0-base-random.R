# Random streams: a seed in, the caller's stream untouched.

# Evaluates `code` under `seed` and puts the caller's stream back, also when it fails.
with_seed <- function(seed, code) {
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  kinds <- RNGkind()
  on.exit({
    RNGkind(kinds[1], kinds[2], kinds[3])
    if (is.null(old))
      rm(list = intersect(".Random.seed", ls(globalenv(), all.names = TRUE)), envir = globalenv())
    else assign(".Random.seed", old, globalenv())
  })
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}

# Separate seed for each named part of a computation, so that adding one part leaves the draws of
# the others unchanged (a polynomial hash of the bytes, modulo the largest prime below 2^31).
stream_seed <- function(seed, label) {
  modulus <- 2147483629
  hash <- seed %% modulus
  for (byte in utf8ToInt(label)) hash <- (hash * 257 + byte) %% modulus
  as.integer(hash)
}
