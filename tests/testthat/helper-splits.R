# The best parts side by side of a scenario, as the search for plans finds them.
split_job <- function(scenario, deadline = NULL, budget = NULL, draws = 1000, seed = 1) {
  asked <- list(deadline_s = clockpigeon:::deadline_seconds(deadline, scenario), confidence = 0.9,
                budget = clockpigeon:::budget_amount(budget, scenario$jobs[[1]]))
  seconds <- clockpigeon:::frame_draws(scenario$jobs[[1]], draws, seed)
  state <- clockpigeon:::with_lines(clockpigeon:::plan_state(scenario, asked, seconds, seed))
  found <- clockpigeon:::search_sides(state)
  if (is.null(found)) return(list(parts = data.frame(), fits = FALSE))
  plan <- clockpigeon:::made_plan(state, found, "sides")
  list(parts = plan$parts, draws = plan$draws, fits = plan$fits)
}

# Of random small cases: is the split within 3 % of the best of all pairs of options and counts of
# frames?
splits_near_the_best <- function(cases) {
  set.seed(12)
  vapply(seq_len(cases), function(case) {
    job <- exact_job(10, frames = 24L)
    step <- sample(c("1 s", "10 min", "1 h"), 3, TRUE)
    sites <- lapply(1:3, function(k) {
      path <- attr(exact_site(price = sprintf(
        "{per: node-hour, amount: %.2f EUR, step: %s, rounded: job, fixed: %.2f EUR}",
        runif(1, 2, 40), step[k],
        runif(1, 0, 0.05)
      )), "path")
      text <- sub("site: x", paste0("site: s", k), readLines(path))
      writeLines(sub("nodes: [1, 5]", "nodes: [1, 2]", text, fixed = TRUE), path)
      read_site(path)
    })
    scenario <- plan_options(job, sites, now = as.POSIXct("2026-11-24 12:00", tz = "UTC"))
    scenario <- with_options(scenario, speed_se = 0,
                             log_speed = log(c(1, 2, 4))[match(scenario$options$site,
                                                               c("s1", "s2", "s3"))])
    options <- scenario$options
    deadline <- sample(c(40, 60, 90, 130), 1)
    s <- split_job(scenario, deadline, draws = 16)
    state <- clockpigeon:::plan_state(scenario, list(deadline_s = deadline, budget = Inf,
                                                     confidence = 0.9),
                                      clockpigeon:::frame_draws(scenario$jobs[[1]], 16, 1), 1)
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

# Of random small cases: is the fallback within 5 % of the best of all starts, moments of a grid,
# rescues and thresholds, all simulated whole?
fallbacks_near_the_best <- function(cases, draws = 120) {
  set.seed(21)
  vapply(seq_len(cases), function(case) {
    job <- exact_job(10, frames = 24L)
    sites <- lapply(1:3, function(k) {
      card <- "{per: node-hour, amount: %.2f EUR, step: %s, rounded: job, fixed: %.2f EUR}"
      path <- attr(exact_site(price = sprintf(card, c(2, 12, 40)[k] * runif(1, 0.7, 1.4),
                                              sample(c("1 s", "1 min"), 1), runif(1, 0, 0.02))),
                   "path")
      text <- sub("site: x", paste0("site: s", k), readLines(path))
      writeLines(sub("nodes: [1, 5]", "nodes: [1]", text, fixed = TRUE), path)
      read_site(path)
    })
    scenario <- plan_options(job, sites, now = as.POSIXct("2026-11-24 12:00", tz = "UTC"))
    scenario <- with_options(scenario, speed_se = c(0.4, 0.2, 0.05), speed_df = Inf,
                             log_speed = log(c(1, 2, 5)))
    deadline <- runif(1, 150, 300)
    asked <- list(deadline_s = deadline, budget = Inf, confidence = 0.9, rule = "cheapest",
                  together = TRUE)
    state <- clockpigeon:::with_lines(clockpigeon:::plan_state(scenario, asked,
                                                             clockpigeon:::frame_draws(
                                                               job, draws, 1), 1))
    found <- clockpigeon:::find_fallback(state, lapply(1:3, function(i) replace(numeric(3), i, 1)),
                                         Inf)
    best <- Inf
    for (i in 1:3) {
      run <- clockpigeon:::check_split(state, replace(numeric(3), i, 1), keep = TRUE)
      for (at in deadline * seq(0.04, 0.94, by = 0.06)) for (j in setdiff(1:3, i)) {
        f <- clockpigeon:::check_look(state, run, at, j)
        if (f$fits && f$share > 0) best <- min(best, f$mean)
      }
    }
    if (is.infinite(best)) TRUE else length(found) > 0 && found$mean <= 1.05 * best
  }, NA)
}
