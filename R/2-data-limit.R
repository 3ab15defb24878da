# Limits: what ends a frame. Several may stand together; the first reached ends it.

limit_fields <- function() list(
  samples = field(a_count()),
  noise = field(a_number(above = 0)),
  time = field(a_duration())
)

check_limit <- function(x, where) {
  limit <- check_fields(x, limit_fields(), where)
  if (all(lengths(limit) == 0))
    stop_input("limit", "names no limit", where, "Write samples, noise or time.")
  limit
}

# A limit as the columns of a timing: the kinds joined, the first one's value, and the others'
# values in `features`, together with the features that the trial sets.
limit_columns <- function(limit, features = NULL) {
  set <- Filter(length, limit)
  if (length(features)) features <- features[order(names(features))]
  features <- c(set[-1], features)
  list(
    limit_kind = paste(names(set), collapse = "+"), limit_value = as.numeric(set[[1]]),
    features = if (length(features)) to_json(features) else NA_character_
  )
}

# Rows that speak of a shot as it will be rendered: its scene and frames at its own size, limit and
# features; with `scene_only`, its scene and frames at any.
is_of_shot <- function(rows, shot, scene_only = FALSE) {
  here <- rows[["scene"]] %in% shot$scene & rows[["frame"]] %in% shot$frames
  if (scene_only) return(here)
  limit <- limit_columns(shot$limit)
  here & rows[["features"]] %in% limit$features & rows[["width"]] %in% shot$size[["width"]] &
    rows[["height"]] %in% shot$size[["height"]] & rows[["limit_kind"]] %in% limit$limit_kind &
    rows[["limit_value"]] %in% limit$limit_value
}

to_json <- function(x)
  as.character(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, na = "null"))

format_limit <- function(limit) {
  set <- Filter(length, limit)
  value <- function(name) if (name == "time") format_duration(set[[name]]) else format(set[[name]])
  paste(names(set), vapply(names(set), value, ""), collapse = ", ")
}

# Types of its fields.
a_limit <- function() field_type(check_limit, function() record_schema(limit_fields()))
