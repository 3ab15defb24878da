# Usages: what a job used at a site, as a file that can be priced.

usage_row_fields <- function() list(
  node = field(a_text(), default = "-"),
  activity = field(one_of(usage_activities), default = "render"),
  status = field(one_of(timing_words$status), default = "ok"),
  time = field(a_duration(), default = 0),
  frames = field(a_count(least = 0), default = 0L),
  frame_size = field(a_resolution()),
  devices = field(a_count()), cores = field(a_count()), score = field(a_number(above = 0)),
  power = field(a_power()), data = field(a_size(), default = 0),
  days = field(a_count(least = 0), default = 0L),
  began = field(a_text()),
  own = field(a_flag(), default = FALSE)
)

usage_fields <- function() list(
  usage = field(a_name(), required = TRUE),
  about = field(a_text()),
  site = field(a_text(), required = TRUE),
  tier = field(a_text()), hire = field(a_text()), engine = field(a_text()),
  on = field(a_date()),
  this_month = field(record_of(list(quantity = field(a_number(least = 0), default = 0),
                                    amount = field(a_card_price())))),
  rows = field(records_of(usage_row_fields()), required = TRUE)
)

#' Read a usage
#'
#' A usage is what a job used at a site. Fields of the file: `usage` (its name), `about`, `site`,
#' `tier`, `hire`, `engine`, `on` (date of the bill), `this_month` (`quantity` and `amount` that the
#' month saw before), and `rows`, a list of `node`, `activity` (`render` when absent), `status` of
#' its frames (`ok`), `time` (`1h20m`), `frames`, `frame_size` (`1920x1080`), `devices`, `cores`,
#' `score` and `power` of the node where they differ from the card's, `data` moved or stored
#' (`12 GB`), `days` of storage, `began` (local time, `2026-11-03 22:00`) and `own` (a member's own
#' machine).
#'
#' @param path A YAML file.
#' @return A list of class `cp_usage`: the fields of the file, and `rows`, a data frame with the
#'   columns of [bill()].
#' @section Conditions: as for [read_shot()].
#' @noRd
read_usage <- function(path) {
  usage <- read_record(path, usage_fields(), "cp_usage")
  usage$month_currency <- usage$this_month$amount$currency
  if (length(usage$this_month$amount)) usage$this_month$amount <- usage$this_month$amount$amount
  column <- function(name, missing)
    vapply(usage$rows, function(row) first_of(row[[name]], missing), missing)
  rows <- data.frame(
    node = column("node", ""), activity = column("activity", ""), status = column("status", ""),
    seconds = column("time", 0), frames = column("frames", 0L),
    megapixels = vapply(usage$rows, function(row) if (length(row$frame_size)) prod(row$frame_size) /
                        1e6 else 0, 0),
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
