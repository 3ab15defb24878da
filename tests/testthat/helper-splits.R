# Of random small cases: is the split within 3 % of the best of all pairs of options and counts of frames?
splits_near_the_best <- function(cases) {
  set.seed(12)
  vapply(seq_len(cases), function(case) {
    job <- exact_job(10, frames = 24L)
    step <- sample(c("1 s", "10 min", "1 h"), 3, TRUE)
    sites <- lapply(1:3, function(k) {
      path <- attr(exact_site(price = sprintf(
        "{per: node-hour, amount: %.2f EUR, step: %s, rounded: job, fixed: %.2f EUR}", runif(1, 2, 40), step[k],
        runif(1, 0, 0.05)
      )), "path")
      text <- sub("site: x", paste0("site: s", k), readLines(path))
      writeLines(sub("nodes: [1, 5]", "nodes: [1, 2]", text, fixed = TRUE), path)
      read_site(path)
    })
    scenario <- plan_options(job, sites, now = as.POSIXct("2026-11-24 12:00", tz = "UTC"))
    scenario <- with_options(scenario, speed_se = 0,
                             log_speed = log(c(1, 2, 4))[match(scenario$options$site, c("s1", "s2", "s3"))])
    options <- scenario$options
    deadline <- sample(c(40, 60, 90, 130), 1)
    s <- split_job(scenario, deadline, draws = 16)
    state <- clockpigeon:::split_state(scenario, list(deadline_s = deadline, budget = Inf, confidence = 0.9), 16, 1)
    # Frames are alike, so that only how many each option gets matters.
    alone <- lapply(seq_len(nrow(options)), function(i) lapply(1:24, function(k) {
      d <- clockpigeon:::part_draws(state, i, seq_len(k))
      c(d$finish_s[1], d$cost[1])
    }))
    best <- Inf
    for (i in seq_len(nrow(options))) {
      if (alone[[i]][[24]][1] <= deadline) best <- min(best, alone[[i]][[24]][2])
      for (j in which(options$site != options$site[i])) for (k in 1:23) {
        a <- alone[[i]][[k]]
        b <- alone[[j]][[24 - k]]
        if (max(a[1], b[1]) <= deadline) best <- min(best, a[2] + b[2])
      }
    }
    if (is.infinite(best)) return(TRUE)
    s$fits && stats::median(s$draws$cost) <= 1.03 * best + 1e-9
  }, NA)
}
