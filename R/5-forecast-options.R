# Options: the ways to render a job.

new_scenario <- record_type(
  "cp_scenario", options = is.data.frame, jobs = is.list, sites = is.list,
  left_out = is.data.frame, doubts = is.character, pruned = is.numeric, now = is_moment,
  currency = is.character, time_zone = maybe(is.character), hashes = is.list,
  corrections = maybe(is.data.frame)
)

#' The options of a job
#'
#' Every sensible combination of engine, version and limit (each a separate job), site, tier, hire
#' class, nodes at once, start and spread. A site that cannot do the job, or of which too little is
#' known, is no option; it is kept with the reason and shown wherever the options are. Left out
#' beforehand is what another option beats for certain: nodes beyond one a frame, counts of nodes
#' that save no round and charge no less, later starts at which no price falls, no queue shortens
#' and no site opens.
#'
#' @param job From [render_job()], or a list of jobs: the same shots with other engines, versions or
#'   limits. The error that [render_job()] gave for one may stand in its place, where another is a
#'   job: it is then listed as left out.
#' @param sites A site from [read_site()] or a list of them.
#' @param only,without What to keep, and what to leave out: names of sites, tiers, hire classes,
#'   engines, spreads or starts, or `field=value` with the columns below, such as `"nodes=10"`.
#'   Values of one field are alternatives.
#' @param spreads Additional ways to divide the work, apart from those that the shots need: see
#'   [job_way()]. Whole frames when `NULL`.
#' @param now The moment at which the job could be released.
#' @param learned From [learned()]: what became of past jobs corrects the forecasts of these; `NULL`
#'   leaves them as they are.
#' @return A scenario, a list of class `cp_scenario`: `options`, a tibble with one row an option:
#'   `option` (its name), `site`, `tier`, `hire` (`NA` where a site has one class), `nodes`,
#'   `engine`, `version`, `limit`, `noise` (over that of the shots' own limit), `start` (`now`, or a
#'   local time), `begin_s` (seconds from now), `spread`, `speed` (of a node, relative to the job's
#'   reference node), `evidence` (measured, transferred, claimed, assumed), `speed_from`, and
#'   `log_speed`, `speed_se`, `speed_df`, what is known of the speed. Rows may be dropped and bound:
#'   what they refer to is in the other fields. `jobs` and `sites`, by name; `left_out`, a tibble of
#'   `site`, `code` (`unfit`, `unknown_fit`, `unknown_speed`, `no_rate`, `unknown_link`,
#'   `unmeasured`) and `reason`; `doubts`, what is doubtful about the rate cards (no date, old, no
#'   source); `pruned`, how many options were left out as beaten; `now`, `currency`, `time_zone`,
#'   `hashes` (of the cards' files); `corrections`, what past jobs change in forecasts.
#' @section Conditions: `clockpigeon_error_option` if no site is left, if `only` or `without` name
#'   no option, and if they contradict each other.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' plan_options(job, project$sites)
#' plan_options(job, project$sites, only = c("saltmill", "nodes=20"))$options
#' @export
plan_options <- function(job, sites, only = NULL, without = NULL, spreads = NULL,
                         now = this_moment(), learned = NULL) {
  missing <- unmeasured_jobs(job)
  if (length(missing)) job <- job[!vapply(job, inherits, NA, "clockpigeon_error_evidence")]
  jobs <- as_jobs(job)
  sites <- as_list_of(sites, "cp_site", argument("sites"), "read_site()")
  names(sites) <- vapply(sites, `[[`, "", "site")
  for (spread in spreads) check_choice(spread, argument("spreads"), spread_kinds)
  parts <- lapply(jobs, timed_job_options, sites = sites, spreads = spreads, now = now)
  left_out <- unique(bind_tables(lapply(parts, `[[`, "left_out")))
  rows <- bind_tables(lapply(parts, `[[`, "rows"))
  if (NROW(rows)) left_out <- left_out[!left_out[["site"]] %in% rows[["site"]], , drop = FALSE]
  else refuse_sites(left_out)
  left_out <- bind_tables(list(left_out, missing))
  # Of several sites that were named, those that can run the job answer; `left_out` says why the
  # others do not.
  unable <- intersect(only, setdiff(left_out[["site"]], rows[["site"]]))
  if (any(only %in% rows[["site"]])) only <- setdiff(only, unable)
  else for (site in unable) {
    stop_input("option", paste0(site, " is left out: ",
                                paste(left_out[["reason"]][left_out[["site"]] == site],
                                      collapse = "; ")), argument("only"),
               paste0("Sites that can do it are ", toString(unique(rows[["site"]])), "."))
  }
  rows <- matches_pins(rows, only, without)
  rows[["option"]] <- option_names(rows)
  doubts <- unlist(lapply(sites[unique(rows[["site"]])], card_doubts), use.names = FALSE)
  new_scenario(list(options = as_table(rows[option_columns]), jobs = jobs, sites = sites,
                    left_out = as_table(left_out), doubts = doubts,
                    pruned = sum(vapply(parts, `[[`, 0, "pruned")), now = now,
                    currency = jobs[[1]]$currency, time_zone = jobs[[1]]$time_zone,
                    hashes = lapply(sites, card_hash),
                    corrections = corrections_for(learned, rows)))
}

# MD5 of a rate card's file as it is now; NULL when it has none.
card_hash <- function(site) {
  path <- attr(site, "path")
  if (length(path) && file.exists(path)) file_hash(path)
}

option_columns <- c("option", "site", "tier", "hire", "nodes", "engine", "version", "limit",
                    "noise", "start", "begin_s", "spread", "speed", "evidence", "speed_from",
                    "log_speed", "speed_se", "speed_df")

refuse_sites <- function(left_out) {
  stop_input("option", paste0("no site can do this job: ",
                              paste(left_out[["site"]], left_out[["reason"]], collapse = "; ")),
             instead = "Add a site, or measure trial frames there.")
}

# Shots that cannot be forecast without measurements, as rows of excluded sites; NULL if all can be
# forecast, an error if none can.
unmeasured_jobs <- function(jobs) {
  if (inherits(jobs, "cp_job") || !is.list(jobs)) return(NULL)
  failed <- Filter(function(job) inherits(job, "clockpigeon_error_evidence"), jobs)
  if (!length(failed)) return(NULL)
  if (length(failed) == length(jobs)) stop(failed[[1]])
  where <- vapply(failed, function(e) if (length(e$where)) e$where else "", "")
  data.frame(site = first_of(names(failed), where), code = "unmeasured",
             reason = vapply(failed, function(e) paste0(e$what, ". ", e$instead), ""),
             row.names = NULL)
}

# One or several jobs, by engine, version and limit.
as_jobs <- function(job, where = argument("job")) {
  jobs <- as_list_of(job, "cp_job", where, "render_job()")
  names(jobs) <- vapply(jobs, job_key, "")
  jobs[!duplicated(names(jobs))]
}

# Key that distinguishes the jobs of a scenario; `x` is a job, or a table of options.
job_key <- function(x) paste(x[["engine"]], x[["version"]], x[["limit"]], sep = "|")

# One option of a scenario as a list: its row, its job, its site and tier. `which` is a row's number
# or a name.
option_of <- function(scenario, which) {
  rows <- as_frame(scenario$options)
  i <- if (is.character(which)) match(which, rows[["option"]]) else which
  row <- as.list(rows[i, , drop = FALSE])
  site <- scenario$sites[[row$site]]
  c(row, list(job_of = scenario$jobs[[job_key(row)]], at = site,
              tier_of = site_tier(site, row$tier)))
}

# The sites of a scenario that have an option, by name.
option_sites <- function(scenario) scenario$sites[unique(scenario$options[["site"]])]

own_sites <- function(scenario) {
  names(scenario$sites)[vapply(scenario$sites, `[[`, "", "kind") == "own"]
}

# Job of a scenario's first option: statements about all options refer to it.
main_job <- function(scenario) scenario$jobs[[job_key(as_frame(scenario$options)[1, ])]]

# The jobs that options are left of.
asked_jobs <- function(scenario) scenario$jobs[unique(job_key(as_frame(scenario$options)))]

timed_job_options <- function(job, sites, spreads, now) {
  needs <- job_needs(job, sites)
  why <- lapply(sites, why_not, job = job, needs = needs)
  fit <- sites[lengths(why) == 0]
  parts <- lapply(fit, site_options, job = job, spreads = spreads, now = now)
  why <- why[lengths(why) > 0]
  list(rows = bind_tables(lapply(parts, `[[`, "rows")),
       pruned = sum(vapply(parts, `[[`, 0, "pruned")),
       left_out = data.frame(site = names(why),
                             code = vapply(why, `[[`, "", "code", USE.NAMES = FALSE),
                             reason = vapply(why, `[[`, "", "reason", USE.NAMES = FALSE)))
}

# Reason why a site cannot run a job, as a code and in words; NULL if it can. Unknown capabilities
# count as missing.
why_not <- function(site, job, needs = job_needs(job, list(site))) {
  because <- function(code, ...) list(code = code, reason = paste0(...))
  trouble <- eligibility_trouble(site, job, needs)
  if (length(trouble)) return(trouble)
  if (is.null(site_speed(job, site))) {
    return(because("unknown_speed", "unknown speed: no trial frames there, and no claim for ",
                   job$engine, " relative to ", job$node))
  }
  if (is.null(rate_to(site, job$currency, job$rates))) {
    return(because("no_rate", "no exchange rate from ", site$currency, " to ", job$currency))
  }
  if (is.null(site$link) && site$kind != "own" &&
      any(vapply(job$shots, function(s) s$upload + s$frame_size > 0, NA))) {
    return(because("unknown_link", "unknown link: transfers cannot be timed"))
  }
  NULL
}

# All options of one site, those that others beat for certain left out.
site_options <- function(site, job, spreads = NULL, now = this_moment()) {
  tasks <- job_frames(job) * max(vapply(job$shots, function(shot) first_of(shot$layers, 1L), 0L))
  classes <- if (length(site$hires)) lapply(site$hires, `[[`, "hire") else list(NA_character_)
  ways <- site_spreads(site, job, spreads)
  pruned <- 0
  rows_at <- function(tier, hire, starts) {
    all <- class_nodes(site, tier, hire)
    kept <- if (identical(ways, "frames")) useful_nodes(all, tasks, site) else all
    pruned <<- pruned + (length(all) - length(kept)) * nrow(starts) * length(ways)
    at <- expand.grid(nodes = kept, begin = seq_len(nrow(starts)), spread = ways,
                      stringsAsFactors = FALSE)
    data.frame(site = site$site, tier = tier$tier, hire = hire, nodes = at$nodes,
               engine = job$engine, version = job$version, limit = job$limit, noise = job$noise,
               start = starts$start[at$begin], begin_s = starts$begin_s[at$begin],
               spread = at$spread, speed_columns(site, job, hire))
  }
  rows <- bind_tables(lapply(site$tiers, function(tier) {
    starts <- tier_starts(site, tier, first_of(job$time_zone, "UTC"), now)
    bind_tables(lapply(classes, rows_at, tier = tier, starts = starts))
  }))
  list(rows = rows, pruned = pruned)
}

# A node's known speed, as columns of an option.
speed_columns <- function(site, job, hire) {
  speed <- option_speed(job, list(hire = hire), site)
  speed$log_factor <- speed$log_factor - job$time_share[["log"]]
  speed <- drifted_speed(job, speed)
  evidence <- speed$evidence
  class <- if (!is.na(hire)) class_speed(chosen_hire(site, hire), site)$basis else NA
  if (evidence == "measured" && job$time_share[["log"]] != 0) evidence <- "transferred"
  if (!is.na(class) && evidence != "assumed") evidence <- class
  data.frame(speed = exp(speed$log_factor), evidence = evidence, speed_from = speed$from,
             log_speed = speed$log_factor, speed_se = speed$se, speed_df = first_of(speed$df, Inf))
}

# Degrees of freedom of a sum of independent parts (Satterthwaite 1946, Biometrics Bull. 2, 110); at
# least 3. The speed includes the effect of sessions and of other work during the runs: a machine
# slower today than when it was measured is slower as a whole. Frames tried at a site were divided
# by frames measured during the same work.
drifted_speed <- function(job, speed) {
  busy <- first_of(job$busy, list(log = 0, sd = 0))
  if (is.null(speed$sessions)) speed$log_factor <- speed$log_factor - busy$log
  parts <- c(speed$se, job$time_share[["sd"]], session_drift(job, speed$sessions), busy$sd)
  speed$df <- joint_df(parts, c(first_of(speed$df, Inf), Inf, first_of(job$drift_df, Inf), Inf))
  speed$se <- sqrt(sum(parts^2))
  speed
}

joint_df <- function(se, df) {
  if (all(se == 0)) return(Inf)
  max(3, sum(se^2)^2 / sum(se^4 / df))
}

class_nodes <- function(site, tier, hire) {
  most <- if (!is.na(hire)) first_of(chosen_hire(site, hire)$at_once, Inf) else Inf
  nodes <- sort(unique(tier$nodes))
  kept <- nodes[nodes <= most]
  if (length(kept)) kept else as.integer(most)
}

# Counts of nodes worth having: one a task at most, and of those that take as many rounds of equal
# frames the smallest, unless the card's brackets or minimums could make more nodes cheaper.
useful_nodes <- function(nodes, tasks, site) {
  capped <- unique(pmin(nodes, tasks))
  if (site$price$minimum_node > 0 || length(site$price$brackets) > 1) return(capped)
  capped[!duplicated(ceiling(tasks / capped))]
}

# Spreads that are requested or required, if the site supports them; whole frames everywhere.
site_spreads <- function(site, job, asked) {
  needed <- unique(unlist(lapply(job$shots, function(shot) shot$needs$spread)))
  layers <- any(vapply(job$shots, function(shot) first_of(shot$layers, 1L) > 1, NA))
  ways <- if (length(needed)) needed else unique(c("frames", asked))
  ways <- setdiff(ways, if (!layers) "layers")
  able <- site$can$spreads
  kept <- ways[ways == "frames" | ways %in% able | site$kind == "own" & is.null(able)]
  if (length(kept)) kept else "frames"
}

# Moments at which a job could be released: now, and within a day where the card's time gets
# cheaper, or its queue quieter, while the site is open.
tier_starts <- function(site, tier, zone, now) {
  hours <- c(Filter(length, lapply(c(list(site$price), site$charges), `[[`, "hours")),
             if (length(tier$quiet)) list(tier$quiet$hours))
  edges <- lapply(hours, function(h) as.vector(hours_after(h, now, site$time_zone, days = 2)))
  at <- sort(unique(ceiling(as.numeric(unlist(edges)))))
  at <- at[at > 60 & at <= 86400]
  at <- Filter(function(s) gets_better(site, tier, now + s), at)
  data.frame(start = c("now", if (length(at)) clock_text(now + unlist(at), zone)),
             begin_s = c(0, unlist(at)))
}

gets_better <- function(site, tier, moment) {
  zone <- site$time_zone
  if (length(site$open) && !is_in_hours(moment, site$open, zone)) return(FALSE)
  hourly <- function(at) {
    counted <- Filter(function(x) length(x$hours), c(list(site$price), site$charges))
    sum(vapply(counted, function(x) first_of(x$amount, 0) * is_in_hours(at, x$hours, zone), 0))
  }
  quiet <- function(at) length(tier$quiet) > 0 && is_in_hours(at, tier$quiet$hours, zone)
  hourly(moment) < hourly(moment - 61) || quiet(moment) && !quiet(moment - 61)
}

# Options that the user pinned or excluded.
matches_pins <- function(rows, only, without) {
  fields <- c("site", "tier", "hire", "nodes", "engine", "version", "limit", "start", "spread",
              "evidence")
  asked <- parse_pins(only, "only", rows, fields)
  barred <- parse_pins(without, "without", rows, fields)
  keep <- rep(TRUE, nrow(rows))
  for (field in unique(asked$field)) {
    values <- asked$value[asked$field == field]
    keep <- keep & as.character(rows[[field]]) %in% values
  }
  for (i in seq_len(nrow(barred))) keep <- keep &
    !as.character(rows[[barred$field[i]]]) %in% barred$value[i]
  if (!any(keep)) {
    stop_input("option", paste0("nothing is both ", either_and(only, "asked for"),
                                if (length(without))
                                paste0(" and not ", either_and(without, "left out"))),
               "arguments `only` and `without`", "Take one of them back.")
  }
  rows[keep, , drop = FALSE]
}

either_and <- function(x, otherwise) if (length(x))
  paste0("'", paste(x, collapse = "' and '"), "'") else otherwise

# Pins of a user as pairs of an option's field and its value.
parse_pins <- function(pins, name, rows, fields) {
  where <- argument(name)
  texts_of <- function(field) as.character(rows[[field]])
  parse_pin <- function(pin) {
    pair <- regmatches(pin, regexec("^([a-z_]+)\\s*=\\s*(.+)$", pin))[[1]]
    if (length(pair)) {
      field <- check_choice(pair[2], where, fields)
      known <- unique(texts_of(field))
      if (!pair[3] %in% known) {
        stop_input("option", paste0("no option has ", field, " ", show_value(pair[3])), where,
                   paste0("There ", if (length(known) == 1) "is " else "are ", toString(known),
                          "."))
      }
      return(data.frame(field = field, value = pair[3]))
    }
    words <- setdiff(fields, c("nodes", "version"))
    at <- words[vapply(words, function(field) pin %in% texts_of(field), NA)]
    if (!length(at)) {
      known <- unique(stats::na.omit(unlist(lapply(words, texts_of))))
      near <- closest(pin, known)
      stop_input("option", paste0("no option has ", show_value(pin)), where,
                 if (length(near)) paste0("Did you mean ", near, "?")
                 else paste0("Sites are ", toString(unique(rows[["site"]])),
                             "; or write field=value."))
    }
    data.frame(field = at[1], value = pin)
  }
  found <- lapply(pins, parse_pin)
  if (length(found)) do.call(rbind, found) else data.frame(field = character(), value = character())
}

# Names say what is not the same for all: hire class, engine, limit, start and spread only where
# they differ.
option_names <- function(rows) {
  varied <- function(name) length(unique(rows[[name]])) > 1
  extra <- function(name, text, usual = character()) {
    ifelse(is.na(rows[[name]]) | rows[[name]] %in% usual, "", paste0(", ", text))
  }
  paste0(
    rows[["site"]], " ", rows[["tier"]],
    ifelse(is.na(rows[["hire"]]), "", paste0(" ", rows[["hire"]])), ", ", rows[["nodes"]],
    ifelse(rows[["nodes"]] == 1, " node", " nodes"),
    if (varied("engine") || varied("version"))
    paste0(", ", rows[["engine"]], " ", rows[["version"]]),
    if (varied("limit")) paste0(", ", rows[["limit"]]), extra("spread", rows[["spread"]], "frames"),
    extra("start", rows[["start"]], "now")
  )
}
