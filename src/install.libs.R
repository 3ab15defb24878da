# The library of the package, and the built-in engine, which is a program of its own: loading and spawning it are part of
# what is timed.
libs <- file.path(R_PACKAGE_DIR, paste0("libs", R_ARCH))
dir.create(libs, recursive = TRUE, showWarnings = FALSE)
file.copy(Sys.glob(paste0("*", SHLIB_EXT)), libs, overwrite = TRUE)
if (file.exists("symbols.rds")) file.copy("symbols.rds", libs, overwrite = TRUE)
program <- if (WINDOWS) "pebble.exe" else "pebble"
bin <- file.path(R_PACKAGE_DIR, "bin")
dir.create(bin, recursive = TRUE, showWarnings = FALSE)
file.copy(program, bin, overwrite = TRUE, copy.mode = TRUE)
# Debugging symbols are two thirds of it, and nobody's.
if (!WINDOWS && nzchar(Sys.which("strip"))) {
  built <- c(Sys.glob(file.path(libs, paste0("*", SHLIB_EXT))), file.path(bin, program))
  system2("strip", c("-S", shQuote(built)))
}
