# Prices on a rate card: the fields of charges, hire classes, discounts, balances, tax.

# Money of a card: an ISO 4217 code, or the site's own unit in small letters ("340 shells"). Which
# of them the card counts in is checked when all of it has been read.
card_money <- function(x, where) {
  text <- if (is.numeric(x)) format(x, scientific = FALSE) else x
  own <- if (is.character(text) && length(text) == 1) {
    regmatches(trimws(text),
               regexec("^([0-9]+(?:\\.[0-9]+)?)\\s*([a-z][a-z-]{2,})$", trimws(text),
                       perl = TRUE))[[1]]
  }
  money <- if (length(own) && !toupper(own[3]) %in% names(currency_digits))
    list(amount = as.numeric(own[2]),
      currency = own[3])
           else parse_money(text, where)
  structure(money, class = "cp_card_money")
}

card_currency <- function(x, where) {
  if (is.character(x) && length(x) == 1 && grepl("^[a-z][a-z-]{2,}$", x) &&
      !toupper(x) %in% names(currency_digits)) return(x)
  check_currency(x, where)
}

# "22:00" as seconds of the day; "24:00" is its end.
clock_field <- function(x, where) {
  part <- if (is.character(x) && length(x) == 1)
    regmatches(x, regexec("^([0-9]{1,2}):([0-9]{2})$", x))[[1]]
  if (!length(part) || as.numeric(part[3]) > 59 ||
      as.numeric(part[2]) * 60 + as.numeric(part[3]) > 1440) {
    stop_input("type", paste("got", show_value(x)), where,
               "Write a time of day in quotes, such as \"22:00\".")
  }
  as.numeric(part[2]) * 3600 + as.numeric(part[3]) * 60
}

# Days of the week: a list of them, or a run such as mon-fri.
days_field <- function(x, where) {
  x <- check_texts(x, where)
  unlist(lapply(x, function(one) {
    ends <- match(strsplit(one, "-", fixed = TRUE)[[1]], week_days)
    if (!grepl("^[a-z]+(-[a-z]+)?$", one) || anyNA(ends)) {
      stop_input("choice", paste("got", show_value(one)), where,
                 paste0("Write days as mon-fri, or of ", toString(week_days), "."))
    }
    if (length(ends) == 1) week_days[ends] else
      week_days[((ends[1]:(ends[2] + 7 * (ends[2] < ends[1]))) - 1) %% 7 + 1]
  }))
}

hours_fields <- function() list(
  days = field(days_type(), default = week_days),
  from = field(a_clock_time(), default = 0),
  to = field(a_clock_time(), default = 86400)
)

bracket_fields <- function() list(
  from = field(a_number(least = 0), required = TRUE),
  to = field(a_number(above = 0)),
  amount = field(a_card_price(), required = TRUE)
)

# Brackets in order, from 0 on, each where the one before it ends.
brackets_field <- function(x, where) {
  x <- records_of(bracket_fields())$read(x, where)
  from <- vapply(x, `[[`, 0, "from")
  for (i in seq_along(x)) {
    before <- if (i == 1) 0 else first_of(x[[i - 1]]$to, from[i])
    overlaps <- from[i] < before || i > 1 && from[i] <= from[i - 1]
    if (overlaps || from[i] > before) {
      why <- if (overlaps) "inside the one before it"
             else paste("and what lies between", before, "and that has no price")
      stop_input("site", paste0("bracket ", i, " begins at ", from[i], ", ", why), where,
                 "Write brackets from 0 on, each beginning where the one before it ends.")
    }
  }
  last <- x[[length(x)]]$to
  if (length(last)) {
    stop_input("site", paste0("the last bracket ends at ", last,
                              ", and nothing above it has a price"), where,
               "Leave `to` out of the last bracket.")
  }
  x
}

# A unit of sale. Words that sellers use for it are answered with the one that is meant.
per_field <- function(x, where) {
  said <- if (is.character(x) && length(x) == 1) tolower(x) else ""
  hint <- if (grepl("minute|second|-day", said))
    "Write the price of an hour, and a `step` such as 1 min."
          else if (grepl("^(card|gpu|graphics)", said))
            "Write device-hour: each card of a machine is a device."
          else if (grepl("^(machine|server|instance|computer)", said))
            "Write node-hour: a machine is a node."
  known <- said %in% tolower(names(sale_units))
  if (length(hint) && !known) stop_input("choice", paste("got", show_value(x)), where, hint)
  check_choice(x, where, names(sale_units))
}

charge_fields <- function() list(
  per = field(a_sale_unit(), required = TRUE),
  amount = field(a_card_price()),
  brackets = field(brackets_type()),
  brackets_price = field(one_of("each part", "whole"), default = "each part"),
  step = field(a_step()),
  rounding = field(one_of("up", "nearest", "down"), default = "up"),
  rounded = field(one_of("run", "node", "job"), default = "node"),
  activities = field(words_of(usage_activities)),
  hours = field(records_of(hours_fields()))
)

# The step of a meter: a duration for charges by time, a number of units for others. Which it must
# be is known when the whole charge is.
step_field <- function(x, where) {
  if (is.numeric(x)) return(check_number(x, where, above = 0))
  structure(duration_field(x, where), class = "cp_card_duration")
}

# A charge in numbers: money of the card's currency, seconds for the step of a meter.
settle_charge <- function(x, currency, where) {
  if (is.null(x$amount) == is.null(x$brackets)) {
    stop_input("site", "needs either an amount or brackets", where,
               "Write one of `amount` and `brackets`.")
  }
  timed <- sale_units[[x$per]]$value == "ms"
  if (length(x$step)) {
    if (timed != inherits(x$step, "cp_card_duration")) {
      stop_input("site", paste("has a step that is", if (timed) "no duration" else "a duration"),
                 paste0(where, ", field `step`"),
                 if (timed) "Write a duration, such as 1 min." else
                 paste0("Write a number of ", x$per, "."))
    }
    x$step <- as.numeric(unclass(x$step))
    if (x$step <= 0) stop_input("site", "has a step of 0", where, "Write a step such as 1 min.")
  }
  if (length(x$hours) && !timed) {
    stop_input("site", paste0("is by ", x$per, " and has hours of the day"), where,
               "Write hours only with charges by time.")
  }
  plain_money(x, currency, where)
}

# All money of a record as numbers, refused when in another currency than the card's.
plain_money <- function(x, currency, where) {
  if (inherits(x, "cp_card_money")) {
    if (x$currency != currency) {
      stop_input("currency", paste0("has an amount in ", x$currency, ", the card is in ", currency),
                 where, paste0("Write it in ", currency, "."))
    }
    return(x$amount)
  }
  if (!is.list(x) || is.data.frame(x)) return(x)
  at <- if (is.null(names(x))) rep(where, length(x)) else paste0(where, "$", names(x))
  for (i in seq_along(x)) if (!is.null(x[[i]])) x[[i]] <- plain_money(x[[i]], currency, at[i])
  x
}

# Types of its fields.
a_card_currency <- function() {
  field_type(card_currency, text_schema("^([A-Z]{3}|[a-z][a-z-]{2,})$", c("EUR", "shells")))
}
a_card_price <- function() {
  field_type(card_money, text_schema(paste0(number_pattern, " ?[A-Za-z][a-z-]{2,}$|",
                                            number_pattern, " ?[A-Z]{3}$"),
                                     c("1.90 EUR", "340 shells")))
}
a_sale_unit <- function() field_type(per_field, list(enum = I(names(sale_units))))
a_step <- function() {
  field_type(step_field, list(anyOf = list(list(type = "number", exclusiveMinimum = 0),
                                           text_schema(examples = "1 min"))))
}
brackets_type <- function()
  field_type(brackets_field, function() list_schema(record_schema(bracket_fields())))
a_clock_time <- function() field_type(clock_field, text_schema("^[0-9]{1,2}:[0-9]{2}$", "22:00"))
days_type <- function()
  field_type(days_field, one_or_list(text_schema(examples = c("mon-fri", "sat"))))
