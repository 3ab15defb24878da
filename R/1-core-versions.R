# Versions: exact, or within a range.

# Does a version match what is asked: a version such as "4.2", or bounds such as ">=4.1 <5" that must all hold? Parts
# are compared as numbers, so that 4.10 is later than 4.9.
version_matches <- function(have, want) {
  if (is.na(have)) return(FALSE)
  bounds <- regmatches(want, gregexpr("(>=|<=|>|<)\\s*[0-9][0-9A-Za-z.]*", want))[[1]]
  if (!length(bounds)) return(identical(have, trimws(want)))
  all(vapply(bounds, function(bound) {
    sign <- sub("^(>=|<=|>|<).*", "\\1", bound)
    order <- compare_versions(have, trimws(sub("^(>=|<=|>|<)", "", bound)))
    switch(sign, ">=" = order >= 0, "<=" = order <= 0, ">" = order > 0, "<" = order < 0)
  }, NA))
}

compare_versions <- function(a, b) {
  parts <- lapply(list(a, b), function(v) as.numeric(regmatches(v, gregexpr("[0-9]+", v))[[1]]))
  width <- max(lengths(parts))
  d <- c(parts[[1]], rep(0, width - length(parts[[1]]))) - c(parts[[2]], rep(0, width - length(parts[[2]])))
  if (any(d != 0)) sign(d[d != 0][1]) else 0
}
