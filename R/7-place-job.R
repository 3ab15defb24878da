# Placing a job: from its decision to what is to be done where, and doing it.

new_place <- record_type(
  "cp_place", job = is.character, id = is.character, decision = is.list, project = is.list,
  state = is.list, split = is.list, parts = is.data.frame, now = is_moment, promised = is.list,
  seen = maybe(is.list), judged = is.list, findings = is.data.frame, go = is.logical,
  chance = is.numeric, cost_mean = is.numeric
)

#' Place a job that was decided
#'
#' Takes a job from its decision to its frames. `plan_place()` checks the plan again: its chance
#' from now on, changes since the decision, the nodes, the check's findings, balances and disks.
#' Each finding states its fix. `place_job()` then carries out the plan. Frames of an own pool
#' (`kind: own`, with `pool` in the site's file) are rendered on its nodes, each under a temporary
#' name and moved into place when complete, so that an interrupted run continues with the missing
#' frames when it is started again. A site with a `service` in its file is sent the files and the
#' frames over Clock Pigeon's site protocol, with the cap to keep. For any other site it writes a
#' job sheet (what to send, settings, frames, names, the checks before paying, the promised price,
#' the cap to set) as Markdown and JSON, next to the parcels of the shots.
#'
#' With `trial` only a few frames of each shot are rendered first, those that say most of the
#' others: they are part of the job, and their times are evidence when `plan_place()` runs again.
#'
#' A fallback's look is taken where the own pool runs: frames not started by then continue at the
#' rescue, on its nodes or by a separate sheet.
#'
#' All is in the folder `placed/NAME` of the project: `frames/SHOT/SHOT-0001.png`, sheets, parcels;
#' what happens is in the ledger ([job_events()]).
#'
#' @param project From [read_project()].
#' @param ledger A ledger from [open_ledger()], for writing.
#' @param job The job's name, as [record_job()] wrote it down.
#' @param now The moment it is placed at.
#' @return `plan_place()`: a list of class `cp_place`: `job`, `parts` (a tibble, one row a part:
#'   `site`, `option`, `kind` (`own`, `service`, `sheet`), `frames`, `count`, `nodes`, `here` (slots
#'   of the pool), `cost_mean`, `cost_p90`), `findings` (a tibble: `code`, `weight` (`stops`,
#'   `note`), `site`, `what`, `cure`), `go` (no finding stops it), `chance` and `cost_mean` as of
#'   now, and `promised`.
#' @section Conditions: `clockpigeon_error_job` for a job that was not decided here,
#'   `clockpigeon_error_place` for what cannot be placed, `clockpigeon_error_plan` when another
#'   process is placing it.
#' @examplesIf requireNamespace("mirai", quietly = TRUE)
#' project <- read_project(demo_file())
#' ledger <- open_ledger(":memory:")
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' add_timings(ledger, example_timings())
#' forecast <- forecast_job(plan_options(job, project$sites, only = "quayside"), draws = 100)
#' record_job(ledger, choose_option(forecast, "30 h"), "gears-final")
#' plan_place(project, ledger, "gears-final")$parts
#' close_ledger(ledger)
#' @export
plan_place <- function(project, ledger, job, now = this_moment()) {
  check_class(project, argument("project"), "cp_project", "read_project()")
  decision <- job_plan_record(ledger, job)
  asked <- replan_job(decision, project)
  scenario <- plan_options(asked_job(ledger, asked, project), project$sites,
                           spreads = asked$spreads, now = now, learned = asked$corrections)
  state <- watched_state(decision$plan, scenario, asked$question(now), asked$draws, asked$seed)
  split <- stated_split(decision$plan, state, "the decision's plan")
  run <- check_parts(state, split, keep = length(decision$plan$look) > 0)
  parts <- placed_parts(project, state, split, run)
  promised <- list(chance = decision$plan$p_both, cost_mean = decision$plan$cost_mean)
  place <- list(job = job, id = job_id(ledger, job), decision = decision, project = project,
                state = state, split = split, parts = parts, now = now, promised = promised)
  place$seen <- if (length(placed_of(ledger, job, decision)$folders))
    watch_job(project, ledger, job, now)
  place$judged <- judged_now(place, run)
  place$findings <- last_look(place, ledger)
  place$go <- !any(place$findings[["weight"]] == "stops")
  new_place(c(place, list(chance = place$judged$p_both, cost_mean = place$judged$mean)))
}

# The parts of a plan, one row each.
placed_parts <- function(project, state, split, run) {
  options <- state$options[split$used, , drop = FALSE]
  sites <- options[["site"]]
  slots <- lapply(sites, function(site) pool_slots(project, site))
  parts <- lapply(split$runs, function(columns) job_part(state$job, columns))
  cost <- lapply(run$parts, `[[`, "cost")
  full <- lapply(run$parts, full_price)
  as_table(data.frame(
    site = sites, option = options[["option"]], tier = options[["tier"]],
    kind = vapply(sites, part_kind, "", project = project, USE.NAMES = FALSE),
    frames = vapply(parts, run_text, ""), count = lengths(split$runs), nodes = options[["nodes"]],
    here = lengths(slots), hire = options[["hire"]], spread = options[["spread"]],
    cost_mean = vapply(cost, mean, 0), cost_p90 = vapply(cost, quantile_of, 0, 0.9),
    cost_p99 = vapply(cost, quantile_of, 0, 0.99), full_mean = vapply(full, mean, 0),
    full_p90 = vapply(full, quantile_of, 0, 0.9)
  ))
}

# How frames get to a site: rendered by its own pool here, asked for at its address, or by a sheet.
part_kind <- function(site, project) {
  if (project$sites[[site]]$kind == "own") "own" else if (has_service(project, site)) "service" else
    "sheet"
}

# The plan's chance and cost from now on, including its checkpoint; for a running job, with the
# frames received so far.
judged_now <- function(place, run) {
  plan <- place$decision$plan
  if (length(place$seen)) return(place$seen[c("p_deadline", "p_budget", "p_both", "mean")])
  state <- place$state
  if (is.null(plan$look)) return(run)
  at <- as.numeric(as_utc(plan$look$at)) - as.numeric(place$now)
  if (at <= 0 || at >= state$asked$deadline_s) return(c(run, late_look = at <= 0))
  rescue <- stated_option(plan$rescue$option, state, "the decision's plan, rescue")
  check_look(state, run, at, rescue, fewer = plan$look$fewer)
}

new_placed <- record_type("cp_placed", job = is.character, folder = is.character,
                          sheets = maybe(is.character), remote = is.character,
                          frames = maybe(is.data.frame))

#' @rdname plan_place
#' @param place From `plan_place()`.
#' @param despite Codes of findings that may stand; one that stops it otherwise is an error.
#' @param progress `TRUE` says on standard error how far it is.
#' @param options A list of any of `frame_limit` (seconds after which a frame of an own pool is
#'   ended and given to another node; three times the slowest frame of the forecast when absent, a
#'   minute at least), `grace_s` (seconds more until a node that says nothing counts as gone; 30),
#'   `again_s` (seconds until a node that is gone is tried again for the first time, each further
#'   time twice as long; 2).
#' @param trial `TRUE` places trial frames alone.
#' @return `place_job()`: a list of class `cp_placed`: `job`, `folder`, `sheets` (paths), `remote`
#'   (ids of the jobs at sites with an address; [fetch_job()] fetches their results), `frames`, a
#'   tibble with one row a frame that is rendered here or was sent: `shot`, `frame`, `site`, `to`,
#'   `state` (`done`, `waiting`, `failed`, `sent`), `failures`.
#' @export
place_job <- function(place, ledger, despite = character(), progress = interactive(),
                      options = list(), trial = FALSE) {
  options <- do.call(place_options, known_options(options))
  check_class(place, argument("place"), "cp_place", "plan_place()")
  stops <- place$findings[place$findings[["weight"]] == "stops", , drop = FALSE]
  stops <- stops[!stops[["code"]] %in% despite, , drop = FALSE]
  if (nrow(stops)) {
    stop_input("place", stops[["what"]][1], place$job,
               paste0(stops[["cure"]][1], " Or go on despite it: --despite ",
                      paste(unique(stops[["code"]]), collapse = ","), "."))
  }
  claim <- claim_plan(ledger, paste0("job-", place$id))
  on.exit(release_plan(claim))
  folder <- placed_folder(place)
  own <- place$parts[["kind"]] == "own"
  if (!trial) note_placed(place, ledger, folder,
                          place$parts[["site"]][place$parts[["kind"]] != "service"])
  kind <- place$parts[["kind"]]
  sheets <- unlist(lapply(which(kind == "sheet"), function(k) {
    again <- if (!trial) refused_columns(place, ledger, k)
    if (length(again)) write_repeat_sheet(place, k, folder, again) else
      write_sheet(place, k, folder, trial)
  }))
  remote <- unlist(lapply(which(kind == "service"), function(k) {
    place_remote(place, as.list(as_frame(place$parts)[k, ]), place$split$runs[[k]], ledger, folder,
                 trial)
  }))
  frames <- NULL
  if (any(own)) {
    job <- pool_job(place, folder, options)
    frames <- run_pool(if (trial) trial_job(job) else job, ledger, progress)
    if (!trial) keep_own_charges(place, ledger, frames,
                                 "stopped" %in% job_orders(ledger, place$job))
    sent <- which(frames[["state"]] == "sent")
    if (length(sent)) {
      rescue <- rescue_part(place, frames[sent, , drop = FALSE])
      if (has_service(place$project, rescue$part$site)) {
        remote <- c(remote, place_remote(place, rescue$part, rescue$columns, ledger, folder))
      } else sheets <- c(sheets, write_rescue(place, rescue, folder))
    }
    frames <- as_table(frames[c("shot", "frame", "site", "to", "state", "failures")])
  }
  new_placed(list(job = place$job, folder = folder, sheets = sheets, remote = as.character(remote),
                  frames = frames))
}

known_options <- function(options) {
  odd <- setdiff(names(options), names(formals(place_options)))
  if (length(odd) || length(options) && is.null(names(options))) {
    stop_input("field", paste("got", show_value(c(odd, "values without names")[1])),
               argument("options"),
               paste0("It is a list of ", toString(names(formals(place_options))), "."))
  }
  options
}

place_options <- function(frame_limit = NULL, grace_s = 30, again_s = 2) {
  list(frame_limit = if (length(frame_limit))
       check_number(frame_limit, argument("frame_limit"), above = 0),
       grace_s = check_number(grace_s, argument("grace_s"), above = 0),
       again_s = check_number(again_s, argument("again_s"), above = 0))
}

# All that own pools need of a placed job: its frames, trials, slots and limits.
pool_job <- function(place, folder, options) {
  state <- place$state
  parts <- as_frame(place$parts)
  own <- which(parts[["kind"]] == "own")
  project <- place$project
  engine <- project_entry(project$engines, state$job$engine, "engine")
  trials <- lapply(own, function(k)
                   part_trials(job_part(state$job, place$split$runs[[k]]), engine, project))
  frames <- Map(function(k, trials) data.frame(
    shot = trials[["shot"]], frame = trials[["frame"]], site = parts[["site"]][k],
    range = if (parts[["spread"]][k] == "ranges")
    run_numbers(nrow(trials), max(1, parts[["here"]][k])) else NA_integer_
  ), own, trials)
  frames <- do.call(rbind, frames)
  digits <- max(4, nchar(max(frames[["frame"]])))
  at <- sprintf(paste0("%s/%s-%0", digits, "d.%s"), frames[["shot"]], frames[["shot"]],
                frames[["frame"]], engine$output)
  frames$to <- file.path("placed", place$job, "frames", at)
  sites <- union(parts[["site"]][own], own_rescue(place))
  bands <- parts[own, ][parts[["spread"]][own] == "bands", ]
  cut <- in_pieces(frames, do.call(rbind, trials),
                   stats::setNames(pmax(1, bands[["here"]]), bands[["site"]]))
  frames <- cut$frames
  trials <- cut$trials
  list(name = place$job, id = place$id, root = project$root,
       time_zone = first_of(project$time_zone, "UTC"), frames = frames, trials = trials,
       engines = stats::setNames(list(engine), engine$engine),
       pairs = unique(trials[c("engine", "version")]),
       making = file.path("placed", place$job, "making"),
       slots = all_slots(project, sites),
       files = needed_files(state$job, project), look = pool_look(place), retries = lapply(
         project$sites[sites],
         function(site) first_of(site$troubles, defaults_of(trouble_fields()))$retries),
       limit_s = stats::setNames(lapply(sites, frame_limit, place = place, options = options),
                                 sites),
       grace_s = options$grace_s, again_s = options$again_s)
}

# The trial frames of a pool's job: of each shot at each site those that say most of the others.
trial_job <- function(job, most = 3) {
  of <- split(seq_len(nrow(job$frames)), row_key(job$frames, c("site", "shot")))
  telling <- function(rows) {
    frames <- job$frames[["frame"]][rows]
    distinct <- unique(frames)
    rows[frames %in% first_probes(distinct, min(most, length(distinct)))]
  }
  kept <- sort(unlist(lapply(of, telling)))
  job$frames <- job$frames[kept, , drop = FALSE]
  job$frames$range <- NA_integer_
  job$trials <- job$trials[kept, , drop = FALSE]
  job$look <- NULL
  job
}

# A trial for each frame of a part, in the frames' order.
part_trials <- function(job, engine, project) {
  rows <- lapply(job$shots, function(shot) {
    version <- if (length(engine$versions)) stats::setNames(list(job$version), engine$engine)
    shot_settings(shot, list(engine), version, shot$frames, NULL, NA, bench_options(),
                  length(shot$scenes) > 0)
  })
  trials <- do.call(rbind, rows)
  trials <- cbind(run_order = seq_len(nrow(trials)), "repeat" = 1L, trials)
  rownames(trials) <- NULL
  trials
}

# Fixed runs of frames, one a slot, as even as can be.
run_numbers <- function(n, slots) as.integer(ceiling(seq_len(n) * slots / n))

own_rescue <- function(place) {
  site <- place$decision$plan$rescue$site
  if (length(site) && place$project$sites[[site]]$kind == "own" &&
      length(pool_slots(place$project, site))) site
}

pool_look <- function(place) {
  plan <- place$decision$plan
  if (is.null(plan$look)) return(NULL)
  list(at = as.numeric(as_utc(plan$look$at)), fewer = plan$look$fewer, rescue = plan$rescue$site,
       own = length(own_rescue(place)) > 0)
}

# Long after the slowest frame there should have ended.
frame_limit <- function(site, place, options) {
  if (length(options$frame_limit)) return(options$frame_limit)
  rows <- which(place$state$options[["site"]] == site)
  speed <- exp(min(c(place$state$options[["log_speed"]][rows], 0)))
  max(60, 3 * max(place$state$seconds) / speed)
}
