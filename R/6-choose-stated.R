# A plan stated by the user: read, checked against the options, and simulated like any other.

# Fields of a plan's file, those of a decision record's `plan`.
stated_fields <- function() list(
  parts = field(records_of(list(
    option = field(a_text(), required = TRUE),
    frames = field(a_text())
  )), required = TRUE),
  look = field(record_of(list(at = field(a_deadline(), required = TRUE),
                              fewer = field(a_count(), required = TRUE)))),
  rescue = field(record_of(list(option = field(a_text(), required = TRUE))))
)

# A plan from a YAML or JSON file: its own, or the `plan` of a decision record.
read_stated_plan <- function(path) {
  x <- read_yaml_file(check_text(path, argument("path")))  # JSON is YAML too
  if (is.list(x$plan)) x <- x$plan
  known <- function(x, names) x[intersect(names(x), names)]
  # A record says more of a plan than what it is.
  if (is.list(x$parts)) {
    if (!is.null(names(x$parts))) x$parts <- list(x$parts)
    x$parts <- lapply(x$parts, function(part) if (is.list(part))
                      known(part, c("option", "frames")) else part)
  }
  if (is.list(x$look)) x$look <- known(x$look, c("at", "fewer"))
  if (is.list(x$rescue)) x$rescue <- known(x$rescue, "option")
  record <- check_fields(known(x, c("parts", "look", "rescue")), stated_fields(), short_path(path))
  structure(record, where = short_path(path))
}

# The plan that was stated, on the draws of a choice; `state` is from plan_state().
stated_plan <- function(stated, state) {
  where <- or_else(attr(stated, "where"), argument("plans"))
  split <- stated_split(stated, state, where)
  fallback <- sum(lengths(stated[c("look", "rescue")]) > 0)
  if (fallback == 1) {
    stop_input("plan", paste("has a", if (length(stated$look)) "look and no rescue" else
                             "rescue and no look"), where,
               paste0("A fallback needs both: when to look and below how many frames, and ",
                      "where the rest goes then."))
  }
  run <- check_parts(state, split, keep = fallback > 0)
  kind <- if (fallback) "fallback" else if (length(split$used) > 1) "sides" else "one"
  if (fallback) {
    look <- stated_look(stated, state, split, where)
    run <- check_look(state, run, look$at, look$rescue, fewer = look$fewer)
  }
  c(made_plan(state, run, kind), stated = TRUE)
}

# Which option renders which frames. Every frame of the job is in one part, and no site in two.
stated_split <- function(stated, state, where) {
  at <- paste0(where, ", parts")
  used <- vapply(stated$parts, function(part) stated_option(part$option, state, at), 0L)
  sites <- state$options[["site"]][used]
  twice <- sites[duplicated(sites)]
  if (length(twice)) {
    stop_input("plan", paste("names the site", twice[1], "twice"), at,
               "Write one part with all frames that go there: its nodes would be counted twice.")
  }
  shots <- state$job$shots
  before <- cumsum(c(0, frames_by_shot(state$job)))
  whole <- vapply(stated$parts, function(part) is.null(part$frames), NA)
  if (any(whole) && length(whole) > 1) {
    stop_input("plan", "has a part without frames beside others", at,
               "Write the frames of each part.")
  }
  runs <- lapply(stated$parts, function(part) {
    if (is.null(part$frames)) return(seq_len(job_frames(state$job)))
    unlist(Map(`+`, places_of_text(part$frames, shots, at), before[seq_along(shots)]))
  })
  all <- unlist(runs)
  name_of <- function(column) {
    k <- findInterval(column, before, left.open = TRUE)
    paste("frame", shots[[k]]$frames[column - before[k]], "of", shots[[k]]$shot)
  }
  if (anyDuplicated(all)) {
    stop_input("plan", paste0("has ", name_of(all[anyDuplicated(all)]), " in two parts"), at,
               "Write each frame once.")
  }
  missing <- setdiff(seq_len(job_frames(state$job)), all)
  if (length(missing)) {
    stop_input("plan", paste0("has ", length(missing), " frames in no part, the first ",
                              name_of(missing[1])), at,
               "Give every frame that is left to a part.")
  }
  list(used = used, runs = runs)
}

# The option of a stated plan's part; an error names what the scenario lacks.
stated_option <- function(name, state, where) {
  known <- state$options[["option"]]
  i <- match(name, known)
  if (!is.na(i)) return(i)
  if (name %in% state$others) {
    stop_input("plan", paste(name, "renders with another engine or limit than", known[1]), where,
               "A plan has one of each: ask with --engine and --limits for that one alone.")
  }
  mine <- known[state$options[["site"]] == name]
  near <- closest(name, known)
  stop_input("option", paste0("no option is called ", show_value(name)), where,
             if (length(mine))
             paste0("Its site has ", paste0(show_value(mine), collapse = ", "), ".")
             else if (length(near)) paste0("Did you mean ", near, "?")
             else paste0("Options here are ", toString(utils::head(known, 5)),
                         if (length(known) > 5) ", ...", "."))
}

# The moment, the number of frames and the rescue, where something can come of them.
stated_look <- function(stated, state, split, where) {
  at <- paste0(where, ", look")
  scenario <- state$scenario
  moment <- parse_deadline(stated$look$at, scenario$now, scenario$time_zone, at)
  seconds <- as.numeric(moment) - as.numeric(scenario$now)
  n <- job_frames(state$job)
  if (seconds >= state$asked$deadline_s) {
    stop_input("plan", paste0("looks at ", show_value(stated$look$at),
                              ", when the deadline has passed"), at,
               "Look earlier: what is sent away then comes too late.")
  }
  if (stated$look$fewer > n) {
    stop_input("plan", paste0("asks whether fewer than ", stated$look$fewer,
                              " frames are done, of ", n), at,
               paste0("Write a number up to ", n, "."))
  }
  at <- paste0(where, ", rescue")
  rescue <- stated_option(stated$rescue$option, state, at)
  row <- state$options[rescue, ]
  used <- state$options[split$used, , drop = FALSE]
  busy <- used[["site"]] == row[["site"]] & (state$own[rescue] | used[["tier"]] == row[["tier"]])
  if (any(busy)) {
    stop_input("plan", paste0(row[["option"]], " is busy with the frames it began with"), at,
               "Name another site, or another tier of a rented one.")
  }
  if (row[["begin_s"]] > 0) {
    stop_input("plan", paste0(row[["option"]],
                              " starts at its own time, not on request"), at,
               "Name an option that can begin at any moment.")
  }
  list(at = seconds, fewer = stated$look$fewer, rescue = rescue)
}
