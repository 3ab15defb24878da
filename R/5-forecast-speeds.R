# Speed of a site or node relative to the reference node of a job.

# Speed of a site's node relative to the reference node: log factor, its standard error, degrees of
# freedom, basis and source. NULL if unknown. In this order: frames were tried there, the pool
# consists of measured nodes, on these scenes or on others, the seller's claim.
site_speed <- function(job, site) {
  tried <- matched_speed(job, job$evidence[["site"]] %in% site$site)
  if (!is.null(tried))
    return(c(tried, list(evidence = "measured", from = paste(tried$frames, "trial frames there"))))
  for (node in site$nodes_like) {
    speed <- node_speed(job, node)
    if (is.null(speed)) next
    return(list(log_factor = speed$log_factor, se = sqrt(speed$se^2 + assumed_sd$like^2),
                df = speed$df, evidence = "measured", from = speed$from, sessions = speed$sessions))
  }
  for (node in site$nodes_like) {
    speed <- transferred_speed(job, node)
    if (length(speed)) return(c(speed, list(evidence = "transferred")))
  }
  for (claim in site$speeds) {
    speed <- if (claim$engine == job$engine) node_speed(job, claim$relative_to)
    if (is.null(speed)) next
    return(list(log_factor = log(claim$factor) + speed$log_factor,
                se = sqrt(speed$se^2 + assumed_sd[[claim$basis]]^2), df = Inf,
                evidence = claim$basis,
                from = paste0("the card says ", format(claim$factor), " times ",
                              claim$relative_to)))
  }
  NULL
}

# Session effects in a forecast: the drift of each session that it uses, and of the one that it is
# for.
session_drift <- function(job, matched = NULL) {
  first_of(job$drift_sd, 0) * sqrt(session_load(first_of(job$sessions, c(all = 1)), matched))
}

# How fast another own node is that rendered other scenes only: by the speeds of rigs over all that
# was measured.
transferred_speed <- function(job, node) {
  rows <- as_frame(job$rig_rows)
  mine <- rows[["node"]] %in% node & rows[["engine"]] %in% job$engine &
    rows[["engine_version"]] %in% job$version
  there <- rows[mine, , drop = FALSE]
  if (!NROW(there)) return(NULL)
  fit <- tryCatch(fit_speeds(rows), clockpigeon_error = function(e) NULL)
  if (is.null(fit)) return(NULL)
  own <- as_frame(job$evidence)
  own <- own[is.na(own[["site"]]) & own[["node"]] %in% job$node, , drop = FALSE]
  found <- lapply(unique(own[["scene"]]), function(scene) {
    p <- tryCatch(as_frame(predict.cp_speed_fit(fit, scene, c(rig_name(there)[1], rig_name(own)[1]),
                                                run = FALSE)),
                  clockpigeon_error = function(e) NULL)
    if (length(p))
      c(log(p$seconds[2] / p$seconds[1]), log(p$upper[1] / p$lower[1]) / (2 * stats::qnorm(0.9)))
  })
  found <- do.call(rbind, found)
  if (is.null(found)) return(NULL)
  list(log_factor = mean(found[, 1]), se = max(found[, 2]), df = Inf,
       from = paste("other scenes on", node))
}

# Speed of another own node relative to the reference node.
node_speed <- function(job, node) {
  if (node == job$node) return(list(log_factor = 0, se = 0, df = Inf, from = paste("on", node)))
  found <- matched_speed(job, is.na(job$evidence[["site"]]) & job$evidence[["node"]] %in% node)
  if (!is.null(found)) c(found, from = paste("on", node))
}

# The mean log ratio, reference node over the rows `there`, of the frames measured at both; NULL
# when there is none. A few frames may agree by chance, so that their spread is never taken for less
# than that from run to run.
matched_speed <- function(job, there) {
  rows <- as_frame(job$evidence)
  cells <- row_key(rows, c("scene", "frame"))
  means <- function(keep) tapply(log(rows[["wall_s"]][keep]), cells[keep], mean)
  here <- is.na(rows[["site"]]) & rows[["node"]] %in% job$node
  both <- intersect(cells[here], cells[there])
  n <- length(both)
  if (!n) return(NULL)
  ratio <- means(here)[both] - means(there)[both]
  ratio <- as.numeric(ratio[both])
  spread <- if (n > 1) max(stats::sd(ratio), job$run_sd) else max(assumed_sd$run, job$run_sd)
  list(log_factor = mean(ratio), se = spread / sqrt(n), df = max(n - 1, 3), frames = n,
       sessions = list(here = session_shares(rows[here & cells %in% both, , drop = FALSE]),
                       there = session_shares(rows[there & cells %in% both, , drop = FALSE])))
}
