# What sites tell of a job beside its frames: what they charged, that they ended it, that they cannot be asked.

# `told`: events, their times in seconds from the placing; `columns`: the frames of the job. Returns a list: `ready`
# (when each frame's picture could be fetched, by its place in the job; Inf), and `sites`, a data frame of `site`,
# `charged` (NA: it tells of no charges), `halted_s` and `halted_by`, `silent_s` (since when it cannot be asked) and
# `trouble`, `spoilt` (pictures that did not come whole and are not there), `versions` (of the engine).
site_states <- function(told, columns) {
  key <- row_key(columns, c("shot", "frame"))
  ready <- told[told[["what"]] %in% "ready", , drop = FALSE]
  at <- match(key, row_key(ready, c("shot", "frame")))
  here <- row_key(told[told[["what"]] %in% "arrived", , drop = FALSE], c("shot", "frame"))
  names <- unique(told[["place"]][told[["what"]] %in% c("sent", "unreached", "reached")])
  rows <- lapply(names, function(site) {
    mine <- told[told[["place"]] %in% site, , drop = FALSE]
    of <- function(...) mine[mine[["what"]] %in% c(...), , drop = FALSE]
    # A halt counts until something is sent there again; that all frames are done is none.
    halted <- of("halted")
    sent <- max(c(of("sent")[["time"]], -Inf))
    halted <- halted[halted[["time"]] >= sent & halted[["detail"]] != "all frames", , drop = FALSE]
    reach <- of("unreached", "reached")
    lost <- nrow(reach) && utils::tail(reach[["what"]], 1) == "unreached"
    spoilt <- setdiff(row_key(of("spoilt"), c("shot", "frame")), here)
    charges <- of("charged")
    data.frame(site = site, charged = if (nrow(charges)) sum(charges[["amount"]], na.rm = TRUE) else NA_real_,
               halted_s = c(halted[["time"]], NA_real_)[1], halted_by = c(halted[["detail"]], NA_character_)[1],
               silent_s = if (lost) utils::tail(reach[["time"]], 1) else NA_real_,
               trouble = if (lost) utils::tail(reach[["detail"]], 1) else NA_character_, spoilt = length(spoilt))
  })
  list(ready = ifelse(is.na(at), Inf, ready[["time"]][at]), sites = bind_tables(rows))
}

# What a part costs where its site tells what it charges: what was charged, and of the rest what the draws have, dearer
# or cheaper as what was charged is beside what they have for the work done by then; the first tenth of the work weighs
# that against the card. `weight`: of each frame of the part, mean seconds.
charged_cost <- function(cost, charged, weight, done, prior = 0.1) {
  work <- sum(weight[done]) / sum(weight)
  if (is.na(charged) || charged <= 0) return(cost)
  charged + (1 - work) * cost * charged_ratio(mean(cost), charged, work, prior)
}

charged_ratio <- function(mean, charged, work, prior = 0.1) (charged + prior * mean) / (mean * work + prior * mean)

# ---- alarms ----------------------------------------------------------------------------------------------------------

site_alarms <- function(x) {
  sites <- x$at_sites
  if (is.null(sites)) return(NULL)
  bind_tables(lapply(seq_len(nrow(sites)), function(k) {
    site <- as.list(as_frame(sites)[k, ])
    part <- which(x$parts[["site"]] == site$site)
    if (!length(part)) return(NULL)
    columns <- x$going$runs[[part[1]]]
    left <- sum(is.infinite(x$came[columns]))
    if (!left) return(NULL)
    rbind(halted_alarm(x, site, columns), reach_alarm(x, site), behind_alarm(x, site, columns),
          charge_alarm(x, site, part[1], columns), spoilt_alarm(site))
  }))
}

# Nothing more is rendered there.
halted_alarm <- function(x, site, columns) {
  lost <- sum(is.infinite(x$ready[columns]) & is.infinite(x$came[columns]))
  if (is.na(site$halted_s) || !lost) return(NULL)
  by <- c(cap = "its spend cap was reached", order = "it was stopped", "no nodes" = "it has no nodes left")
  why <- if (site$halted_by %in% names(by)) by[[site$halted_by]] else shown_text(site$halted_by)
  alarm("halted", "now", site$site, paste0(site$site, " ended its part at ", clock_at(x, site$halted_s), ": ", why, "; ",
                                           lost, " frames are not rendered"),
        paste0("Place what is left again with what it may cost now, or decide anew: clockpigeon choose --done. ",
               "What is ready there is paid: clockpigeon fetch."))
}

reach_alarm <- function(x, site) {
  if (is.na(site$silent_s)) return(NULL)
  alarm("unreached", "now", site$site, paste0(site$site, " cannot be asked since ", clock_at(x, site$silent_s), ": it ",
                                              site$trouble), "See whether it is up; what it did meanwhile comes then.")
}

# Pictures that are ready and not here: more than come in between two looks, and not getting fewer.
behind_alarm <- function(x, site, columns) {
  waiting <- is.finite(x$ready[columns]) & is.infinite(x$came[columns])
  old <- waiting & x$passed_s - x$ready[columns] > 300
  if (sum(old) < max(5, 0.05 * length(columns))) return(NULL)
  alarm("behind", "soon", site$site, paste0(sum(waiting), " frames are ready at ", site$site, " and not here, ", sum(old),
                                            " of them for over five minutes"),
        "Fetch them without the view: clockpigeon fetch; see the link and the disk here.")
}

# What is charged for the work done, beside what the forecast has for it.
charge_alarm <- function(x, site, part, columns) {
  if (is.na(site$charged)) return(NULL)
  weight <- colMeans(x$state$seconds[, columns, drop = FALSE])
  work <- sum(weight[is.finite(x$ready[columns]) | is.finite(x$came[columns])]) / sum(weight)
  mean <- mean(x$going$draws[[part]][["cost"]])
  ratio <- charged_ratio(mean, site$charged, work)
  if (work < 0.05 || ratio < 1.2) return(NULL)
  currency <- x$state$scenario$currency
  alarm("dearer", "soon", site$site, paste0(
    site$site, " charged ", format_money(site$charged, currency), " for ", percent(work), " of the work, ",
    number_text(ratio), " times what its card lets expect"), "See its bill: clockpigeon jobs, with the job's name.")
}

spoilt_alarm <- function(site) {
  if (!site$spoilt) return(NULL)
  alarm("spoilt", "soon", site$site, paste0(site$spoilt, if (site$spoilt == 1) " picture of " else " pictures of ",
                                            site$site, " did not come whole"),
        "They are fetched again; if they stay so, ask the site for the frames anew.")
}
