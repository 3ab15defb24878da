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
      c(claimed = paste0("Claimed is what the seller says, taken with a spread of ",
                         format_percent(assumed_sd$claimed), "."))
    },
    if (any(evidence == "assumed")) {
      c(assumed = paste0("Assumed speeds are taken with a spread of ",
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
        "Failed frames and lost nodes are in the forecast where a rate card says how often they ",
        "are: not at ", toString(names(troubled)[!troubled]), "."))
    }
  )
}

doubt_words <- function(scenario) {
  if (length(scenario$doubts)) paste0("Doubtful prices: ", paste(scenario$doubts, collapse = "; "))
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

# Sites left out, by what to do about them: one line each. With `reasons`, one line a reason.
left_out_words <- function(scenario, reasons = TRUE) {
  out <- as_frame(scenario$left_out)
  if (!NROW(out)) return(NULL)
  cure <- c(unknown_fit = "ask", unknown_link = "complete the card",
            no_rate = "add an exchange rate", unknown_speed = "measure", unmeasured = "measure",
            unfit = "cannot do it as it is")[out[["code"]]]
  cure <- factor(cure, c("ask", "measure", "complete the card", "add an exchange rate",
                         "cannot do it as it is"))
  groups <- Filter(length, split(out[["site"]], cure))
  if (!reasons) {
    sites <- vapply(groups, function(g) toString(unique(g)), "")
    return(paste0("Left out: ", paste0(names(groups), ": ", sites, collapse = "; "), "."))
  }
  by <- split(out[["site"]], factor(out[["reason"]], unique(out[["reason"]][order(cure)])))
  paste0("Left out, ", cure[match(names(by), out[["reason"]])], ": ", vapply(by, toString, ""),
         ": ", sub("^unknown: ", "", names(by)))
}
