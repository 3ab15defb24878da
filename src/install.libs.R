# The built-in engine is a program of its own, not a library: loading and spawning it are part of what is timed.
program <- if (WINDOWS) "pebble.exe" else "pebble"
bin <- file.path(R_PACKAGE_DIR, "bin")
dir.create(bin, recursive = TRUE, showWarnings = FALSE)
file.copy(program, bin, overwrite = TRUE, copy.mode = TRUE)
