# Evidence from a busy machine: how much slower the other work made it, and the uncertainty of that.

# Spreads of log time that stand in where nothing measures them: how much a busy machine's times
# vary with what else runs, and how far CPU seconds are from telling an idle time (two threads of
# one core slow each other in CPU seconds too).
assumed_busy <- list(varies = 0.30, by_cpu = 0.15)

machine_states <- c("busy", "idle")

# Effect of other work on the rows of a job. `share`: of the runs that were marked busy; `machine`:
# is the job expected to find the machine as it was then, or idle; `log`: the addition to log times
# for that, `sd` the spread that comes with it, and `basis`. `own`: rows of the job's shots on its
# node, `here`: all of its engine there.
busy_evidence <- function(own, here, machine) {
  busy <- own[["busy"]] %in% TRUE
  none <- list(share = mean(busy), machine = machine, log = 0, sd = 0, basis = "measured")
  if (!any(busy)) return(none)
  told <- busy_effect(here)
  share <- mean(busy)
  if (machine == "idle") {
    return(list(share = share, machine = machine, log = -share * told$effect,
                sd = share * told$error, basis = told$basis))
  }
  # As busy as then, but not by the same programs at the same moments.
  list(share = share, machine = machine, log = 0, sd = share * told$varies, basis = told$basis)
}

# Slowdown of busy runs (log), its error, and its variation from run to run. In this order: frames
# measured busy and idle; CPU seconds against wall seconds, which differ if runs wait for a
# processor; none.
busy_effect <- function(here) {
  busy <- here[["busy"]] %in% TRUE
  setting <- row_key(here, setting_columns)
  logs <- log(here[["wall_s"]])
  means <- function(keep) tapply(logs[keep], setting[keep], mean)
  slow <- means(busy)
  plain <- means(here[["busy"]] %in% FALSE)
  both <- intersect(names(slow), names(plain))
  if (length(both) >= 3) {
    off <- as.numeric(slow[both] - plain[both])
    return(list(effect = mean(off), error = sqrt(stats::var(off) / length(off)),
                varies = busy_sd(off), basis = "measured"))
  }
  share <- here[["cpu_s"]] / here[["wall_s"]] /
    pmax(1, ifelse(is.na(here[["threads"]]), 1, here[["threads"]]))
  known <- busy & is.finite(share) & share > 0
  if (sum(known) >= 3) {
    idle <- share[here[["busy"]] %in% FALSE & is.finite(share) & share > 0]
    # Without an idle run the fullest use that was seen stands in for one.
    full <- if (length(idle)) stats::median(idle) else max(share[known])
    off <- pmax(log(full / share[known]), 0)
    return(list(effect = mean(off),
                error = sqrt(assumed_busy$by_cpu^2 + stats::var(off) / length(off)),
                varies = busy_sd(off), basis = "by CPU and wall time"))
  }
  list(effect = 0, error = assumed_busy$varies, varies = assumed_busy$varies, basis = "assumed")
}

# Spread of the effects, the assumed one counted as three runs more.
busy_sd <- function(off) {
  sqrt((sum((off - mean(off))^2) + 3 * assumed_busy$varies^2) / (length(off) + 2))
}

# In words, for the line of evidence; nothing where no run was busy.
busy_words <- function(busy) {
  if (is.null(busy) || busy$share == 0) return(NULL)
  paste0("; ", format_percent(busy$share), " of the runs beside other work: taken ",
         if (busy$machine == "idle") {
           paste0("for an idle machine, ", format_percent(1 - exp(busy$log)), " off")
         } else "as busy again",
         ", +-", format_percent(busy$sd), " (", busy$basis, ")")
}

busy_advice <- function(busy) {
  if (is.null(busy) || busy$share < 0.2) return(NULL)
  paste0(format_percent(busy$share),
         " of the runs that the frame times rest on were made beside other work: the forecast is ",
         "for ",
         if (busy$machine == "idle") "an idle machine all the same"
         else "a machine as busy as then; for an idle one write --machine idle",
         ", or measure again on an idle one")
}
