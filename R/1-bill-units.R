# Units of sale: the one table that readers of cards, bills, simulation and compiled code go by.

work_activities <- c("load", "prepass", "simulate", "render", "merge", "encode")
usage_activities <- c(timing_words$activity, "idle", "storage")

# A way of selling. `value`: the column of a usage that it counts, which is also its code in
# src/core_bill.h; `per`: how many of the counted things (milliseconds, thousandths of a score,
# bytes, pixels) one unit has; `weight`: the column it is weighted by, in `parts` of its unit (a
# watt is a thousandth of a kilowatt); `once`: charged once a `job` or a `node`; `does`: activities
# that it counts when the card does not say, NULL for those that the meter counts.
sale_unit <- function(value, per = 1, weight = NULL, parts = 1, once = "", does = NULL) {
  list(value = value, per = per, weight = weight, parts = parts, once = once, does = does)
}

sale_units <- list(
  "node-hour" = sale_unit("ms", 3600e3),
  "device-hour" = sale_unit("ms", 3600e3, "devices"),
  "core-hour" = sale_unit("ms", 3600e3, "cores"),
  "work-hour" = sale_unit("ms", 3600e6, "score"),
  "kWh" = sale_unit("ms", 3600e6, "watts", parts = 1000),
  "frame" = sale_unit("frames", does = c("prepass", "render")),
  "megapixel-frame" = sale_unit("frame_pixels", 1e6, does = c("prepass", "render")),
  "GB" = sale_unit("bytes", 1e9, does = c("upload", "download")),
  "GB-day" = sale_unit("byte_days", 1e9, does = "storage"),
  "node" = sale_unit("one", once = "node", does = usage_activities),
  "job" = sale_unit("one", once = "job", does = usage_activities)
)

# Activities that a charge counts when the card does not say.
usual_activities <- function(per, meter) {
  does <- sale_units[[per]]$does
  if (!is.null(does)) return(does)
  if (meter == "rendering") work_activities else setdiff(usage_activities, "storage")
}
