# Sites: rate cards.

money_field <- function(x, where) parse_money(if (is.numeric(x)) format(x) else x, where)

# A time that varies, given as its median and its 90 % point; kept as the log-normal that has them.
spread_field <- function(x, where) {
  if (identical(x, "none")) return(list(median_s = 0, p90_s = 0))
  x <- read_fields(x, list(median = field(duration_field, required = TRUE),
                           p90 = field(duration_field, required = TRUE)), where)
  if (x$median <= 0 || x$p90 < x$median) {
    stop_input("site", "has a 90 % point below its median, or a median of 0", where,
               "Write median and p90, the larger last, or `none`.")
  }
  list(median_s = x$median, p90_s = x$p90)
}

no_spread <- list(median_s = 0, p90_s = 0)

price_fields <- function() list(
  per = field(choice_of("node-hour", "device-hour", "kWh"), required = TRUE),
  amount = field(money_field, required = TRUE),
  step = field(duration_field, default = 1),
  rounding = field(choice_of("up", "nearest"), default = "up"),
  rounded = field(choice_of("node", "job"), default = "node"),
  fixed = field(money_field),
  minimum = field(money_field)
)

site_fields <- function() list(
  site = field(check_text, required = TRUE),
  about = field(check_text),
  kind = field(choice_of("own", "rented", "managed", "community"), required = TRUE),
  as_of = field(date_field, required = TRUE),
  source = field(check_text, required = TRUE),
  currency = field(check_currency, required = TRUE),
  engines = field(check_texts, required = TRUE),
  devices = field(function(x, where) check_count(x, where), default = 1L),
  power = field(parse_power, default = 0),
  link = field(parse_rate),
  nodes_like = field(check_texts, default = character()),
  speeds = field(records_of(list(
    engine = field(check_text, required = TRUE),
    relative_to = field(check_text, required = TRUE),
    factor = field(number_above(0), required = TRUE),
    basis = field(choice_of("claimed", "assumed"), default = "claimed")
  )), default = list()),
  start = field(spread_field, default = no_spread),
  price = field(record_of(price_fields()), required = TRUE),
  meter = field(choice_of("rendering", "boot to release"), required = TRUE),
  tiers = field(records_of(list(
    tier = field(check_text, required = TRUE),
    nodes = field(counts, required = TRUE),
    factor = field(number_above(0), default = 1),
    wait = field(spread_field, default = no_spread)
  )), required = TRUE)
)

#' Read a rate card
#'
#' A site is a place that renders; its rate card says how it sells.
#'
#' Fields of the file: `site` (name), `about`, `kind` (own, rented, managed, community), `as_of` (date) and `source` of
#' the prices, `currency`, `engines` it runs, `devices` of a node, `power` of a node at work (`350 W`), `link` (`100
#' Mbit/s`), `nodes_like` (measured nodes of yours that a node of an own pool equals), `speeds` (a list of `engine`,
#' `relative_to` a node of yours, `factor`, `basis` claimed or assumed), `start` of a node (`median`, `p90`), `meter`
#' (`rendering`, or `boot to release`), `price` (`per` node-hour, device-hour or kWh; `amount`; `step`, `rounding` up or
#' nearest, `rounded` for each node or job; `fixed` and `minimum` per job) and `tiers` (a list of `tier`, `nodes` at
#' once, price `factor`, `wait`).
#'
#' @param path A YAML file.
#' @return A list of class `site` with these fields; durations in seconds, power in watts as `watts`, link in bytes a
#'   second.
#' @section Conditions: `clockpigeon_error_currency`, `clockpigeon_error_money`, `clockpigeon_error_unit`,
#'   `clockpigeon_error_duration`, `clockpigeon_error_site`, and as for [read_shot()].
#' @examples
#' read_site(demo_file("sites/saltmill.yaml"))
#' @export
read_site <- function(path) {
  site <- read_record(path, site_fields(), "site")
  site$watts <- site$power
  where <- paste0(short_path(path), ", field `price`")
  for (part in c("amount", "fixed", "minimum")) {
    money <- site$price[[part]]
    if (length(money) && money$currency != site$currency) {
      stop_input("currency", paste0("`", part, "` is in ", money$currency, ", the card in ", site$currency), where,
                 paste0("Write the price in ", site$currency, "."))
    }
    site$price[[part]] <- if (length(money)) money$amount else 0
  }
  site$price$step_s <- site$price$step
  site$price$currency <- site$currency
  if (site$price$step_s <= 0) stop_input("site", "has a step of 0", where, "Write a step such as 1 min.")
  if (site$price$per == "kWh" && site$watts == 0) {
    stop_input("site", "is by kWh", where, "Write the `power` of a node at work, such as 350 W.")
  }
  site
}
