# Forecasts corrected by what became of past ones.

# What a correction of one figure of a site's and tier's jobs does: `known`, whether the site's speed was measured or
# only said (what is measured since has taken in what the jobs before it showed), `what` (`finish_s` or `cost`), `bias`
# (of logs) and `width` (of ranges), with `jobs`, `inside` and `changed` as learned_of() has them.
correction_columns <- c("site", "tier", "known", "what", "bias", "width", "jobs", "inside", "changed")

# The stages of a draw, whose sum is its finish.
stage_columns <- c("held_s", "prepare_s", "upload_s", "wait_s", "start_s", "prepass_s", "render_s", "closed_s",
                   "download_s", "encode_s")

# Corrections of the options of a scenario. `learned`: from learned(), or a data frame of them, as a decision keeps it;
# NULL for none.
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
      found <- learned_of(learning, learned_site(pairs[["site"]][k], pairs[["known"]][k]), pairs[["tier"]][k])
      data.frame(pairs[k, ], what = what, found, row.names = NULL)
    }))
  })
  rows <- bind_tables(rows)
  if (!is.null(rows)) as_frame(rows)[correction_columns]
}

# Draws of an option as simulated() has them, with how much longer each of them takes as `ratio`. A range is widened
# about its median, and the median moved: log x becomes m + bias + width (log x - m).
corrected_draws <- function(draws, corrections, option, currency) {
  longer <- corrected(draws[["finish_s"]], correction_of(corrections, option, "finish_s"))
  dearer <- corrected(draws[["cost"]], correction_of(corrections, option, "cost"))
  draws[c("finish_s", stage_columns)] <- lapply(draws[c("finish_s", stage_columns)], `*`, longer)
  for (name in c("cost", "lost_money")) {
    draws[[name]] <- from_minor(to_minor(draws[[name]] * dearer, currency), currency)
  }
  list(draws = draws, ratio = longer)
}

# The correction of an option (with `site`, `tier`, `evidence`); NULL for none.
correction_of <- function(corrections, option, what) {
  row <- corrections[corrections[["site"]] == option$site & corrections[["tier"]] %in% option$tier &
                       corrections[["known"]] == speed_known(option$evidence) & corrections[["what"]] == what, ]
  if (NROW(row)) as.list(row[1, ])
}

# Whether a speed was measured, or only said.
speed_known <- function(evidence) ifelse(evidence %in% c("claimed", "assumed"), "said", "measured")

# What jobs of one kind of evidence are learned under: a site's name, or another one while its speed was only said.
learned_site <- function(site, known) paste0(site, ifelse(known == "said", " (as said)", ""))

# By how much each of some draws is multiplied. What is nothing, or never, stays so.
corrected <- function(x, correction) {
  moved <- is.finite(x) & x > 0
  ratio <- rep(1, length(x))
  if (is.null(correction) || !any(moved)) return(ratio)
  y <- log(x[moved])
  ratio[moved] <- exp(correction$bias + (correction$width - 1) * (y - stats::median(y)))
  ratio
}

# Quantiles (logs) as they were before a correction, and the other way round.
uncorrected <- function(log_q, log_mid, correction) {
  if (is.null(correction)) return(log_q)
  log_mid - correction$bias + (log_q - log_mid) / correction$width
}
