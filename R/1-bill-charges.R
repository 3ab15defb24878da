# Charges: a rate card made into whole numbers, ready to price usages.

# Does a discount of a card hold for this tier, engine and day? Fields that it lacks do not restrict
# it.
discount_applies <- function(d, tier, engine, on) {
  if (!is.null(d$engine) && !engine %in% d$engine) return(FALSE)
  if (!is.null(d$tier) && !tier %in% d$tier) return(FALSE)
  is.null(on) || (is.null(d$from) || on >= d$from) && (is.null(d$to) || on <= d$to)
}

tariff_tax <- function(tax) {
  if (!length(tax)) return(NULL)
  list(item = tax$tax, ratio = as_ratio(tax$percent) * c(1, 100), percent = tax$percent,
       included = tax$included)
}

# A rate card as it prices one job: charges, discounts and minimums as whole numbers, for a tier, a
# hire class, an engine and a day. Money is in minor units of the card's currency (hundredths of a
# site's own unit).
tariff_of <- function(site, tier = NULL, hire = NULL, engine = NA_character_, on = NULL) {
  if (inherits(on, "POSIXt")) on <- day_in_zone(on, site$time_zone)
  chosen <- site_tier(site, first_of(tier, site$tiers[[1]]$tier))
  class <- chosen_hire(site, hire)
  minor <- 10^minor_digits(site$currency)
  main <- site$price
  if (length(class$amount)) main$amount <- class$amount
  main$charge <- paste0("rendering", if (length(class)) paste0(" on ", class$hire), ", tier ",
                        chosen$tier)
  charges <- c(list(compile_charge(main, site, chosen$factor, minor)),
               lapply(site$charges, compile_charge, site = site, factor = 1, minor = minor))
  fee <- list(charge = "job fee", per = "job", amount = main$fixed)
  if (main$fixed > 0) charges <- c(charges, list(compile_charge(fee, site, 1, minor)))
  names <- c("rendering", vapply(charges[-1], `[[`, "", "item"))
  discounts <- Filter(function(d) discount_applies(d, chosen$tier, engine, on), site$discounts)
  balances <- Filter(function(b) is.null(on) || is.null(b$until) || on <= b$until, site$balances)
  list(
    currency = site$currency, zone = site$time_zone, tier = chosen$tier, charges = charges,
    discounts = lapply(discounts, function(d) {
      list(item = d$discount, ratio = as_ratio(d$percent) * c(1, 100), percent = d$percent,
           on = if (is.null(d$on)) seq_along(charges) else which(names %in% d$on))
    }),
    minimum = round(main$minimum * minor), minimum_node = round(main$minimum_node * minor),
    minimum_month = round(main$minimum_month * minor),
    tax = tariff_tax(site$tax),
    balances = lapply(balances, function(b)
                      list(item = b$balance, kind = b$kind, amount = round(b$amount * minor))),
    defaults = list(devices = first_of(class$devices, site$devices),
                    cores = first_of(class$cores, site$cores),
                    score = first_of(class$score, site$score),
                    watts = first_of(class$power, site$power))
  )
}

site_tier <- function(site, name) site$tiers[[match(name, vapply(site$tiers, `[[`, "", "tier"))]]

chosen_hire <- function(site, hire) {
  if (!length(site$hires)) return(NULL)
  site$hires[[match(first_of(hire, site$hires[[1]]$hire), vapply(site$hires, `[[`, "", "hire"))]]
}

# One charge as whole numbers: what it counts, the size of its step in counted things, and the price
# of each bracket as a ratio of minor units to counted things.
compile_charge <- function(x, site, factor, minor) {
  unit <- sale_units[[x$per]]
  by <- as_ratio(factor)
  brackets <- first_of(x$brackets, list(list(from = 0, amount = x$amount)))
  timed <- unit$value == "ms"
  step <- if (timed) round(first_of(x$step, 0.001) * 1000) else if (is.null(x$step)) 1 else
    round(x$step * unit$per)
  counted <- first_of(x$activities, usual_activities(x$per, site$meter))
  list(
    item = x$charge, per = x$per, once = unit$once, value = unit$value, weight = unit$weight,
    scale = unit$per, step = max(1, step),
    job_step = max(1, step) * if (timed) unit$per / 3600e3 else 1,
    rounding = first_of(x$rounding, "up"),
    # Steps of a job as a whole are steps of what is billed: of seconds, each times its devices,
    # cores, score or watts.
    rounded = if (nzchar(unit$once)) unit$once else first_of(x$rounded, "node"),
    activities = setdiff(counted, if (!site$billed$prepass) "prepass"),
    own_free = identical(site$community$own_frames, "free"), hours = x$hours,
    marginal = !identical(x$brackets_price, "whole"),
    from = vapply(brackets, function(b) round(b$from * unit$per), 0),
    prices = t(vapply(brackets, function(b) {
      price <- as_ratio(b$amount)
      c(price[1] * by[1] * minor, price[2] * by[2] * unit$per)
    }, numeric(2))),
    amounts = vapply(brackets, `[[`, 0, "amount") * factor
  )
}

# Statuses of frames that a card bills.
billed_statuses <- function(site) {
  failed <- c("failed", "timed_out", "unsupported", "unusable")
  c("ok", if (site$billed$failed) failed, if (site$billed$aborted) "incomplete")
}

# Doubts about a rate card: undated, without a source, or old on the day it was read.
card_doubts <- function(site, today = site$read_on) {
  age <- if (length(site$as_of)) as.numeric(today - site$as_of)
  doubts <- c(
    if (!length(age)) "its prices bear no date"
    else if (age > site$stale_after / 86400)
    paste0("its prices are of ", format(site$as_of), ", ", age, " days old"),
    if (!length(site$source)) "its prices name no source"
  )
  if (length(doubts)) paste0(site$site, ": ", paste(doubts, collapse = "; ")) else character()
}

# Price of one node for an hour by the charges that go by time (first bracket, all day); NA if there
# are none.
hour_amount <- function(tariff) {
  timed <- Filter(function(charge) charge$value == "ms", tariff$charges)
  if (!length(timed)) return(NA_real_)
  sum(vapply(timed, function(charge) {
    weight <- if (length(charge$weight)) tariff$defaults[[charge$weight]] else 1
    charge$amounts[1] * weight / sale_units[[charge$per]]$parts
  }, 0))
}
