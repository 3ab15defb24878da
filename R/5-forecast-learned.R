# Forecasts corrected by what became of past ones.

# Effect of a correction for one figure of the jobs at a site and tier: `known`, was the site's
# speed measured or only claimed (later measurements include what earlier jobs showed), `what`
# (`finish_s` or `cost`), `bias` (of logs) and `width` (of ranges), with `jobs`, `inside` and
# `changed` as learned_of() has them. For a stage that is learned separately (`wait_s`, by `hours`
# of the day, `start_s`, `upload_s`) the same, regardless of the speed, and for failing runs
# (`failed`) the log of their share as `bias`.
correction_columns <- c("site", "tier", "known", "what", "hours", "bias", "width", "jobs", "inside",
                        "changed")

# The hours of a day (UTC) that a queue has.
day_parts <- c("0 to 6", "6 to 12", "12 to 18", "18 to 24")
day_part <- function(moment) day_parts[as.integer(format(moment, "%H", tz = "UTC")) %/% 6 + 1]

# The stages of a draw, whose sum is its finish.
stage_columns <- c("held_s", "prepare_s", "upload_s", "wait_s", "start_s", "prepass_s", "render_s",
                   "closed_s", "download_s", "encode_s")

# Corrections of the options of a scenario. `learned`: from learned(), or a data frame of them, as a
# decision keeps it; NULL for none.
corrections_for <- function(learned, options) {
  if (is.null(learned)) return(NULL)
  if (is.data.frame(learned)) return(as_frame(learned))
  check_class(learned, argument("learned"), "cp_learned", "learned()")
  pairs <- as_frame(options)[c("site", "tier")]
  pairs$known <- speed_known(options[["evidence"]])
  pairs <- unique(pairs)
  rows <- lapply(names(learned$learning), function(what) {
    learning <- learned$learning[[what]]
    if (!NROW(learning$past)) return(NULL)
    bind_tables(lapply(seq_len(nrow(pairs)), function(k) {
      found <- learned_of(learning, learned_site(pairs[["site"]][k], pairs[["known"]][k]),
                          pairs[["tier"]][k])
      data.frame(pairs[k, ], what = what, found, row.names = NULL)
    }))
  })
  stages <- lapply(unique(as_frame(options)[["site"]]), function(site) {
    stage_corrections(learned, site, unique(pairs[["tier"]][pairs[["site"]] == site]))
  })
  rows <- bind_tables(lapply(c(rows, stages), as_correction_rows))
  if (!is.null(rows)) as_frame(rows)
}

as_correction_rows <- function(x) {
  if (!is.null(x)) all_columns(as_frame(x), correction_columns)
}

# Learned stages and failing runs of a site's tiers; NULL without jobs.
stage_corrections <- function(learned, site, tiers) {
  rows <- lapply(names(learned$stages), function(what) {
    learning <- learned$stages[[what]]
    if (!site %in% learning$past[["site"]]) return(NULL)
    hours <- if ("hours" %in% names(learning$prior)) day_parts else NA_character_
    each <- expand.grid(tier = tiers, hours = hours, stringsAsFactors = FALSE)
    row <- function(tier, hours) {
      data.frame(site = site, tier = tier, what = what, hours = hours,
                 learned_of(learning, site, tier, null_if_na(hours)))
    }
    bind_tables(Map(row, each$tier, each$hours))
  })
  rates <- as_frame(learned$rates)
  rate <- rates[rates[["what"]] == "failed" & rates[["site"]] == site, , drop = FALSE]
  if (nrow(rate)) {
    rows <- c(rows, list(data.frame(site = site, tier = tiers, what = "failed",
                                    bias = log(rate[["learned"]][1]), width = 1,
                                    jobs = rate[["jobs"]][1], inside = NA_integer_)))
  }
  bind_tables(lapply(rows, as_correction_rows))
}

# Correction of a stage of an option that starts at a moment; NULL for none.
stage_correction <- function(corrections, option, what, moment = NULL) {
  row <- corrections[corrections[["what"]] == what & corrections[["site"]] == option$site &
                       corrections[["tier"]] %in% option$tier, , drop = FALSE]
  if (length(moment))
    row <- row[is.na(row[["hours"]]) | row[["hours"]] == day_part(moment), , drop = FALSE]
  if (NROW(row)) as.list(row[1, ])
}

# A way to render a job, with the queue, the start, the link and the failing runs as past jobs had
# them.
correct_setup <- function(way, corrections, option, moment) {
  if (!NROW(corrections)) return(way)
  way$wait <- corrected_time(way$wait, stage_correction(corrections, option, "wait_s", moment))
  way$start <- corrected_time(way$start, stage_correction(corrections, option, "start_s"))
  link <- stage_correction(corrections, option, "upload_s")
  if (length(link)) {
    way$link <- way$link / exp(link$bias)
    way$link_sd <- way$link_sd * link$width
  }
  failed <- stage_correction(corrections, option, "failed")
  if (length(failed)) way$fails <- exp(failed$bias)
  way
}

# A time as the core takes it (median, sd of its log, df), corrected.
corrected_time <- function(time, correction) {
  if (is.null(correction)) return(time)
  time * c(exp(correction$bias), correction$width, 1)
}

# Draws of an option as simulated() has them, with how much longer each of them takes as `ratio`. A
# range is widened about its median, and the median moved: log x becomes m + bias + width (log x -
# m). One that is `halted` is moved only: its range is none of a whole job.
corrected_draws <- function(draws, corrections, option, currency, halted = FALSE) {
  of <- function(what) {
    correction <- correction_of(corrections, option, what)
    if (halted && length(correction)) correction$width <- 1
    correct_draws(draws[[what]], correction)
  }
  longer <- of("finish_s")
  dearer <- of("cost")
  draws[c("finish_s", stage_columns)] <- lapply(draws[c("finish_s", stage_columns)], `*`, longer)
  for (name in c("cost", "lost_money")) {
    draws[[name]] <- from_minor(to_minor(draws[[name]] * dearer, currency), currency)
  }
  list(draws = draws, ratio = longer)
}

# The correction of an option (with `site`, `tier`, `evidence`); NULL for none.
correction_of <- function(corrections, option, what) {
  row <- corrections[corrections[["site"]] == option$site & corrections[["tier"]] %in% option$tier &
                       corrections[["known"]] == speed_known(option$evidence) &
                     corrections[["what"]] == what, ]
  if (NROW(row)) as.list(row[1, ])
}

# Was a speed measured, and not only claimed?
speed_known <- function(evidence) ifelse(evidence %in% c("claimed", "assumed"), "said", "measured")

# Key under which jobs of one kind of evidence are learned: a site's name, or another one while its
# speed was only claimed.
learned_site <- function(site, known) paste0(site, ifelse(known == "said", " (as said)", ""))

# Factor of each of several draws. Zero and infinity stay as they are.
correct_draws <- function(x, correction) {
  moved <- is.finite(x) & x > 0
  ratio <- rep(1, length(x))
  if (is.null(correction) || !any(moved)) return(ratio)
  y <- log(x[moved])
  ratio[moved] <- exp(correction$bias + (correction$width - 1) * (y - stats::median(y)))
  ratio
}
