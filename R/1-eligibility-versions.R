# Versions: exact, or within a range; release candidates are distinguished from releases.

# Does a version match the requirement: a version such as "4.2", or bounds such as ">=4.1 <5" that
# must all hold? Parts are compared as numbers, so that 4.10 is later than 4.9. A release candidate
# comes before its release, and a range includes one only if a bound names one: `>=4.2` does not
# include 4.3-rc1.
version_matches <- function(have, want) {
  if (is.na(have)) return(FALSE)
  bounds <- version_bounds(want)
  if (!length(bounds)) return(identical(have, trimws(want)))
  if (is_candidate(have) && !any(is_candidate(bounds))) return(FALSE)
  all(vapply(bounds, function(bound) {
    sign <- sub("^(>=|<=|>|<).*", "\\1", bound)
    order <- compare_versions(have, trimws(sub("^(>=|<=|>|<)", "", bound)))
    switch(sign, ">=" = order >= 0, "<=" = order <= 0, ">" = order > 0, "<" = order < 0)
  }, NA))
}

version_bounds <- function(want)
  regmatches(want, gregexpr("(>=|<=|>|<)\\s*[0-9][0-9A-Za-z.-]*", want))[[1]]

candidate_words <- c("dev", "alpha", "beta", "pre", "rc")
candidate_pattern <- paste0("[-. ]?(", paste(candidate_words, collapse = "|"), ")[-. ]?([0-9]*)$")
is_candidate <- function(version) grepl(candidate_pattern, version, ignore.case = TRUE)

compare_versions <- function(a, b) {
  parts <- lapply(list(a, b), version_numbers)
  width <- max(lengths(lapply(parts, `[[`, "release")))
  full <- lapply(parts, function(p) c(p$release, rep(0, width - length(p$release)), p$stage))
  d <- full[[1]] - full[[2]]
  if (any(d != 0)) sign(d[d != 0][1]) else 0
}

# The numbers of a release, and its stage: which kind of candidate and which of them, or a release,
# after all of them.
version_numbers <- function(version) {
  found <- regmatches(version, regexec(candidate_pattern, version, ignore.case = TRUE))[[1]]
  release <- if (length(found)) sub(candidate_pattern, "", version, ignore.case = TRUE) else version
  stage <- if (length(found)) c(match(tolower(found[2]), candidate_words),
                                if (nzchar(found[3])) as.numeric(found[3]) else 0)
           else c(length(candidate_words) + 1, 0)
  list(release = as.numeric(regmatches(release, gregexpr("[0-9]+", release))[[1]]), stage = stage)
}
