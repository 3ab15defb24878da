# Matching: which timings may be compared, and what else differs between them.

# For each factor that can be compared: the columns whose values name a level, the columns that follow from it and
# therefore cannot be held equal (a device sits in its node, a version belongs to its engine), and what a missing value
# means where it means something.
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
  node = list(level = "node", follows = c("device", "device_count", "threads", "capacity", "site", "tier")),
  site = list(level = "site", follows = c("tier", "node", "device", "device_count", "threads", "capacity"))
)

factor_label <- function(by) gsub("_", " ", by)

# The level of each timing as text; NA where it is not known.
level_labels <- function(x, by) {
  factor <- compare_factors[[by]]
  parts <- lapply(factor[["level"]], function(column) {
    value <- x[[column]]
    text <- if (is.numeric(value)) format(value, trim = TRUE, drop0trailing = TRUE, digits = 7) else value
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

# What two timings must agree in to be compared by a factor.
cell_columns <- function(by) setdiff(setting_columns, unlist(compare_factors[[by]][c("level", "follows")]))

# Timings made ready for comparing: `settings`, the distinct settings with evidence, one a row; and for each finished
# render past its warm-up, in order of measurement, the row of its `setting`, its `wall_s` and `samples_done`, and
# whether it is a `sample`.
as_runs <- function(x) UseMethod("as_runs")

#' @exportS3Method
as_runs.default <- function(x) {
  check_columns(x, argument("x"), names(timing_columns))
  x <- as_frame(x)
  x <- x[is_evidence(x), , drop = FALSE]
  x <- x[order(x[["measured_at"]], x[["run_order"]]), , drop = FALSE]
  code <- row_codes(x, setting_columns)
  settings <- x[!duplicated(code), setting_columns, drop = FALSE]
  row.names(settings) <- NULL
  list(settings = settings, setting = code, wall_s = x[["wall_s"]], samples_done = x[["samples_done"]],
       sample = is_sample(x))
}

# Pairs of runs of a context, those of the first level with those of each other level, that agree in `columns`: the k-th
# run of a cell at one level with the k-th at the other. A list of tables, one a pair of levels that has any.
match_cells <- function(context, x, runs, columns) {
  here <- x[["context"]] %in% context & !is.na(x[["level"]])
  levels <- order_levels(unique(x[["level"]][here]))
  if (length(levels) < 2) return(NULL)
  cells <- row_codes(x, columns)
  level_of <- match(x[["level"]], levels)
  at <- which(here[runs$setting])
  cell <- cells[runs$setting[at]]
  level <- level_of[runs$setting[at]]
  # The how-many-th run of its cell and level each is: runs stand in order of measurement.
  sorted <- order(cell, level, method = "radix")
  starts <- c(TRUE, diff(cell[sorted]) != 0 | diff(level[sorted]) != 0)
  turn <- integer(length(at))
  turn[sorted] <- seq_along(at) - which(starts)[cumsum(starts)] + 1L
  key <- cell + turn * (max(cells) + 1)
  old <- which(level == 1)
  lapply(Filter(length, lapply(seq_along(levels)[-1], function(k) {
    new <- which(level == k)
    partner <- new[match(key[old], key[new])]
    hit <- !is.na(partner)
    if (any(hit)) list(old = old[hit], new = partner[hit], k = k, alone = sum(!hit) + length(new) - sum(hit))
  })), function(m) {
    setting <- runs$setting[at[m$old]]
    data.frame(
      context = context, scene = x[["scene"]][setting], frame = x[["frame"]][setting], cell = cell[m$old],
      old = levels[1], new = levels[m$k], old_s = runs$wall_s[at[m$old]], new_s = runs$wall_s[at[m$new]],
      old_samples = runs$samples_done[at[m$old]], new_samples = runs$samples_done[at[m$new]],
      sample = runs$sample[at[m$old]] | runs$sample[at[m$new]], alone = m$alone
    )
  })
}

# The columns in which two sets of timings differ beside the factor, as texts: those that share no value, or with
# `any = TRUE` those in which their values are not the same.
differences <- function(x, by, old, new, any = FALSE) {
  a <- x[x[["level"]] == old, , drop = FALSE]
  b <- x[x[["level"]] == new, , drop = FALSE]
  apart <- Filter(function(column) {
    one <- unique(as.character(a[[column]]))
    other <- unique(as.character(b[[column]]))
    if (any) !setequal(one, other) else !length(intersect(one, other))
  }, cell_columns(by))
  vapply(apart, function(column) {
    paste0(column, " (", some_values(a[[column]]), " against ", some_values(b[[column]]), ")")
  }, "")
}

refuse_unlike <- function(x, by) {
  levels <- order_levels(unique(x[["level"]]))
  other <- either(differing(x, by))
  if (length(levels) < 2) {
    stop_input("compare", paste0("all timings that say it have one ", factor_label(by), ", ", levels),
               instead = paste0("Measure with another, or compare by ", other, "."))
  }
  shown <- differences(x, by, levels[1], levels[2])
  stop_input("compare", paste0(levels[1], " and ", levels[2], " have no two timings alike; they also differ in ",
                               if (length(shown)) toString(shown) else "which combinations were measured"),
             instead = paste0("Measure both under one setting, compare by ", other,
                              ", or compare across these differences all the same (--across)."))
}

some_values <- function(x) {
  x <- unique(x)
  paste0(toString(ifelse(is.na(x), "unknown", x)[seq_len(min(3, length(x)))]), if (length(x) > 3) ", ...")
}

# The factors that have at least two levels in these timings, other than `but`.
differing <- function(x, but = character()) {
  many <- vapply(names(compare_factors), function(by) length(setdiff(level_labels(x, by), NA)) > 1, NA)
  found <- setdiff(names(compare_factors)[many], but)
  if (length(found)) found else "a factor that was varied"
}
