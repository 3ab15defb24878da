# Usages: what a job used at a site, as a file that can be priced.

usage_row_fields <- function() list(
  node = field(check_text, default = "-"),
  activity = field(choice_of(usage_activities), default = "render"),
  status = field(choice_of(timing_words$status), default = "ok"),
  time = field(duration_field, default = 0),
  frames = field(function(x, where) check_count(x, where, least = 0), default = 0L),
  frame_size = field(parse_resolution),
  devices = field(whole), cores = field(whole), score = field(number_above(0)), power = field(parse_power),
  data = field(parse_size, default = 0),
  days = field(function(x, where) check_count(x, where, least = 0), default = 0L),
  began = field(check_text),
  own = field(check_flag, default = FALSE)
)

usage_fields <- function() list(
  usage = field(check_text, required = TRUE),
  about = field(check_text),
  site = field(check_text, required = TRUE),
  tier = field(check_text), hire = field(check_text), engine = field(check_text),
  on = field(date_field),
  this_month = field(record_of(list(quantity = field(function(x, where) check_number(x, where, least = 0), default = 0),
                                    amount = field(card_money)))),
  rows = field(records_of(usage_row_fields()), required = TRUE)
)

#' Read a usage
#'
#' A usage is what a job used at a site. Fields of the file: `usage` (its name), `about`, `site`, `tier`, `hire`,
#' `engine`, `on` (date of the bill), `this_month` (`quantity` and `amount` that the month saw before), and `rows`, a
#' list of `node`, `activity` (`render` when absent), `status` of its frames (`ok`), `time` (`1h20m`), `frames`,
#' `frame_size` (`1920x1080`), `devices`, `cores`, `score` and `power` of the node where they differ from the card's,
#' `data` moved or stored (`12 GB`), `days` of storage, `began` (local time, `2026-11-03 22:00`) and `own` (a member's
#' own machine).
#'
#' @param path A YAML file.
#' @return A list of class `cp_usage`: the fields of the file, and `rows`, a data frame with the columns of [bill()].
#' @section Conditions: as for [read_shot()].
#' @noRd
read_usage <- function(path) {
  usage <- read_record(path, usage_fields(), "cp_usage")
  usage$month_currency <- usage$this_month$amount$currency
  if (length(usage$this_month$amount)) usage$this_month$amount <- usage$this_month$amount$amount
  column <- function(name, missing) vapply(usage$rows, function(row) first_of(row[[name]], missing), missing)
  rows <- data.frame(
    node = column("node", ""), activity = column("activity", ""), status = column("status", ""),
    seconds = column("time", 0), frames = column("frames", 0L),
    megapixels = vapply(usage$rows, function(row) if (length(row$frame_size)) prod(row$frame_size) / 1e6 else 0, 0),
    gb = column("data", 0) / 1e9, days = column("days", 0L), began = column("began", NA_character_),
      own = column("own", FALSE)
  )
  weights <- c(devices = "devices", cores = "cores", score = "score", watts = "power")
  for (name in names(weights)) {
    value <- vapply(usage$rows, function(row) as.numeric(first_of(row[[weights[[name]]]], NA)), 0)
    if (!all(is.na(value))) rows[[name]] <- value
  }
  usage$rows <- rows
  usage
}
