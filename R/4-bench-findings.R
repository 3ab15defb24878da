# Findings about a run, in words.

#' Findings of a benchmark run
#'
#' Looks for what makes timings less sure than they seem: drift along the run, blocks that differ,
#' settings whose computing is too short compared with the spread of their loading, trials on a busy
#' machine, and settings whose mean is not known as well as a target asks.
#'
#' Drift is the least-squares slope of log time on the position in the run, each setting about its
#' own mean; it is reported if its chance without drift is under 1 % and it changes times by more
#' than 2 % from the first trial to the last. A setting is too short when its median compute time is
#' under ten times the standard deviation of its load time.
#'
#' @param x Timings of one run: those of one `plan_id`, as [run_bench()] returns them.
#' @param target Relative half-width of the 95 % interval that a setting's mean should have.
#' @param memory_mb Memory of the machine in MB (1e6 bytes), where it is known: a trial that held
#'   over 90 % of it while its processor was idle for half the time was waiting for the disk, and is
#'   reported as `memory`.
#' @return A tibble, one row a finding: `finding` (`drift`, `blocks`, `too short`, `busy`, `memory`,
#'   `unsure`), `about` (the run or the setting), `value`, `lower`, `upper` (factor of time, or
#'   share), and `says`, a sentence with what to do. No rows when all is well.
#' @section Conditions: `clockpigeon_error_columns` when `x` is no table of timings.
#' @noRd
bench_findings <- function(x, target = 0.03, memory_mb = NULL) {
  x <- filled_timings(x, argument("x"))
  target <- check_number(target, argument("target"), above = 0)
  x <- as_frame(x)
  x <- x[is_evidence(x), , drop = FALSE]
  none <- data.frame(finding = character(), about = character(), value = numeric(),
                     lower = numeric(), upper = numeric(), says = character())
  if (!nrow(x)) return(as_table(none))
  setting <- row_key(x, intersect(setting_columns, names(x)))
  groups <- split(x, factor(setting, unique(setting)))
  bind_tables(list(none, find_drift(x, setting), find_busy(x), find_full(x, memory_mb),
                   do.call(rbind, lapply(groups, find_short)), find_unsure(groups, target)))
}

new_finding <- function(finding, about, value, says, lower = NA_real_, upper = NA_real_) {
  data.frame(finding = finding, about = about, value = value, lower = lower, upper = upper,
             says = says, row.names = NULL)
}

# Finding of a benchmark whose times drift with their order.
find_drift <- function(x, setting) {
  seen <- !is.na(x[["run_order"]])
  if (!any(seen)) return(NULL)
  d <- drift_of(log(x[["wall_s"]][seen]), setting[seen], x[["run_order"]][seen],
                x[["repeat"]][seen])
  if (is.null(d)) return(NULL)
  change <- function(f) sprintf("%+.0f %%", 100 * (f - 1))
  if (isTRUE(d$p < 0.01) && abs(log(d$factor)) > log(1.02)) {
    return(new_finding("drift", "the run", d$factor, lower = d$lower, upper = d$upper,
                       says = paste0(
      "later trials are ", if (d$factor > 1) "slower" else "faster", ": ", change(d$factor),
      " from the first to the last (95 % interval ", change(d$lower), " to ", change(d$upper),
      "); comparisons hold, since blocks are shuffled; absolute times do not: let the machine ",
      "settle and run again"
    )))
  }
  if (isTRUE(d$p_blocks < 0.01)) {
    return(new_finding("blocks", "the run", d$p_blocks, says = paste0(
      "blocks differ by more than chance (F test, p = ", format(signif(d$p_blocks, 2)),
      "): the machine was not the same all along; add repeats"
    )))
  }
}

find_busy <- function(x) {
  busy <- x[["busy"]] %in% TRUE
  if (!any(busy)) return(NULL)
  new_finding("busy", "the run", mean(busy), says = paste0(
    sum(busy), " of ", nrow(x),
    " trials ran while others used the machine; stop these programs, or repeat the trials"
  ))
}

find_full <- function(x, memory_mb) {
  if (!length(memory_mb) || is.na(memory_mb)) return(NULL)
  threads <- ifelse(is.na(x[["threads"]]), 1, x[["threads"]])
  full <- x[["peak_mem_mb"]] > 0.9 * memory_mb & x[["cpu_s"]] < 0.5 * threads * x[["wall_s"]]
  full <- which(full)
  if (!length(full)) return(NULL)
  new_finding("memory", "the run", length(full) / nrow(x), says = paste0(
    length(full), " of ", nrow(x),
    " trials nearly filled the memory while the processor was idle (", setting_name(x[full[1], ]),
    "): they waited for the disk; measure with less, or on a machine with more memory"
  ))
}

# A setting in a few words.
setting_name <- function(x) {
  paste0(x[["shot"]][1], " frame ", x[["frame"]][1], ", ", x[["engine"]][1], " ",
         x[["engine_version"]][1], ", ", x[["limit_kind"]][1], " ", format(x[["limit_value"]][1]))
}

# Finding of a setting that computes for less than ten times the spread of loading.
find_short <- function(x) {
  short <- load_noise_share(x[["load_s"]], x[["compute_s"]])
  if (is.na(short) || short <= 1) return(NULL)
  larger <- ceiling(sqrt(short) * c(x[["width"]][1], x[["height"]][1]))
  cure <- c(if (!anyNA(larger)) paste0("a frame of ", larger[1], "x", larger[2]),
            if (x[["limit_kind"]][1] %in% "samples")
            paste(ceiling(short * x[["limit_value"]][1]), "samples"),
            paste(ceiling(nrow(x) * short^2), "repeats"))
  new_finding("too short", setting_name(x), short, says = paste0(
    setting_name(x), ": computing takes ",
    format_duration(stats::median(x[["compute_s"]], na.rm = TRUE)),
    ", under ten times the spread of loading, ",
    format_duration(stats::sd(x[["load_s"]], na.rm = TRUE)), "; take ",
    either(cure)
  ))
}

find_unsure <- function(groups, target) {
  wide <- vapply(groups, function(g) relative_half_width(log(g[["wall_s"]]), looked_level()), 0)
  unsure <- wide > target
  if (!any(unsure)) return(NULL)
  worst <- which.max(wide)
  new_finding("unsure", "the run", max(wide), says = paste0(
    sum(unsure), " of ", length(groups), " settings have a mean known less well than to ",
    format(100 * target), " %; worst: ", setting_name(groups[[worst]]),
    if (max(wide) < 1) sprintf(", to %.0f %%", 100 * max(wide))
    else paste0(", which ran ", nrow(groups[[worst]]),
                if (nrow(groups[[worst]]) == 1) " time" else " times")
  ))
}
