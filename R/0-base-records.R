# Records: the columns of a timing, and the words that stand in them.

timing_columns <- c(
  id = "text", measured_at = "text", activity = "text",
  shot = "text", scene = "text", frame = "integer", piece = "text",
  engine = "text", engine_version = "text", limit_kind = "text", limit_value = "number",
  width = "integer", height = "integer", features = "text",
  node = "text", device = "text", device_count = "integer", threads = "integer",
  capacity = "number", site = "text", tier = "text",
  wall_s = "number", load_s = "number", compute_s = "number", cpu_s = "number",
  peak_mem_mb = "number", samples_done = "number", work = "number", noise = "number",
  billed = "number", cost_basis = "text", currency = "text",
  status = "text", kind = "text", precision = "text", warm = "flag",
  run_order = "integer", "repeat" = "integer", load_average = "number", busy = "flag",
  machine = "text", conditions = "text",
  plan_id = "text", job = "text", output = "text", note = "text"
)

timing_words <- list(
  activity = c("render", "load", "prepass", "simulate", "playback", "merge", "encode", "pack",
               "upload", "wait", "start", "download"),
  status = c("ok", "failed", "timed_out", "unsupported", "incomplete", "unusable"),
  kind = c("measured", "reported", "typed", "estimated"),
  precision = c("exact", "about"),
  cost_basis = c("billed", "metered", "priced")
)

# Columns of a timing's setting: two timings are like for like if all of these agree.
setting_columns <- c("activity", "shot", "scene", "frame", "piece", "engine", "engine_version",
                     "limit_kind", "limit_value", "width", "height", "features",
                     "node", "device", "device_count", "threads", "capacity", "site", "tier")

# Ways to divide work, and what ends a frame.
spread_kinds <- c("frames", "ranges", "bands", "shares", "layers")
limit_kinds <- c("samples", "noise", "time")

# Sample rows are invented: they say so in their note, and every table and figure that shows them
# says so too.
sample_mark <- "sample data, invented"
is_sample <- function(x) !is.na(x[["note"]]) & startsWith(x[["note"]], sample_mark)

# Evidence rows: finished renders, past their warm-up (repeat 0, or the first frame of a process
# that made several).
is_evidence <- function(x, activity = "render") {
  past_warm_up <- (is.na(x[["repeat"]]) | x[["repeat"]] > 0) & !x[["warm"]] %in% FALSE
  x[["status"]] == "ok" & x[["activity"]] == activity & !is.na(x[["wall_s"]]) & past_warm_up
}

# Timings as any function takes them: a data frame with some of the columns of a timing. The other
# columns are filled in: a row with a time counts as a finished render that was reported, and
# everything else is unknown.
filled_timings <- function(x, where) {
  if (!is.data.frame(x))
    stop_input("type", paste("got", a_kind(x)), where, "Give a data frame of timings.")
  if (!length(intersect(names(x), names(timing_columns)))) {
    stop_input("columns", "has no column of a timing", where,
               "It needs some of them, such as scene, frame, engine and wall_s; see ?timings.")
  }
  absent <- list(text = NA_character_, integer = NA_integer_, number = NA_real_, flag = NA)
  for (name in setdiff(names(timing_columns), names(x)))
    x[[name]] <- rep(absent[[timing_columns[[name]]]], nrow(x))
  for (name in names(filled_words)) x[[name]][is.na(x[[name]])] <- filled_words[[name]]
  x
}
filled_words <- c(activity = "render", status = "ok", kind = "reported")
