# Matching: which timings may be compared, and what else differs between them.

# For each factor that can be compared: the columns whose values name a level, the columns that
# follow from it and therefore cannot be held equal (a device sits in its node, a version belongs to
# its engine), and what a missing value means where it means something.
compare_factors <- list(
  engine_version = list(level = "engine_version", follows = character()),
  engine = list(level = c("engine", "engine_version"), follows = character()),
  limit = list(level = c("limit_kind", "limit_value"), follows = character()),
  size = list(level = c("width", "height"), follows = "shot"),
  features = list(level = "features", follows = character(), missing = "none"),
  threads = list(level = "threads", follows = "capacity"),
  capacity = list(level = "capacity", follows = "threads"),
  device = list(level = "device", follows = c("node", "capacity", "site", "tier")),
  device_count = list(level = "device_count", follows = c("node", "capacity", "site", "tier")),
  node = list(level = "node",
              follows = c("device", "device_count", "threads", "capacity", "site", "tier")),
  site = list(level = "site",
              follows = c("tier", "node", "device", "device_count", "threads", "capacity"))
)

factor_label <- function(by) gsub("_", " ", by)

# The level of each timing as text; NA where it is not known.
level_labels <- function(x, by) {
  factor <- compare_factors[[by]]
  parts <- lapply(factor[["level"]], function(column) {
    value <- x[[column]]
    text <- if (is.numeric(value)) format(value, trim = TRUE, drop0trailing = TRUE, digits = 7) else
      value
    ifelse(is.na(value), "unknown", text)
  })
  labels <- do.call(paste, c(parts, sep = if (by == "size") "x" else " "))
  unsaid <- is.na(x[[factor[["level"]][1]]])
  labels[unsaid] <- if (length(factor[["missing"]])) factor[["missing"]] else NA_character_
  labels
}

# Levels in the order old to new: versions by number, numbers by size, the rest by name.
order_levels <- function(levels) {
  numbers <- lapply(regmatches(levels, gregexpr("[0-9]+", levels)), as.numeric)
  width <- max(lengths(numbers), 1)
  stem <- gsub("[0-9.]+", "", levels)
  digits <- t(vapply(numbers, function(v) c(v, rep(-1, width - length(v))), numeric(width)))
  if (width == 1) digits <- t(digits)
  levels[do.call(order, c(list(stem), lapply(seq_len(width), function(k) digits[, k])))]
}

# Columns in which two timings must agree to be compared by a factor.
cell_columns <- function(by)
  setdiff(setting_columns, unlist(compare_factors[[by]][c("level", "follows")]))

# Timings made ready for comparing: `settings`, the distinct settings with evidence, one a row; and
# for each finished render past its warm-up, in order of measurement, the row of its `setting`, its
# `wall_s` and `samples_done`, and whether it is a `sample`.
as_runs <- function(x, activity = "render", time = "wall") UseMethod("as_runs")

#' @exportS3Method
as_runs.default <- function(x, activity = "render", time = "wall") {
  x <- filled_timings(x, argument("x"))
  x <- as_frame(x)
  seconds <- x[[paste0(time, "_s")]]
  x <- x[is_evidence(x, activity) & !is.na(seconds) & seconds > 0, , drop = FALSE]
  x[["wall_s"]] <- x[[paste0(time, "_s")]]
  x <- x[order(x[["measured_at"]], x[["run_order"]]), , drop = FALSE]
  code <- row_codes(x, setting_columns)
  settings <- x[!duplicated(code), setting_columns, drop = FALSE]
  row.names(settings) <- NULL
  list(settings = settings, setting = code, wall_s = x[["wall_s"]],
       samples_done = x[["samples_done"]], work = x[["work"]], sample = is_sample(x),
       session = session_codes(session_of(x[["plan_id"]], x[["measured_at"]])),
       turn = turn_codes(x[["repeat"]]))
}

# Whole numbers from 1 on, sessions as they first occur; repeats as they are, 0 where not known.
session_codes <- function(session) match(session, unique(session))
turn_codes <- function(turn) as.integer(ifelse(is.na(turn), 0L, turn))

# Pairs of runs of a context, those of the first level with those of each other level, that agree in
# `columns`. A pair is of one session and one repeat of it, so that what drifts hits both alike and
# a failed run costs its own pair only; where no repeats agree, the k-th of a cell and session is
# paired with the k-th. Levels that no session has both are paired across sessions (`within` is
# `FALSE`). A list, one entry a pair of levels that has any: its `rows`, the levels without a
# partner (`lost`), and `sessions`, what its two levels tell of the spread between sessions.
match_cells <- function(context, x, runs, columns) {
  here <- x[["context"]] %in% context & !is.na(x[["level"]])
  levels <- order_levels(unique(x[["level"]][here]))
  if (length(levels) < 2) return(NULL)
  at <- which(here[runs$setting])
  run <- data.frame(at = at, cell = row_codes(x, columns)[runs$setting[at]],
                    level = match(x[["level"]], levels)[runs$setting[at]],
                    session = runs$session[at],
                    turn = runs$turn[at], y = log(runs$wall_s[at]))
  # The first level that has a partner is the old one. Each pair names the levels that have no
  # partner in it.
  for (first in seq_along(levels)[-length(levels)]) {
    later <- seq_along(levels)[-seq_len(first)]
    out <- Filter(length, lapply(later, match_levels, first, levels, run, runs, x, context))
    if (length(out)) break
  }
  paired <- c(levels[first], vapply(out, function(p) p$rows[["new"]][1], ""))
  lapply(out, function(p) c(p, list(lost = setdiff(levels, paired))))
}

# The pairs of two levels of a context; NULL when it has none.
match_levels <- function(k, first, levels, run, runs, x, context) {
  old <- run[run$level == first, , drop = FALSE]
  new <- run[run$level == k, , drop = FALSE]
  m <- pair_runs(old, new)
  if (is.null(m)) return(NULL)
  setting <- runs$setting[m$old]
  pairs <- data.frame(
    context = context, scene = x[["scene"]][setting], frame = x[["frame"]][setting], cell = m$cell,
    old = levels[first], new = levels[k], old_s = runs$wall_s[m$old], new_s = runs$wall_s[m$new],
    old_samples = runs$samples_done[m$old], new_samples = runs$samples_done[m$new],
    old_work = runs$work[m$old], new_work = runs$work[m$new],
    sample = runs$sample[m$old] | runs$sample[m$new],
    alone = nrow(old) + nrow(new) - 2L * length(m$old),
    within = m$within
  )
  list(rows = pairs, sessions = if (!m$within) levels_sd(list(old, new)))
}

# Which runs go together: `old` and `new` (places among all runs), their `cell`, and whether they
# are `within` sessions.
pair_runs <- function(old, new) {
  ways <- list(c("cell", "session", "turn"), c("cell", "session"), c("cell", "turn"), "cell")
  for (i in seq_along(ways)) {
    key <- row_codes(rbind(old, new), ways[[i]])
    a <- key[seq_len(nrow(old))]
    b <- key[nrow(old) + seq_len(nrow(new))]
    if (!any(a %in% b)) next
    # The how-many-th of its key each is: runs stand in order of measurement.
    partner <- match(a + turn_within(a) * (max(key) + 1), b + turn_within(b) * (max(key) + 1))
    hit <- !is.na(partner)
    return(list(old = old$at[hit], new = new$at[partner[hit]], cell = old$cell[hit],
                within = i <= 2))
  }
  NULL
}

turn_within <- function(key) {
  sorted <- order(key, method = "radix")
  starts <- c(TRUE, diff(key[sorted]) != 0)
  turn <- integer(length(key))
  if (length(key)) turn[sorted] <- seq_along(key) - which(starts)[cumsum(starts)] + 1L
  turn
}

# Spread from session to session, from the runs of two levels: `sd`, `df`, the number of sessions of
# each level (`of_level`), and whether the spread is `measured`. The assumed spread counts as three
# degrees of freedom.
levels_sd <- function(levels) {
  squares <- lapply(levels, function(run) {
    code <- row_codes(run, c("cell", "session"))
    means <- rowsum(run$y, code, reorder = TRUE)[, 1] / tabulate(code)
    first <- !duplicated(code)
    df <- nrow(run) - length(means)
    run_sd <- if (df > 0) sqrt(sum((run$y - means[code])^2) / df) else 0
    # The newest tell the machine as it is.
    session <- run$session[first]
    newest <- session %in% utils::tail(sort(unique(session)), 40)
    at <- lapply(list(run$cell[first], session), function(x) factor(x[newest]))
    table <- matrix(NA_real_, nlevels(at[[1]]), nlevels(at[[2]]),
                    dimnames = list(NULL, levels(at[[2]])))
    table[cbind(as.integer(at[[1]]), as.integer(at[[2]]))] <- means[newest]
    mean(pair_squares(session_pairs(table, 1), run_sd))
  })
  of_level <- vapply(levels, function(run) length(unique(run$session)), 0L)
  known <- of_level > 1 & !vapply(squares, is.na, NA)
  df <- c(of_level[known] - 1, 3)
  list(sd = sqrt(max(0, sum(df * c(unlist(squares[known]), assumed_drift^2)) / sum(df))),
       df = sum(df),
       of_level = of_level,
       measured = any(known))
}

# Columns other than the factor in which two sets of timings differ, as texts: those that share no
# value, or with `any = TRUE` those with different values.
factor_pairs <- function(x, by, old, new, any = FALSE) {
  a <- x[x[["level"]] == old, , drop = FALSE]
  b <- x[x[["level"]] == new, , drop = FALSE]
  apart <- Filter(function(column) {
    one <- unique(as.character(a[[column]]))
    other <- unique(as.character(b[[column]]))
    if (any) !setequal(one, other) else !length(intersect(one, other))
  }, cell_columns(by))
  vapply(apart, function(column) {
    paste0(column, " (", values_text(a[[column]]), " against ", values_text(b[[column]]), ")")
  }, "")
}

# Refuse a comparison in which no two timings differ in the factor alone.
refuse_unlike <- function(x, by) {
  levels <- order_levels(unique(x[["level"]]))
  other <- either(differing_factors(x, by))
  if (length(levels) < 2) {
    stop_input("compare", paste0("all timings that say it have one ", factor_label(by), ", ",
                                 levels),
               instead = paste0("Measure with another, or compare by ", other, "."))
  }
  shown <- factor_pairs(x, by, levels[1], levels[2])
  stop_input("compare", paste0(levels[1], " and ", levels[2],
                               " have no two timings alike; they also differ in ",
                               if (length(shown)) toString(shown) else
                               "which combinations were measured"),
             instead = paste0("Measure both under one setting, compare by ", other,
                              ", or compare across these differences all the same (--across)."))
}

values_text <- function(x) {
  x <- unique(x)
  paste0(toString(ifelse(is.na(x), "unknown", x)[seq_len(min(3, length(x)))]),
         if (length(x) > 3) ", ...")
}

# The factors that have at least two levels in these timings, other than `but`.
differing_factors <- function(x, but = character()) {
  many <- vapply(names(compare_factors), function(by) length(setdiff(level_labels(x, by), NA)) > 1,
                 NA)
  found <- setdiff(names(compare_factors)[many], but)
  if (length(found)) found else "a factor that was varied"
}

# One whole number a row from several columns, counted as they first occur; two rows agree in all
# columns exactly when their numbers are equal. For a million rows of few settings this takes a
# thirtieth of the time of row_key().
row_codes <- function(x, columns) {
  columns <- lapply(columns, function(column) {
    value <- x[[column]]
    if (is.character(value)) enc2utf8(value) else value
  })
  row_numbers(columns, nrow(x))
}
