# A job that was placed by hand, followed by the frames that appear in a folder: when it is done now, and what it costs.

# Numbered pictures of a folder, whatever folders are in it: `shot` (of the names given: the one whose name the path
# has, or the only one), `frame`, `time` (when it was written, seconds since 1970). Empty files are not there yet; of a
# frame that was written twice the first counts.
frames_there <- function(folder, shots) {
  if (!dir.exists(folder)) stop_input("file", "there is no such folder", folder, "Name the one where frames appear.")
  files <- list.files(folder, "([0-9]{1,9})\\.(png|exr|tiff?|pfm|jpe?g)$", recursive = TRUE, ignore.case = TRUE)
  info <- file.info(file.path(folder, files), extra_cols = FALSE)
  frame <- as.integer(sub(".*?([0-9]{1,9})\\.[^.]*$", "\\1", basename(files), perl = TRUE))
  # The longest name that is in the path: gears-review before gears.
  names <- shots[order(-nchar(shots))]
  at <- vapply(files, function(file) which(vapply(names, grepl, NA, x = file, fixed = TRUE))[1], 0L, USE.NAMES = FALSE)
  shot <- if (length(shots) == 1) rep(shots, length(files)) else names[at]
  out <- data.frame(shot = shot, frame = frame, time = as.numeric(info[["mtime"]]))
  out <- out[info[["size"]] > 0 & !is.na(out[["shot"]]), , drop = FALSE]
  out <- out[order(out[["time"]]), , drop = FALSE]
  out[!duplicated(out[c("shot", "frame")]), , drop = FALSE]
}

# How a placed job stands. `plan`: as a decision's record has it; `scenario`: planned for the moment it was placed;
# `asked`: the question, its deadline in seconds from then; `folders`: one for each site, by its name; `now`.
#
# Returns a list: `parts`, one row a part: `site`, `option`, `frames`, `there`, `work` (share done), `last` (arrival,
# seconds from the placing), `overdue` (share of draws in which another frame would have come by now), `finish_p50`,
# `cost_mean`; `draws`: `finish_s` and `cost` of the whole; its chances and mean as of a plan; `look`: of a fallback
# its moment, `fewer`, `there` (frames by then), and what is `due`: `later`, `send` or `go on`; `unknown`: files of no
# frame.
watch_frames <- function(plan, scenario, asked, folders, now, draws = 2000, seed = 1) {
  state <- watched_state(plan, scenario, asked, draws, seed)
  split <- stated_split(plan, state, "the decision's plan")
  run <- check_parts(state, split, keep = TRUE)
  passed <- as.numeric(now) - as.numeric(scenario$now)
  seen <- lapply(seq_along(split$used), function(k) part_frames(state, split, k, folders, passed))
  rest <- Map(function(at, one, d) rest_given(t(one$home), d[["finish_s"]], d[["cost"]], at$seen, passed), seen,
              run$runs, run$parts)
  mixed <- with_seed(seed, lapply(rest, function(x) sample.int(length(x$finish), draws, TRUE, x$weight)))
  finish <- do.call(pmax, Map(function(x, i) x$finish[i], rest, mixed))
  cost <- Reduce(`+`, Map(function(x, i) x$cost[i], rest, mixed))
  middle <- function(x) stats::approx(cumsum(x$weight[order(x$finish)]), sort(x$finish), 0.5, rule = 2, ties = mean)$y
  parts <- data.frame(
    site = state$options[["site"]][split$used], option = state$options[["option"]][split$used],
    frames = lengths(split$runs), there = vapply(rest, `[[`, 0, "done"), work = vapply(rest, `[[`, 0, "work"),
    last = vapply(seen, function(x) max(c(x$seen, -Inf)), 0), overdue = vapply(rest, `[[`, 0, "overdue"),
    finish_p50 = vapply(rest, middle, 0), cost_mean = vapply(rest, function(x) sum(x$cost * x$weight), 0)
  )
  c(list(parts = as_table(parts), draws = as_table(data.frame(finish_s = finish, cost = cost)), passed_s = passed,
         unknown = sum(vapply(seen, `[[`, 0L, "unknown"))),
    judged_draws(finish, cost, asked)[c("p_deadline", "p_budget", "p_both", "mean", "fits")],
    list(look = watched_look(plan, state, split, seen, passed)))
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

# When frames of a part arrived, seconds from the placing, and which of its columns they are.
part_frames <- function(state, split, k, folders, passed) {
  job <- job_part(state$job, split$runs[[k]])
  site <- state$options[["site"]][split$used[k]]
  if (is.null(folders[[site]])) {
    stop_input("usage", paste("names no folder for", site), "option --frames", paste0("Write ", site, "=FOLDER."))
  }
  there <- frames_there(folders[[site]], vapply(job$shots, `[[`, "", "shot"))
  mine <- unlist(lapply(job$shots, function(shot) paste(shot$shot, shot$frames)))
  since <- there[["time"]] - as.numeric(state$scenario$now)
  # A clock that differs a little may have written frames before they were placed; older ones are of another job.
  known <- paste(there[["shot"]], there[["frame"]]) %in% mine & since > -300
  at <- since[known]
  list(seen = pmax(at[at <= passed], 1e-3), unknown = sum(!known))
}

# What a fallback's look says by now.
watched_look <- function(plan, state, split, seen, passed) {
  if (!length(plan$look)) return(NULL)
  at <- as.numeric(parse_deadline(plan$look$at, as.POSIXct(0, origin = "1970-01-01"), state$scenario$time_zone,
                                  "the decision's plan, look")) - as.numeric(state$scenario$now)
  by_then <- sum(vapply(seen, function(x) sum(x$seen <= min(at, passed)), 0L))
  due <- if (passed < at) "later" else if (by_then < plan$look$fewer) "send" else "go on"
  list(at_s = at, fewer = plan$look$fewer, of = job_frames(state$job), there = by_then, due = due,
       rescue = plan$rescue$option)
}
