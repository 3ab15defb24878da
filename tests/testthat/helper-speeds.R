# A table of scenes x rigs with known truth, `fill` of its cells timed.
a_table <- function(scenes, rigs, fill, sd = c(0.8, 0.4, 0.15, 0.08), repeats = 1) {
  logs <- 4 + outer(rnorm(scenes, 0, sd[1]), rnorm(rigs, 0, sd[2]), "+") +
    rnorm(scenes * rigs, 0, sd[3])
  cells <- which(matrix(runif(scenes * rigs) < fill, scenes), arr.ind = TRUE)
  cells <- cells[rep(seq_len(nrow(cells)), repeats), , drop = FALSE]
  list(logs = logs, cells = cells,
       rows = data.frame(scene = paste0("s", cells[, 1]), rig = paste0("r", cells[, 2]),
                         wall_s = exp(logs[cells] + rnorm(nrow(cells), 0, sd[4]))))
}
