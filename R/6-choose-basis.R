# Basis and gaps of a forecast, in words: for forecasts, choices and reports alike.

# Gaps of a forecast, by code; terminal and report show these sentences.
unknown_words <- function(forecast) {
  scenario <- forecast$scenario
  job <- main_job(scenario)
  evidence <- scenario$options[["evidence"]]
  troubled <- vapply(option_sites(scenario), function(s) {
    any(unlist(s$troubles[c("fails", "vanish", "freeze")]) > 0)
  }, NA)
  c(
    if (any(evidence %in% c("claimed", "assumed"))) {
      c(claimed = paste0("A claimed speed is the seller's; its spread is taken as ",
                         format_percent(assumed_sd$claimed), "."))
    },
    if (any(evidence == "assumed")) {
      c(assumed = paste0("The spread of assumed speeds is taken as ",
                         format_percent(assumed_sd$assumed),
                         "."))
    },
    if (job$run_basis == "assumed") {
      c(run = paste0("No frame was measured twice: the spread from run to run is assumed to be ",
                     format_percent(job$run_sd),
                     "."))
    },
    if (any(is_sample(as_frame(job$evidence)))) {
      c(sample = paste("The frame times are sample data, invented to show the tool.",
                       "They say nothing about any real engine or device."))
    },
    stages = assumed_stage_words(scenario), prices = doubt_words(scenario),
    learned = learned_words(scenario), if (!all(troubled)) {
      c(troubles = paste0(
        "The forecast includes failed frames and lost nodes only where the rate card has their ",
        "rates: not at ", toString(names(troubled)[!troubled]), "."))
    }
  )
}

doubt_words <- function(scenario) {
  if (length(scenario$doubts))
    paste0("Prices to confirm: ", paste(scenario$doubts, collapse = "; "))
}

# Changes that past jobs made to the forecast, site by site: of all sites, or of some.
learned_words <- function(scenario, sites = unique(scenario$corrections[["site"]])) {
  x <- scenario$corrections
  x <- x[x[["jobs"]] > 0 & x[["site"]] %in% sites, , drop = FALSE]
  if (!NROW(x)) return(NULL)
  # For a site with a claimed speed of one engine and a measured one of another, the correction with
  # more jobs.
  x <- x[order(-x[["jobs"]]), , drop = FALSE]
  said <- unlist(lapply(unique(x[["site"]]), function(site) {
    mine <- x[x[["site"]] == site, , drop = FALSE]
    mine <- mine[!duplicated(mine[c("what", "hours")]), , drop = FALSE]
    queue <- mine[["what"]] == "wait_s"
    parts <- vapply(which(!queue), function(k) correction_sentence(as.list(mine[k, ])), "")
    parts <- c(parts, queue_sentence(mine[queue, , drop = FALSE]))
    if (any(nzchar(parts))) paste0(site, ": ", paste(parts[nzchar(parts)], collapse = "; "))
  }))
  if (length(said))
    paste0("Learned from past jobs (--as-is leaves it out): ", paste(said, collapse = ". "), ".")
}

# One correction in words; nothing where it does next to nothing.
correction_sentence <- function(x) {
  jobs <- paste(x$jobs, if (x$jobs == 1) "job" else "jobs")
  if (x$what == "failed") return(paste0(format_percent(exp(x$bias)), " of runs fail (", jobs, ")"))
  said <- factor_sentence(x)
  if (!nzchar(said)) return("")
  paste0(corrected_names[[x$what]], said, " (", x$jobs - x$inside, " of ", jobs, " ended outside",
         if (!is.na(x$changed)) paste0(", changed ", x$changed, " jobs ago"), ")")
}

corrected_names <- c(finish_s = "time", cost = "cost", wait_s = "waiting", start_s = "starting",
                     upload_s = "sending")

# By how much a correction moves and widens; nothing where it does next to nothing.
factor_sentence <- function(x) {
  moved <- abs(x$bias) > 0.02
  wider <- abs(log(x$width)) > 0.04
  if (!moved && !wider) return("")
  paste0(if (moved) paste0(" times ", format(signif(exp(x$bias), 3))),
         if (wider) paste0(if (moved) ", " else " ", "ranges ",
                           if (x$width > 1) "widened" else "narrowed", " by ",
                           format(signif(if (x$width > 1) x$width else 1 / x$width, 2))))
}

# Corrections of a queue, the hours that have the same together.
queue_sentence <- function(rows) {
  said <- vapply(seq_len(nrow(rows)), function(k) factor_sentence(as.list(rows[k, ])), "")
  each <- unique(said[nzchar(said)])
  if (!length(each)) return(NULL)
  hours <- vapply(each, function(one) {
    mine <- rows[["hours"]][said == one]
    if (length(mine) < nrow(rows))
      paste0(" from ", paste(mine, collapse = " and from "), " h UTC") else ""
  }, "")
  jobs <- rows[["jobs"]][1]
  paste0("waiting", paste0(each, hours, collapse = ","), " (", jobs,
         if (jobs == 1) " job)" else " jobs)")
}

# Unmeasured stages, and the values assumed for them.
assumed_stage_words <- function(scenario) {
  options <- as_frame(scenario$options)
  found <- unlist(lapply(unique(options[["site"]]), function(name) {
    stages <- untimed_stages(option_of(scenario, match(name, options[["site"]])), scenario$now)
    if (length(stages)) paste0(names(stages), " at ", name, " ", vapply(stages, stage_range, ""))
  }))
  if (length(found)) paste0("Assumed, not measured: ", paste(found, collapse = "; "))
}

# Obstacle of a site that was left out, by the code of its reason.
left_out_cures <- c(unfit = "cannot run this job", unmeasured = "to measure",
                    unknown_speed = "to measure", unknown_fit = "to ask",
                    unknown_link = "with an incomplete card", no_rate = "without exchange rate")

# Sites left out: one line with their counts. With `reasons`, one line a reason, with their names.
left_out_words <- function(scenario, reasons = TRUE) {
  out <- as_frame(scenario$left_out)
  if (!NROW(out)) return(NULL)
  cure <- factor(left_out_cures[out[["code"]]], unique(left_out_cures))
  if (!reasons) {
    counts <- vapply(split(out[["site"]], cure), function(g) length(unique(g)), 0L)
    counts <- counts[counts > 0]
    all <- length(unique(out[["site"]]))
    said <- if (length(counts) == 1) names(counts) else
      paste0("left out: ", paste(counts, names(counts), collapse = ", "))
    return(paste0(all, if (all == 1) " site " else " sites ", said, " (--all)."))
  }
  by <- split(out[["site"]], factor(out[["reason"]], unique(out[["reason"]][order(cure)])))
  heads <- c("Cannot run this job", "Measure", "Ask", "Complete the card", "Add an exchange rate")
  head <- heads[as.integer(cure)[match(names(by), out[["reason"]])]]
  paste0(head, ": ", vapply(by, toString, ""), ": ", sub("^unknown: ", "", names(by)))
}
