# What measuring by `next` is worth: random questions in worlds whose truth is known, ten minutes of
# measuring each, spent in three ways: as next_measures() says; by probes spread evenly over the
# frames of all shots; by habit (the first frames). Then the plan is chosen, and what it comes to in
# truth is held against the best plan there is for one who knows all. A missed deadline counts ten
# times what that plan costs (at 90 % asked, as much as the job). Frame times follow a generator of
# this file, not the package's model. Prints `name value unit`.
#
#   Rscript bench/next.R [QUESTIONS [SECONDS [SEED]]]     100 questions, 600 s of measuring
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
given <- suppressWarnings(as.numeric(commandArgs(TRUE)))
first_given <- function(k, default) if (length(given) >= k) given[k] else default
questions <- first_given(1, 100)
measuring <- first_given(2, 600)
draws <- 300
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
folder <- tempfile("next-")
dir.create(folder)
now <- as.POSIXct("2026-11-24 10:00", tz = "UTC")
run_sd <- 0.05
day_sd <- 0.05

# Frame times of a shot: a level, slow waves, sometimes a cut, sometimes heavy frames.
frame_times <- function(n) {
  level <- exp(stats::runif(1, log(5), log(40)))
  at <- seq_len(n) / n
  waves <- stats::runif(1, 0, 0.4) * sin(2 * pi * (at * stats::runif(1, 0.5, 3) + stats::runif(1)))
  cut <- if (stats::runif(1) < 0.5) stats::rnorm(1, 0, 0.5) * (at > stats::runif(1, 0.2, 0.8)) else
    0
  heavy <- if (stats::runif(1) < 0.3) log(stats::runif(1, 1.5, 3)) * (stats::runif(n) < 0.07) else 0
  level * exp(waves + cut + heavy + stats::rnorm(n, 0, 0.03))
}
read_text <- function(name, read, ...) {
  path <- file.path(folder, name)
  writeLines(c(...), path)
  read(path)
}
site_text <- function(name, kind, price, nodes, speed) {
  read_text(paste0(name, ".yaml"), read_site, paste("site:", name), paste("kind:", kind),
            "as_of: 2026-11-01", "source: of this bench", "currency: EUR", "engines: [tallow]",
            "can: {versions: {tallow: any}, limits: [samples], outputs: [png]}", "meter: rendering",
            sprintf("price: {per: node-hour, amount: %.2f EUR, step: 1 s}", price), speed, "tiers:",
            sprintf("  - {tier: all, nodes: [%s]}", nodes))
}
claim <- function(factor, basis) {
  sprintf("speeds: [{engine: tallow, relative_to: desk, factor: %.3f, basis: %s}]", factor, basis)
}

# One world: shots with their true times, sites with their true speeds, and what is known to begin
# with.
new_world <- function() {
  shots <- lapply(seq_len(sample(2:3, 1)), function(k) {
    n <- sample(60:240, 1)
    list(shot = read_text(paste0("s", k, ".yaml"), read_shot, paste0("shot: s", k),
                          paste0("scene: s", k), paste0("frames: 1-", n), "size: 640x360",
                          "limit: {samples: 64}"), times = frame_times(n))
  })
  said <- stats::setNames(exp(stats::rnorm(3, c(0.2, 0.5, 0.7), 0.2)), c("hall", "farm", "depot"))
  price <- stats::runif(2, 1, 4) * c(1, 0.7)
  sites <- list(site_text("bench", "own", 0.12, "1, 2", "nodes_like: [desk]"),
                site_text("hall", "own", 0.25, "2, 4", claim(said[["hall"]], "claimed")),
                site_text("farm", "rented", price[1], "4, 8, 16", claim(said[["farm"]], "claimed")),
                site_text("depot", "rented", price[2], "4, 8, 16",
                          claim(said[["depot"]], "assumed")))
  speeds <- c(bench = 1, said * exp(stats::rnorm(3, 0, c(0.25, 0.25, 0.35))))
  list(shots = shots, sites = sites, speeds = speeds, rows = NULL)
}

# Rows of frames that were rendered: on the desk, or at a site; at an eighth of the size with
# `cheap`.
measured <- function(world, shot, frames, site = NA_character_, cheap = FALSE) {
  s <- world$shots[[shot]]
  speed <- if (is.na(site)) 1 else world$speeds[[site]]
  wall <- s$times[frames] / speed * exp(stats::rnorm(length(frames), 0, run_sd)) /
    (if (cheap) 64 else 1)
  stamp <- format(now - 3600 + NROW(world$rows) + seq_along(frames), "%Y-%m-%dT%H:%M:%SZ",
                  tz = "UTC")
  out <- data.frame(activity = "render", shot = s$shot$shot, scene = s$shot$scene,
                    frame = as.integer(frames), engine = "tallow", engine_version = "1.0",
                    limit_kind = "samples", limit_value = 64, width = if (cheap) 80L else 640L,
                    height = if (cheap) 45L else 360L,
                    node = if (is.na(site)) "desk" else NA_character_, site = site,
                    device = "d", device_count = 1L, wall_s = wall, status = "ok",
                    kind = "measured", measured_at = stamp)
  out[["repeat"]] <- 1L
  out
}
with_rows <- function(world, ...) {
  world$spent <- world$spent + sum(list(...)[[1]]$wall_s)
  world$rows <- ns$bind_tables(c(list(world$rows), list(...)))
  world
}
job_of <- function(world, rows = world$rows) {
  render_job(lapply(world$shots, `[[`, "shot"), "tallow", ns$as_timings(rows), time_zone = "UTC")
}
make_decision <- function(world, seed) {
  forecast <- forecast_job(plan_options(job_of(world), world$sites, now = now), draws = draws,
                           seed = seed)
  choose_option(forecast, deadline = world$deadline, confidence = 0.9)
}

# What one knows who knows all: every frame measured, every speed, and no more than a day's and a
# run's difference.
in_truth <- function(world) {
  all <- do.call(rbind, lapply(seq_along(world$shots), function(k) {
    x <- measured(world, k, seq_along(world$shots[[k]]$times))
    x$wall_s <- world$shots[[k]]$times
    x
  }))
  job <- job_of(world, all)
  job$run_sd <- run_sd
  job$drift_sd <- 0
  job
}
true_speeds <- function(scenario, world, job) {
  scenario$jobs[[1]] <- job
  scenario$options$log_speed <- log(world$speeds[scenario$options$site])
  scenario$options$speed_se <- day_sd
  scenario$options$speed_df <- Inf
  scenario
}
# Cost of a plan in truth, a miss with it.
loss_of <- function(plan, scenario, world, job, miss) {
  scenario <- true_speeds(scenario, world, job)
  asked <- list(deadline_s = world$deadline, budget = Inf, confidence = 0.9, rule = "cheapest",
                together = TRUE)
  seconds <- ns$frame_draws(job, draws, 99)
  state <- ns$plan_state(scenario, asked, seconds, 99)
  shares <- numeric(nrow(state$options))
  shares[match(plan$parts[["option"]], state$options[["option"]])] <- plan$parts[["share"]]
  run <- ns$check_split(state, shares / sum(shares), keep = TRUE)
  finish <- run$finish
  cost <- run$cost
  if (plan$kind == "fallback") {
    done <- Reduce(`+`, lapply(run$runs, function(one) colSums(one$home <= plan$look$at_s)))
    saved <- ns$rescued_draws(state, run, plan$look$at_s,
                              match(plan$rescue$option, state$options[["option"]]))
    needed <- done < plan$look$fewer
    finish <- ifelse(needed, saved$finish, finish)
    cost <- ifelse(needed, saved$cost, cost)
  }
  mean(cost) + miss * mean(finish > world$deadline)
}

# Frames of a shot, each the best after those before it, as the command `probe` takes them.
probed <- function(world, k, count) {
  curve <- job_of(world)$curves[[k]]
  frames <- curve$frame
  seconds <- exp(curve$log_s)
  more <- NULL
  for (i in seq_len(min(count, length(setdiff(curve$frames, frames))))) {
    one <- measured(world, k, next_probe(frame_curve(frames, seconds, curve$frames,
                                                     run_sd = run_sd), draws = 200)$frame)
    frames <- c(frames, one$frame)
    seconds <- c(seconds, one$wall_s)
    more <- rbind(more, one)
  }
  more
}

# The three ways to measure. Each gives the world with more rows, and what was paid.
by_next <- function(world, seed) {
  paid <- 0
  took <- 0
  for (step in 1:30) {
    choice <- make_decision(world, seed)
    rows <- as.data.frame(next_measures(choice))
    rows <- rows[rows$worth & rows$what %in% c("probe", "cheap", "trial"), ]
    rows <- rows[rows$takes_s <= measuring - took, ]
    if (!nrow(rows)) break
    x <- rows[1, ]
    names <- vapply(world$shots, function(s) s$shot$shot, "")
    if (x$what == "trial") {
      # Frames that were measured on the desk, spread over the shots.
      known <- unique(world$rows[is.na(world$rows$site) & world$rows$width == 640,
                                 c("shot", "frame")])
      known <- known[round(seq(1, nrow(known), length.out = min(x$frames, nrow(known)))), ]
      more <- do.call(rbind, lapply(seq_len(nrow(known)), function(k) {
        measured(world, match(known$shot[k], names), known$frame[k], site = x$about)
      }))
    } else {
      k <- match(x$about, names)
      more <- if (x$what == "cheap")
        measured(world, k, seq_along(world$shots[[k]]$times), cheap = TRUE)
              else probed(world, k, x$frames)
    }
    took <- took + max(x$takes_s, sum(more$wall_s))
    paid <- paid + x$price
    world <- with_rows(world, more)
  }
  list(world = world, paid = paid, steps = step - 1, took = took)
}
# Frames of the list one after the other until the time is over.
by_list <- function(world, order) {
  took <- 0
  for (k in seq_len(nrow(order))) {
    more <- measured(world, order$shot[k], order$frame[k])
    if (took + more$wall_s > measuring) break
    took <- took + more$wall_s
    world <- with_rows(world, more)
  }
  list(world = world, paid = took / 3600 * 0.12, steps = k - 1, took = took)
}
# Evenly: ever finer over all shots in turn.
even_order <- function(world) {
  lists <- lapply(world$shots, function(s) {
    n <- length(s$times)
    setdiff(unique(unlist(lapply(2^(1:8), function(p) round((2 * seq_len(p) - 1) / (2 * p) * n)))),
            c(0, n + 1))
  })
  turn_by_turn(lists)
}
first_order <- function(world) turn_by_turn(lapply(world$shots, function(s) seq_along(s$times)))
turn_by_turn <- function(lists) {
  most <- max(lengths(lists))
  out <- do.call(rbind, lapply(seq_len(most), function(i) {
    do.call(rbind, lapply(seq_along(lists), function(k) {
      if (i <= length(lists[[k]])) data.frame(shot = k, frame = lists[[k]][i])
    }))
  }))
  out
}

one_question <- function(k) {
  set.seed(1000 * first_given(3, 1) + k)
  world <- new_world()
  world$spent <- 0
  for (s in seq_along(world$shots)) {
    n <- length(world$shots[[s]]$times)
    world <- with_rows(world, measured(world, s, round(n * c(0.25, 0.75))))
  }
  truth <- in_truth(world)
  whole <- true_speeds(plan_options(truth, world$sites, now = now), world, truth)
  known <- forecast_job(whole, draws = draws, seed = 5)
  finish <- summary(known)[["finish_p90"]]
  ends <- range(finish[is.finite(finish)])
  at <- stats::runif(1, 0.15, 0.75)
  world$deadline <- exp(log(ends[1]) * (1 - at) + log(ends[2]) * at)
  best <- choose_option(known, deadline = world$deadline, confidence = 0.9)$plan
  miss <- best$mean / 0.1
  loss <- function(way) {
    choice <- make_decision(way$world, k)
    way$paid + loss_of(choice$plan, choice$forecast$scenario, world, truth, miss)
  }
  at_once <- make_decision(world, k)
  nothing <- loss_of(at_once$plan, at_once$forecast$scenario, world, truth, miss)
  ways <- list(`next` = by_next(world, k), even = by_list(world, even_order(world)),
               habit = by_list(world, first_order(world)))
  losses <- c(nothing = nothing, vapply(ways, loss, 0))
  floor <- min(losses, loss_of(best, whole, world, truth, miss))
  row <- data.frame(t(losses - floor), best = floor, steps = ways[["next"]]$steps,
                    took = ways[["next"]]$took, check.names = FALSE)
  cat(sprintf("# %d: best %.2f, regret %s; next took %d steps, %.0f s\n", k, floor,
              paste(sprintf("%s %.2f", names(losses), losses - floor), collapse = ", "), row$steps,
              row$took),
      file = stderr())
  row
}
rows <- do.call(rbind, lapply(seq_len(questions), one_question))
for (way in c("nothing", "next", "even", "habit")) {
  share <- rows[[way]] / rows$best
  say(paste0("next_regret_", way), mean(share),
      sprintf("of the best plan's cost, mean of %d (standard error %.3f)",
              nrow(rows), stats::sd(share) / sqrt(nrow(rows))))
}
ratio <- function(a, b) {
  all <- mean(rows[[a]] / rows$best) / mean(rows[[b]] / rows$best)
  again <- replicate(2000, {
    i <- sample(nrow(rows), replace = TRUE)
    mean(rows[[a]][i] / rows$best[i]) / mean(rows[[b]][i] / rows$best[i])
  })
  say(paste0("next_regret_", a, "_over_", b), all,
      sprintf("x (95 %%: %.2f to %.2f)", stats::quantile(again, 0.025),
                                                          stats::quantile(again, 0.975)))
}
ratio("next", "even")
ratio("next", "habit")
say("next_time_used", mean(rows$took), sprintf("s of %.0f, mean", measuring))
