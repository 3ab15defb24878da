# Sites: rate cards.

money_field <- function(x, where) parse_money(if (is.numeric(x)) format(x) else x, where)

price_fields <- function() c(charge_fields(), list(
  fixed = field(a_card_price(), default = 0),
  minimum = field(a_card_price(), default = 0),
  minimum_node = field(a_card_price(), default = 0),
  minimum_month = field(a_card_price(), default = 0)
))

# Capabilities of a site; those not stated are unknown.
can_fields <- function() list(
  versions = field(versions_by_name()),
  add_ons = field(versions_by_name()),
  hosts = field(versions_by_name()),
  devices = field(words_of(c("cpu", "gpu"))),
  memory = field(a_size()),
  device_memory = field(a_size()),
  spill = field(a_flag()),
  limits = field(words_of(limit_kinds)),
  cameras = field(text_field()),
  outputs = field(text_field()),
  channels = field(text_field()),
  frame_cap = field(record_of(list(time = field(a_duration(), required = TRUE),
                                   on = field(a_text(), required = TRUE)))),
  upload_cap = field(a_size()),
  helpers_see_frames = field(a_flag()),
  spreads = field(words_of(spread_kinds))
)

billed_fields <- function()
  list(prepass = field(a_flag(), default = TRUE), failed = field(a_flag(), default = TRUE),
                      aborted = field(a_flag(), default = TRUE))

site_fields <- function() c(place_fields(), selling_fields())

# Identity of a site.
place_fields <- function() list(
  site = field(a_name(), required = TRUE),
  about = field(a_text()),
  kind = field(one_of("own", "rented", "managed", "community"), required = TRUE),
  as_of = field(a_past_date()),
  source = field(a_text()),
  stale_after = field(a_duration(), default = 180 * 86400),
  time_zone = field(a_zone(), default = "UTC"),
  currency = field(a_card_currency(), required = TRUE),
  unit = field(record_of(list(worth = field(a_money())))),
  engines = field(text_field(), required = TRUE),
  devices = field(a_count(), default = 1L),
  cores = field(a_count(), default = 1L),
  score = field(a_number(above = 0), default = 1),
  power = field(a_power(), default = 0),
  link = field(a_rate()),
  nodes_like = field(text_field(), default = character()),
  pool = field(text_field(), default = character()),
  same_nodes_as = field(a_text()),
  service = field(record_of(service_fields())),
  reports = field(records_of(report_fields()), default = list()),
  bill = field(record_of(bill_fields())),
  speeds = field(records_of(list(
    engine = field(a_text(), required = TRUE),
    relative_to = field(a_text(), required = TRUE),
    factor = field(a_number(above = 0), required = TRUE),
    basis = field(one_of("claimed", "assumed"), default = "claimed")
  )), default = list()),
  start = field(a_varying()),
  install = field(a_varying(), default = no_time),
  share = field(a_percent(), default = 100),
  node_spread = field(a_percent(), default = 0),
  troubles = field(record_of(trouble_fields(), filled = TRUE)),
  open = field(records_of(hours_fields())),
  can = field(record_of(can_fields()), default = list())
)

# Address of a site's service, and its secrets.
service_fields <- function() list(
  address = field(a_service_address(), required = TRUE),
  token = field(record_of(secret_fields()), required = TRUE)
)

# Where something is read that stands in no file of the project.
secret_fields <- function() list(env = field(a_text()), file = field(a_text()))

# Files that a site writes while it renders, for jobs placed there by hand.
report_fields <- function() list(
  file = field(a_text(), required = TRUE),
  as = field(one_of("csv", "json", "log")),
  map = field(a_column_map(report_columns, "frame: Nr"), default = list()),
  states = field(record_of(list(ready = field(text_field()), failed = field(text_field()),
                                rendering = field(text_field()))))
)

# Columns of a report about frames, and their types.
report_columns <- c(shot = "text", frame = "integer", state = "text", node = "text",
                    wall_s = "number", begun = "moment", finished = "moment", charge = "number",
                    version = "text")

# A token must not be read on its way: beyond this machine the connection is encrypted.
service_address <- function(x, where) {
  x <- check_text(x, where)
  if (grepl("^http://(localhost|127[.][0-9.]+|\\[::1\\])(:[0-9]+)?(/[^?#[:space:]]*)?$", x))
    return(x)
  if (grepl("^https://[^/?#@[:space:]]+(/[^?#[:space:]]*)?$", x)) return(x)
  stop_input("site", paste("got", show_value(x)), where,
             paste0("Write https://..., or http:// and an address of this machine, without a ",
                    "user or a query."))
}

a_service_address <- function() {
  field_type(service_address, text_schema("^https?://[^?#@ ]+$", "https://render.example/saltmill"))
}

# Trouble rates of a site: shares of a frame's runs, and of a node's hours.
trouble_fields <- function() list(
  fails = field(a_percent(), default = 0),
  retries = field(a_count(least = 0, most = 1000), default = 2L),
  vanish = field(a_percent(), default = 0),
  freeze = field(a_percent(), default = 0),
  notice = field(a_duration(), default = 300),
  replaced = field(a_flag(), default = TRUE)
)

# How a site sells.
selling_fields <- function() list(
  price = field(record_of(price_fields()), required = TRUE),
  charges = field(records_of(c(list(charge = field(a_text(), required = TRUE)), charge_fields())),
                  default = list()),
  hires = field(records_of(list(
    hire = field(a_text(), required = TRUE),
    about = field(a_text()),
    devices = field(a_count()),
    cores = field(a_count()),
    score = field(a_number(above = 0)),
    power = field(a_power()),
    speed = field(a_number(above = 0)),
    amount = field(a_card_price()),
    at_once = field(a_count())
  )), default = list()),
  meter = field(one_of("rendering", "boot to release"), required = TRUE),
  release = field(one_of("idle", "end"), default = "idle"),
  cap = field(record_of(list(amount = field(a_card_price(), required = TRUE),
                             lag = field(a_duration(), default = 300)))),
  billed = field(record_of(billed_fields(), filled = TRUE)),
  tiers = field(records_of(tier_fields()), required = TRUE),
  discounts = field(records_of(list(
    discount = field(a_text(), required = TRUE),
    percent = field(a_percent(), required = TRUE),
    from = field(a_date()), to = field(a_date()),
    engine = field(text_field()), tier = field(text_field()), on = field(text_field())
  )), default = list()),
  balances = field(records_of(list(
    balance = field(a_text(), required = TRUE),
    kind = field(one_of("prepaid", "starting", "gift", "earned"), required = TRUE),
    amount = field(a_card_price(), required = TRUE),
    until = field(a_date())
  )), default = list()),
  tax = field(record_of(list(
    tax = field(a_text(), required = TRUE),
    percent = field(a_percent(), required = TRUE),
    included = field(a_flag(), default = FALSE)
  ))),
  community = field(record_of(community_fields()))
)

tier_fields <- function() list(
  tier = field(a_text(), required = TRUE),
  nodes = field(counts_type(), required = TRUE),
  factor = field(a_number(above = 0), default = 1),
  wait = field(a_varying()),
  quiet = field(record_of(quiet_fields()))
)

# The hours in which a tier's queue is shorter, and its wait then.
quiet_fields <- function() list(
  hours = field(records_of(hours_fields()), required = TRUE),
  wait = field(a_varying(), required = TRUE)
)

# A site whose members render for each other.
community_fields <- function() list(
  earn = field(records_of(list(device = field(a_text(), required = TRUE),
                               amount = field(a_card_price(), required = TRUE)))),
  entry = field(a_card_price()),
  queue = field(one_of("by balance", "by arrival"), default = "by arrival"),
  smallest_job = field(a_duration(), default = 0),
  own_frames = field(one_of("free", "charged"), default = "charged")
)

#' Read a rate card
#'
#' A site is a place that renders; its rate card says how it sells.
#'
#' Fields of the file: `site` (name), `about`, `kind` (own, rented, managed, community); `as_of`
#' (date) and `source` of the prices, and `stale_after` (180 d), the age from which they are
#' doubted; `currency` (ISO 4217, or the site's own unit in small letters, which `unit` says the
#' `worth` of, if it has one); `time_zone`; `engines` it runs; of a node its `devices`, `cores`,
#' `score` (a benchmark score, for work-hours) and `power` at work (`350 W`); `link` (`100 Mbit/s`);
#' `nodes_like` (measured nodes of yours that a node of an own pool equals); `pool` (its nodes by
#' name, to which `clockpigeon place` sends frames; one that is named twice renders two at once);
#' `same_nodes_as` (another card of yours for the same machines, under other terms: they do one
#' thing at a time); `service`, where it answers Clock Pigeon's site protocol: its `address` and the
#' bearer `token`, from `env` (a variable of the environment) or `file` (its first line); `reports`,
#' the exports and logs of the site that are put into the folder of a job placed there by hand,
#' which `watch` reads: a list of `file` (from `placed/JOB`; `*` takes several), `as` csv, json or
#' log (told from its ending; a log is read as the engine's profile says), `map` (`frame: Nr`: our
#' name, then their column or arithmetic of theirs; ours are `shot`, `frame`, `state`, `node`,
#' `wall_s`, `begun`, `finished`, `charge` in the card's currency, `version`) and `states` (their
#' words for `ready`, `failed` and `rendering`); `bill`, how the site's bill is read
#' ([settle_job()]): `as` csv or json, `map` (`amount: Cost`: our name, then their column or
#' arithmetic of theirs; ours are `key`, `kind`, `item`, `quantity`, `unit`, `price`, `amount`,
#' `currency`, `node`, `began`, `ended`, `shot`, `frames`, `job`), `kinds` (their words for `usage`,
#' `minimum`, `discount`, `tax`, `credit`, `refund`, `total`) and `units` (their words for ours);
#' `speeds` (a list of `engine`, `relative_to` a node of yours, `factor`, `basis` claimed or
#' assumed); `start` of a machine and `install` of what it needs (each a duration, or its `median`
#' and `p90`, or `none`); the `share` of a node that rendering may use, and `node_spread`, how
#' unlike the nodes are in speed (their sd as a share); `open`, the hours in which it may render;
#' `troubles` (`fails`: share of runs of a frame that fail, `retries` of them; `vanish` and
#' `freeze`: share of nodes that do in an hour, `notice` until that is seen, whether they are
#' `replaced`); `can`, what it can do: `versions` of engines, `add_ons` and `hosts` (names, each
#' with its versions), `devices` (cpu, gpu), `memory`, `device_memory` and whether scenes may
#' `spill` out of it, `limits`, `cameras`, `outputs`, `channels`, `frame_cap` (`time`, `on` a
#' yardstick device), `upload_cap`, whether `helpers_see_frames`, and `spreads`. Capabilities that
#' it does not state are unknown, and an unknown one never fits.
#'
#' Its charges: `meter` (`rendering`, or `boot to release`); `price`, the main charge, and
#' `charges`, a list of others, each with its name as `charge`. A charge is so much `per` node-hour,
#' device-hour, core-hour, work-hour (a score times hours), kWh, frame, megapixel-frame, GB, GB-day,
#' node or job: `amount`, or volume `brackets` (a list of `from`, `to`, `amount`, in that unit) that
#' price `each part` or, with `brackets_price: whole`, the whole quantity by the bracket it reaches;
#' the `step` of its meter, its `rounding` (up, nearest, down), and what is `rounded`: each run,
#' node or the job; the `activities` it counts, and the `hours` of the day (`days`, `from`, `to`) in
#' which it counts them. `price` also has a `fixed` fee of a job, and a `minimum` of a job,
#' `minimum_node`, `minimum_month`. `hires` are classes of machines (`hire`, `devices`, `cores`,
#' `score`, `power`, `speed` relative to the first class, `amount`, `at_once`); `tiers` service
#' levels (`tier`, `nodes` at once, price `factor`, `wait` in the queue, and `quiet`: `hours` with a
#' `wait` of their own). `release` says whether nodes are given back when `idle` or at the `end`,
#' and `cap` what may be spent there (`amount`) before the site stops the job, `lag` after the meter
#' has reached it. `billed` says whether `prepass`, `failed` and `aborted` frames are billed.
#' `discounts` (`discount`, `percent` with its sign, `from` and `to` dates, `engine`, `tier`, `on`
#' named charges), `balances` of yours there (`balance`, `kind` prepaid, starting, gift or earned;
#' `amount`, `until`), used in their order, and `tax` (`tax`, `percent`, `included` in the prices or
#' not). `community` has what such a farm asks: `earn` (a list of `device` and `amount` an hour),
#' `entry` balance, `queue`, `smallest_job`, `own_frames` free or charged.
#'
#' @param path A YAML file.
#' @return A list of class `cp_site` with these fields; money as numbers of the card's currency,
#'   durations in seconds, power in watts, link in bytes a second.
#' @section Conditions: `clockpigeon_error_currency`, `clockpigeon_error_money`,
#'   `clockpigeon_error_unit`, `clockpigeon_error_duration`, `clockpigeon_error_site`, and as for
#'   [read_shot()].
#' @examples
#' read_site(demo_file("sites/saltmill.yaml"))
#' @export
read_site <- function(path) {
  settle_site(read_record(path, site_fields(), "cp_site"), short_path(path))
}

# A card with its money as numbers, and what must agree between its fields checked.
settle_site <- function(site, file) {
  at <- function(name) paste0(file, ", field `", name, "`")
  own_unit <- !site$currency %in% names(currency_digits)
  if (length(site$unit) && !own_unit) {
    stop_input("site", paste0("is counted in ", site$currency, ", which needs no `unit`"),
               at("unit"), "Leave it out.")
  }
  site$read_on <- this_day()
  if (own_unit) site$unit <- first_of(site$unit, list(worth = NULL))
  site$price <- settle_charge(site$price, site$currency, at("price"))
  site$charges <- Map(function(x, i)
                      settle_charge(x, site$currency, paste0(at("charges"), "[", i, "]")),
                      site$charges, seq_along(site$charges))
  for (name in c("hires", "balances", "community", "cap")) {
    site[[name]] <- plain_money(site[[name]], site$currency, at(name))
  }
  for (name in c("tiers", "hires", "charges", "balances")) {
    key <- sub("s$", "", name)
    named <- vapply(site[[name]], `[[`, "", key)
    if (anyDuplicated(named)) {
      stop_input("site", paste0("has two called ", show_value(named[duplicated(named)][1])),
                 at(name), "Give each its own name.")
    }
  }
  if (length(site$service) && sum(lengths(site$service$token) > 0) != 1) {
    stop_input("site", "says not where the token is", at("service"),
               "Write token: {env: NAME} or token: {file: PATH}.")
  }
  check_power(site, at)
  check_discounts(site, at)
  if (site$price$minimum_node > 0 && (length(site$price$brackets) > 1)) {
    stop_input("site", "has brackets and a minimum of a node, which cannot be told apart by node",
               at("price"), "Leave one out.")
  }
  site
}

check_power <- function(site, at) {
  by_energy <- vapply(c(list(site$price), site$charges), function(x) x$per == "kWh", NA)
  hired <- length(site$hires) && all(vapply(site$hires, function(h) length(h$power) > 0, NA))
  if (any(by_energy) && site$power == 0 && !hired) {
    stop_input("site", "is by kWh", at(if (by_energy[1]) "price" else "charges"),
               "Write the `power` of a node at work, such as 350 W.")
  }
}

check_discounts <- function(site, at) {
  known <- c("rendering", "job fee", vapply(site$charges, `[[`, "", "charge"))
  tiers <- vapply(site$tiers, `[[`, "", "tier")
  for (d in site$discounts) {
    where <- paste0(at("discounts"), ", ", show_value(d$discount))
    for (name in d$on) check_choice(name, paste0(where, ", field `on`"), known)
    for (name in d$tier) check_choice(name, paste0(where, ", field `tier`"), tiers)
    for (name in d$engine) check_choice(name, paste0(where, ", field `engine`"), site$engines)
    if (length(d$from) && length(d$to) && d$to < d$from) {
      stop_input("site", "ends before it begins", where, "Write the earlier date as `from`.")
    }
  }
}

# Types of its fields.
a_money <- function()
  field_type(money_field, text_schema(paste0(number_pattern, " ?[A-Za-z]{3}$"), "1.90 EUR"))
