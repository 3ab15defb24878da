# Runs benchmark scripts and appends what they print to bench/results.csv, with the day and the
# commit, so that a loss of speed is seen.
#
#   Rscript tools/bench.R LIBRARY [SCRIPT...]
args <- commandArgs(trailingOnly = TRUE)
Sys.setenv(R_LIBS = normalizePath(args[1]))
scripts <- if (length(args) > 1) file.path("bench", sub("(\\.R)?$", ".R", args[-1])) else
  list.files("bench", "\\.R$", full.names = TRUE)
commit <- system2("git", c("rev-parse", "--short", "HEAD"), stdout = TRUE)
if (length(system2("git", c("status", "--porcelain", "R", "src"), stdout = TRUE)))
  commit <- paste0(commit, "+")
kept <- "bench/results.csv"
for (script in scripts) {
  out <- system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", script), stdout = TRUE)
  cat(out, sep = "\n")
  # `name value unit`, as every script prints it.
  part <- regmatches(out, regexec("^([a-z][a-z0-9_]*) (-?[0-9.eE+-]+) (.*)$", out))
  part <- part[lengths(part) == 4]
  if (!length(part)) next
  rows <- data.frame(day = format(Sys.Date()), commit = commit,
                     script = sub("\\.R$", "", basename(script)), name = vapply(part, `[[`, "", 2),
                     value = vapply(part, `[[`, "", 3), unit = vapply(part, `[[`, "", 4))
  utils::write.table(rows, kept, sep = ",", row.names = FALSE, col.names = !file.exists(kept),
                     append = file.exists(kept), qmethod = "double")
}
