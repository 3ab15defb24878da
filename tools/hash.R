# One hash of all files below some paths, without what the compiler makes there.
source_hash <- function(paths) {
  files <- list.files(paths[dir.exists(paths)], recursive = TRUE, full.names = TRUE)
  # The order is the same in every locale.
  files <- sort(c(paths[!dir.exists(paths)], files), method = "radix")
  files <- grep("\\.(o|so|dll)$|/pebble(\\.exe)?$", files, value = TRUE, invert = TRUE)
  sums <- tempfile()
  writeLines(paste(files, tools::md5sum(files)), sums)
  unname(tools::md5sum(sums))
}
