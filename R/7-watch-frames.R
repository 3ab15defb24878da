# A job that was placed by hand, followed by the frames that appear in a folder: when it is done
# now, and what it costs.

# Simulations that a running job needs once. `plan`: as a decision's record has it; `scenario`:
# planned for the moment it was placed; `asked`: the question, its deadline in seconds from then.
simulated_parts <- function(plan, scenario, asked, draws = 2000, seed = 1) {
  state <- watched_state(plan, scenario, asked, draws, seed)
  split <- stated_split(plan, state, "the decision's plan")
  run <- check_parts(state, split, keep = TRUE)
  list(state = state, split = split, parts = list(
    used = split$used, runs = split$runs, home = lapply(run$runs, function(one) t(one$home)),
    draws = run$parts
  ))
}

# How a placed job stands. `begun`: from simulated_parts(); `folders`: one for each site, by its
# name; `now`; `events`: those of the job, as job_events() has them, which know more than the files.
#
# Returns a list: `parts`, one row a part: `site`, `option`, `frames`, `there` (here or ready at the
# site), `here`, `work` (share done), `last` (arrival, seconds from the placing), `overdue` (share
# of draws in which another frame would have come by now), `finish_p50`, `cost_mean`, and of
# pace_test() `slowed`, `factor`, `since_s`, and whether it is `silent`: for longer than a gap of
# any of 19 in 20 draws; of level_test() `unlike` and, as `beside`, its factor; `ends`: of each part
# when it is done, in each draw; `draws`: `finish_s` and `cost` of the whole; its chances and mean
# as of a plan; `look`: of a fallback its moment, `fewer`, `there` (frames by then), and what is
# `due`: `later`, `send` or `go on`; `unknown`: files of no frame; `frames` and `nodes`: as
# fold_events() has them; `came`: when each frame arrived, by its place in the job (or was ready at
# a site), and which are `here`; `ready` and `at_sites`, as site_states() has them; `state` and
# `runs`, for what is asked of it later.
watch_frames <- function(plan, begun, files, now, events = NULL) {
  state <- begun$state
  split <- begun$split
  asked <- state$asked
  draws <- nrow(state$seconds)
  seed <- state$seed
  passed <- as.numeric(now) - as.numeric(state$scenario$now)
  told <- seconds_since_placing(events, state$scenario$now)
  told <- told[told[["time"]] <= passed, , drop = FALSE]
  came <- arrivals_of(state, files, told, passed)
  there <- site_states(told, job_columns(state$job))
  here <- is.finite(came$at)
  # A frame that a site has ready is done, however late it is fetched.
  came$at <- pmin(came$at, there$ready)
  going <- going_parts(plan, begun, told, came$at)
  own <- own_gaps(told)
  going$home <- homes_as_arrived(going, state, came$at)
  later <- with_gaps(going, state, own, passed)
  seen <- lapply(going$runs, function(columns) came$at[columns][is.finite(came$at[columns])])
  pace <- Map(pace_test, later$home, seen, false = 0.05 / length(seen))
  level <- Map(level_test, later$home, seen, false = 0.005 / length(seen))
  gap <- unlist(Map(longest_gap, later$home, seen, 0.05 / length(seen)))
  heard <- last_report(told, state$options[["site"]][going$used], seen, passed)
  rest <- Map(function(home, d, seen, pace, heard) {
    x <- rest_draws(home, d[["finish_s"]], d[["cost"]], seen, heard, over = pace$over,
                    drift = pace$drift)
    if (x$done < ncol(home)) x$finish <- pmax(x$finish, passed)
    x
  }, later$home, later$draws, seen, pace, heard)
  rest <- rest_per_site(rest, state, going, there$sites, came$at)
  parts <- watched_parts(state, going, rest, pace, seen, here)
  # That one frame takes longer than its draws is nothing yet: longer than any gap of a job is.
  silent <- parts$overdue >= 0.99 & parts$there < parts$frames & is.finite(parts$finish_p50) &
    (lengths(seen) == 0 | heard - pmax(parts$last, 0) > gap)
  for (k in which(silent)) {
    still_s <- heard[k] -
      last_sign(told, job_columns(state$job)[going$runs[[k]], , drop = FALSE], parts$last[k])
    rest[[k]]$finish <- silent_finish(rest[[k]]$finish, max(still_s, 0), heard[k], seed)
  }
  parts <- watched_parts(state, going, rest, pace, seen, here)
  parts$silent <- silent
  mixed <- with_seed(seed, lapply(rest, function(x)
                                  sample.int(length(x$finish), draws, TRUE, x$weight)))
  ends <- Map(function(x, i) x$finish[i], rest, mixed)
  finish <- do.call(pmax, ends)
  cost <- Reduce(`+`, Map(function(x, i) x$cost[i], rest, mixed))
  parts$unlike <- vapply(level, `[[`, NA, "unlike")
  parts$beside <- vapply(level, `[[`, 0, "factor")
  fold <- fold_events(add_ready_arrivals(told), job_columns(state$job))
  c(list(parts = as_table(parts), ends = ends,
         draws = as_table(data.frame(finish_s = finish, cost = cost)), passed_s = passed,
         unknown = came$unknown),
    judged_draws(finish, cost, asked)[c("p_deadline", "p_budget", "p_both", "mean", "fits")],
    list(look = watched_look(plan, state, split, came$at, told, passed), frames = fold$frames,
         nodes = fold$nodes, happened = fold$job, at_sites = there$sites, ready = there$ready,
         came = came$at, here = here, state = state, begun = begun, going = going, own_gaps = own))
}

# Moment up to which the arrivals of each part are known: until now, or for a site with exports
# until the last one. `seen`: arrivals of each part.
last_report <- function(told, sites, seen, passed) {
  reports <- told[told[["what"]] == "reported", , drop = FALSE]
  vapply(seq_along(sites), function(k) {
    mine <- reports[["time"]][reports[["place"]] == sites[k]]
    if (length(mine)) min(passed, max(mine, seen[[k]])) else passed
  }, 0)
}

# Time between two frames on an own node apart from their rendering: `site`, `time` of the later
# one, `gap` and its `seconds`.
own_gaps <- function(told) {
  none <- data.frame(site = character(), time = numeric(), gap = numeric(), seconds = numeric())
  x <- told[told[["what"]] == "arrived" & or_else(told[["source"]], "") %in% "place" &
            !is.na(told[["node"]]) &
              is.finite(told[["seconds"]]), , drop = FALSE]
  x <- x[order(x[["time"]]), , drop = FALSE]
  of <- split(seq_len(nrow(x)), row_key(x, c("place", "node")))
  rows <- lapply(of, function(at) {
    if (length(at) < 2) return(NULL)
    data.frame(site = x[["place"]][at[-1]], time = x[["time"]][at[-1]],
               seconds = x[["seconds"]][at[-1]],
               gap = diff(x[["time"]][at]) - x[["seconds"]][at[-1]])
  })
  do.call(rbind, c(list(none), unname(rows)))
}

# Draws of each part with its frames in the order of their arrival.
homes_as_arrived <- function(going, state, came) {
  Map(function(home, columns) {
    home_as_arrived(home, state$seconds[, columns, drop = FALSE], came[columns])
  }, going$home, going$runs)
}

# The parts with what was seen to pass between frames by `now` added to their draws: the forecast
# knows of rendering alone. The median of the gaps holds for each frame on its node, which is what
# counts where frames are short.
with_gaps <- function(going, state, gaps, now, least = 5) {
  gaps <- gaps[gaps[["time"]] <= now, , drop = FALSE]
  options <- state$options
  for (k in seq_along(going$used)) {
    mine <- gaps[gaps[["site"]] == options[["site"]][going$used[k]], , drop = FALSE]
    between <- if (nrow(mine) >= least) stats::median(mine[["gap"]]) else 0
    if (between < 0.01 * max(stats::median(mine[["seconds"]]), 0, na.rm = TRUE)) next
    # Runs on a node up to a frame, in the order in which they usually come; of bands each node has
    # one of each frame.
    bands <- identical(options[["spread"]][going$used[k]], "bands")
    nodes <- if (bands) 1 else max(1, options[["nodes"]][going$used[k]])
    turn <- rank(colMeans(going$home[[k]]), ties.method = "first") / nodes
    going$home[[k]] <- going$home[[k]] + rep(between * turn, each = nrow(going$home[[k]]))
    going$draws[[k]][["finish_s"]] <- going$draws[[k]][["finish_s"]] + between * max(turn)
  }
  going
}

# The parts of a job as they go, one row each.
watched_parts <- function(state, going, rest, pace, seen, here) {
  middle <- function(x)
    stats::approx(cumsum(x$weight[order(x$finish)]), sort(x$finish), 0.5, rule = 2, ties = mean)$y
  number <- function(list, name) vapply(list, `[[`, 0, name)
  data.frame(
    site = state$options[["site"]][going$used], option = state$options[["option"]][going$used],
    frames = lengths(going$runs) + going$early, there = number(rest, "done") + going$early,
    here = vapply(going$runs, function(columns) sum(here[columns]), 0L) + going$early,
    work = number(rest, "work"),
    last = vapply(seen, function(x) max(c(x, -Inf)), 0), overdue = number(rest, "overdue"),
    finish_p50 = vapply(rest, middle, 0),
    cost_mean = vapply(rest, function(x) sum(x$cost * x$weight), 0),
    slowed = vapply(pace, `[[`, NA, "slowed"), factor = number(pace, "factor"),
    since_s = number(pace, "since")
  )
}

# Last arrival or start of these frames; 0, the placing, without any.
last_sign <- function(told, frames, last) {
  of <- row_key(told, c("shot", "frame")) %in% row_key(frames, c("shot", "frame"))
  max(c(0, last, told[["time"]][of & told[["what"]] == "rendering"]))
}

# To the fold of a job's state a frame that is ready at a site is there; that it came here later
# adds nothing.
add_ready_arrivals <- function(told) {
  told$what[told[["what"]] %in% "ready"] <- "arrived"
  told
}

# The rest of parts whose sites tell what they charge, and that they ended it: what is not rendered
# then never comes.
rest_per_site <- function(rest, state, going, sites, came) {
  Map(function(x, used, columns) {
    site <- as.list(sites[match(state$options[["site"]][used], sites[["site"]]), ])
    if (!length(site) || is.na(site$site)) return(x)
    # Its meter counts what a gift pays, and our cost does not.
    given <- balance_held(state$scenario$sites[[site$site]], state$job)
    charged <- max(0, site$charged - given)
    if (!is.na(site$halted_s) && any(is.infinite(came[columns]))) {
      x$finish[] <- Inf
      if (!is.na(charged)) x$cost[] <- charged
      return(x)
    }
    if (is.na(charged)) return(x)
    x$cost <- charged_cost(x$cost, charged, colMeans(state$seconds[, columns, drop = FALSE]),
                           is.finite(came[columns]))
    x
  }, rest, going$used, going$runs)
}

# The files in the folders in which the frames of a job appear, as folder_frames() has them.
placed_files <- function(begun, folders) {
  state <- begun$state
  sites <- state$options[["site"]][begun$split$used]
  missing <- setdiff(sites, names(folders))
  if (length(missing)) {
    stop_input("usage", paste("names no folder for", missing[1]), "option --frames",
               paste0("Write ", missing[1], "=FOLDER."))
  }
  shots <- unique(job_columns(state$job)[["shot"]])
  do.call(rbind, lapply(unique(unlist(folders)), folder_frames, shots))
}

# When each frame of the job arrived (`at`, seconds from the placing; Inf: not yet), and how many
# files are of no frame. Where events tell of a frame they are believed before its file.
arrivals_of <- function(state, files, told, passed) {
  columns <- job_columns(state$job)
  since <- files[["time"]] - as.numeric(state$scenario$now)
  column <- match(paste(files[["shot"]], files[["frame"]]),
                  paste(columns[["shot"]], columns[["frame"]]))
  known <- !is.na(column) & since > clock_slack_s
  at <- rep(Inf, nrow(columns))
  put <- function(column, time) {
    first <- order(time, decreasing = TRUE)
    at[column[first]] <<- pmax(time[first], placed_at_s)
  }
  put(column[known], since[known])
  # That a band is there is not yet the frame.
  here <- told[told[["what"]] == "arrived" & is.na(or_else(told[["piece"]], NA)), , drop = FALSE]
  if (nrow(here)) {
    told_of <- match(paste(here[["shot"]], here[["frame"]]),
                     paste(columns[["shot"]], columns[["frame"]]))
    put(told_of[!is.na(told_of)], here[["time"]][!is.na(told_of)])
    known <- known | column %in% told_of[!is.na(told_of)]
  }
  at[at > passed] <- Inf
  list(at = at, unknown = sum(!known))
}

# The parts as they run now: those of the plan, and once the checkpoint has sent frames away,
# without these, and with the rescue. `used` options, their `runs` of columns, the arrival of frames
# in each draw (`home`), the `draws`, and how many were delivered before the placing (`early`: trial
# frames), which are no evidence of the pace since and belong to no run.
going_parts <- function(plan, begun, told, at) {
  going <- without_early(begun$parts, at)
  state <- begun$state
  looked <- told[told[["what"]] %in% "looked", , drop = FALSE]
  if (is.null(plan$look) || !identical(looked[["detail"]][1], "send")) return(going)
  moment <- looked[["time"]][1]
  columns <- job_columns(state$job)
  out <- told[told[["what"]] %in% "rendering" & told[["time"]] <= moment, , drop = FALSE]
  out <- paste(columns[["shot"]], columns[["frame"]]) %in% paste(out[["shot"]], out[["frame"]])
  sent <- which(!(at <= moment | out))
  if (!length(sent)) return(going)
  rescue <- stated_option(plan$rescue$option, state, "the decision's plan, rescue")
  for (k in seq_along(going$used)) {
    kept <- !going$runs[[k]] %in% sent
    work <- colSums(state$seconds[, going$runs[[k]], drop = FALSE])
    going$draws[[k]][["cost"]] <- going$draws[[k]][["cost"]] * sum(work[kept]) / sum(work)
    going$home[[k]] <- going$home[[k]][, kept, drop = FALSE]
    going$draws[[k]][["finish_s"]] <- if (any(kept)) apply(going$home[[k]], 1, max) else 0
    going$runs[[k]] <- going$runs[[k]][kept]
  }
  more <- part_run(state, rescue, sent, waiting = moment, keep = TRUE)
  full <- lengths(going$runs) > 0
  list(used = c(going$used[full], rescue), early = c(going$early[full], 0L),
       runs = c(going$runs[full], list(sent)), home = c(going$home[full], list(t(more$run$home))),
       draws = c(going$draws[full], list(more$draws)), first = without_early(begun$parts, at),
       moment = moment)
}

# Parts without the frames that came before the placing; one of which nothing else is left stays as
# it is.
without_early <- function(parts, at) {
  kept <- lapply(parts$runs, function(columns) {
    late <- at[columns] > placed_at_s
    if (any(late)) late else rep(TRUE, length(columns))
  })
  parts$early <- lengths(parts$runs) - vapply(kept, sum, 0L)
  parts$runs <- Map(`[`, parts$runs, kept)
  parts$home <- Map(function(home, k) home[, k, drop = FALSE], parts$home, kept)
  parts
}

# The plan's options and its frames' draws: of the job to which they belong.
watched_state <- function(plan, scenario, asked, draws, seed) {
  options <- as_frame(scenario$options)
  first <- match(plan$parts[[1]]$option, options[["option"]])
  key <- job_key(options)
  rows <- if (is.na(first)) seq_along(key) else which(key == key[first])
  scenario$options <- scenario$options[rows, , drop = FALSE]
  job <- scenario$jobs[[key[rows[1]]]]
  plan_state(scenario, asked, frame_draws(job, kept_draws(job, draws), seed), seed)
}

# State of a fallback's checkpoint now.
watched_look <- function(plan, state, split, came, told, passed) {
  if (!length(plan$look)) return(NULL)
  at <- as.numeric(parse_deadline(plan$look$at, as.POSIXct(0, origin = "1970-01-01"),
                                  state$scenario$time_zone, "the decision's plan, look")) -
                                    as.numeric(state$scenario$now)
  by_then <- sum(came <= min(at, passed))
  looked <- told[["detail"]][told[["what"]] %in% "looked"]
  due <- if (length(looked)) paste("done:", looked[1]) else if (passed < at) "later"
         else if (by_then < plan$look$fewer) "send" else "go on"
  list(at_s = at, fewer = plan$look$fewer, of = job_frames(state$job), there = by_then, due = due,
       rescue = plan$rescue$option)
}
