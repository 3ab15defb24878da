# Frames to nodes: list scheduling, many draws in step.

# Each frame goes, in order, to the node that is free first (Graham 1966). `tasks` is a matrix of seconds, one row a
# draw and one column a frame; `ready` one of the seconds at which each node can start. Returns the free times (draws x
# nodes) and the end of the last frame; a node that got no frame stays at its ready time.
list_schedule <- function(tasks, ready) {
  draws <- nrow(tasks)
  if (ncol(ready) == 1) return(list(free = ready + rowSums(tasks), end = as.vector(ready + rowSums(tasks))))
  # Free times are kept negated, so that max.col finds the node that is free first; ties go to the first node.
  early <- -ready
  at <- seq_len(draws) - draws
  for (k in seq_len(ncol(tasks))) {
    i <- at + max.col(early, "first") * draws
    early[i] <- early[i] - tasks[, k]
  }
  free <- -early
  busy <- free > ready
  list(free = free, end = apply(ifelse(busy, free, 0), 1, max))
}
