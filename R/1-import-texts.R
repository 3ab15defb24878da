# Large columns of texts.

# The texts with NA for those of spaces and tabs only.
blank_to_na <- function(x) {
  blank <- blank_places(x)
  if (length(blank)) x[blank] <- NA
  x
}

# Ids of 16 hexadecimal digits: `batch`, ten digits by chance, then the place in it. (Ids that are
# random throughout make a database insert each into the middle of its index, which doubles the time
# of a large import.)
batch_ids <- function(batch, n) {
  stopifnot(n < 16^6)
  count_on(batch, n)
}
