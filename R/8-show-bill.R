# Bills and rate cards, as text.

#' @export
print.cp_bill <- function(x, ...) {
  show_lines(bill_text(x))
  invisible(x)
}

# The lines of a bill, then what they come to, then what is doubtful.
bill_text <- function(x, width = terminal_width()) {
  total <- as_frame(summary.cp_bill(x))
  currency <- total$currency
  digits <- minor_digits(currency)
  money <- function(v) formatC(v, format = "f", digits = digits)
  quantity <- x[["quantity"]]
  body <- data.frame(
    line = x[["item"]],
    quantity = ifelse(is.na(quantity), "", formatC(quantity, format = "f", digits = 3,
                                                   drop0trailing = TRUE)),
    unit = ifelse(is.na(x[["unit"]]), "", x[["unit"]]),
    price = ifelse(is.na(x[["price"]]), "", format_price(x[["price"]], digits)),
    amount = money(x[["amount"]]), rule = ifelse(is.na(x[["rule"]]), "", x[["rule"]]),
    check.names = FALSE
  )
  names(body)[names(body) == "amount"] <- currency
  if (!is.null(x[["converted"]])) {
    other <- x[["converted_currency"]][1]
    body[[other]] <- formatC(x[["converted"]], format = "f", digits = minor_digits(other))
    body <- body[c(setdiff(names(body), "rule"), "rule")]
  }
  if (all(body$rule == "")) body$rule <- NULL
  parts <- c(list = "list price", minimum = "up to minimums", discount = "discount", tax = "tax",
             credit = "credit used")
  shown <- c("list", Filter(function(p) total[[p]] != 0, setdiff(names(parts), "list")))
  sums <- if (length(shown) > 1)
    paste0(" (", paste(parts[shown], money(unlist(total[shown])), collapse = ", "), ")")
  c(text_table(body, right = setdiff(names(body), c("line", "unit", "rule")),
               spare = c("unit", "rule"), width = width),
    "",
    wrap_lines(paste0("To pay: ", format_money(total$to_pay, currency), sums, "."), width),
    if (!is.null(total[["converted"]]) && !is.na(total$rate)) {
      wrap_lines(paste0("That is ", format_money(total$converted, total$converted_currency), ": 1 ",
                        currency, " = ", signif(total$rate, 6), " ", total$converted_currency,
                        if (!is.na(total$rate_date)) paste0(" on ", total$rate_date), "."), width)
    },
    if (!is.na(x[["doubts"]][1])) wrap_lines(paste0("Doubtful prices: ", x[["doubts"]][1]), width))
}

# A price with as many digits as it needs, and no fewer than money has.
format_price <- function(x, digits) {
  vapply(x, function(one) {
    decimals <- max(digits, nchar(sub("^[^.]*\\.?", "",
                                      format(one, digits = 12, scientific = FALSE))))
    formatC(one, format = "f", digits = decimals)
  }, "")
}

# All rate cards of a project, one line each.
site_lines <- function(sites, width = terminal_width()) {
  rows <- bill_table(sites)
  doubts <- unlist(lapply(sites, card_doubts), use.names = FALSE)
  c(text_table(rows, spare = c("kind", "also"), width = width),
    if (length(doubts)) c("", wrap_lines(paste0("Doubtful prices: ", doubts), width)))
}

bill_table <- function(sites) {
  bind <- lapply(sites, function(site) {
    tariff <- tariff_of(site)
    data.frame(site = site$site, kind = site$kind, `sells by` = site$price$per,
               price = price_range(site, tariff),
               tiers = toString(vapply(site$tiers, `[[`, "", "tier")),
               also = toString(extra_charges_text(site)),
               `as of` = if (length(site$as_of)) format(site$as_of) else "unknown",
               check.names = FALSE)
  })
  do.call(rbind, unname(bind))
}

# The least and the most that a unit costs: over brackets, hire classes and tiers.
price_range <- function(site, tariff) {
  base <- c(site$price$amount, vapply(first_of(site$price$brackets, list()), `[[`, 0, "amount"),
            unlist(lapply(site$hires, `[[`, "amount")))
  prices <- range(base %o% vapply(site$tiers, `[[`, 0, "factor"))
  text <- format_price(unique(prices), minor_digits(site$currency))
  paste(paste(text, collapse = " to "), site$currency)
}

# Charges, gifts and conditions of a card apart from its price, in a word or two each.
extra_charges_text <- function(site) {
  c(vapply(site$charges, `[[`, "", "charge"), if (site$price$fixed > 0) "job fee",
    if (site$price$minimum > 0) "minimum of a job",
    if (site$price$minimum_node > 0) "minimum of a node",
    if (site$price$minimum_month > 0) "minimum of a month",
    if (length(site$price$brackets)) "volume brackets",
    if (length(site$hires)) paste(length(site$hires), "hire classes"),
    vapply(site$discounts, function(d) paste0(d$discount, " -", d$percent, " %"), ""),
    vapply(site$balances, function(b) paste(b$kind, "balance"), ""),
    if (length(site$tax))
    paste0(site$tax$tax, " ", site$tax$percent, " %", if (site$tax$included) " included"))
}

# One rate card in words.
card_lines <- function(site, width = terminal_width()) {
  x <- card_parts(site)
  c(wrap_lines(x$about, width), "",
    text_table(x$charges, right = "price", spare = c("counts", "step"), width = width), "",
    wrap_lines(x$rest, width))
}

# The card in words: `about`, a table of `charges`, and `rest`, sentences.
card_parts <- function(site) {
  money <- function(x) paste(format_price(x, minor_digits(site$currency)), site$currency)
  also <- setdiff(extra_charges_text(site),
                  c(vapply(site$charges, `[[`, "", "charge"), "job fee", "volume brackets",
                    paste(length(site$hires), "hire classes")))
  as_of <- if (length(site$as_of)) format(site$as_of) else "an unknown day"
  doubts <- card_doubts(site)
  list(
    about = paste0(site$site, ": ", first_of(site$about, site$kind), ". As of ", as_of, ", ",
                   first_of(site$source, "no source"), "."),
    charges = do.call(rbind, lapply(tariff_of(site)$charges, charge_row, site = site,
                                    money = money)),
    rest = c(
      vapply(site$tiers, tier_words, ""),
      vapply(site$hires, hire_words, "", site = site, money = money),
      if (length(also)) paste0("Also: ", toString(also), "."), running_words(site, money),
      if (length(site$open))
      paste0("May render: ", paste(format_hours(site$open), collapse = "; "), " (",
             site$time_zone, ")."),
      if (length(site$community)) community_words(site, money),
      if (length(doubts)) paste0("Doubtful prices: ", doubts)
    )
  )
}

# A charge as a row of the card's table; one row for each bracket.
charge_row <- function(x, site, money) {
  step <- if (x$value == "ms" && x$step > 1) {
    paste0(format_duration(x$step / 1000), " ", x$rounding, ", each ", x$rounded)
  }
  data.frame(charge = sub(", tier .*", "", x$item),
             price = paste0(vapply(x$amounts, money, ""),
                            ifelse(x$from > 0, paste0(" from ", x$from / x$scale, " on"), "")),
             per = x$per, step = first_of(step, ""), counts = counted_words(x, site))
}

tier_words <- function(tier) {
  wait <- if (length(tier$wait) && tier$wait$median_s > 0)
    paste0(", waits ", varying_words(tier$wait))
  quiet <- if (length(tier$quiet)) {
    paste0("; in quiet hours (", paste(format_hours(tier$quiet$hours), collapse = "; "), ") ",
           varying_words(tier$quiet$wait))
  }
  paste0("Tier ", tier$tier, ": ", toString(tier$nodes), " nodes at once",
         if (tier$factor != 1) paste0(", price times ", tier$factor), wait, quiet, ".")
}

varying_words <- function(time) {
  if (time$p90_s <= time$median_s) return(format_duration(time$median_s))
  paste0(format_duration(time$median_s), " (one in ten over ", format_duration(time$p90_s), ")")
}

trouble_words <- function(trouble) {
  c(if (trouble$fails > 0)
      paste0(trouble$fails, " % of runs fail, tried again ", trouble$retries, " times"),
    if (trouble$vanish > 0) paste0(trouble$vanish, " % of nodes vanish in an hour"),
    if (trouble$freeze > 0) paste0(trouble$freeze, " % of nodes freeze in an hour"))
}

# How machines start there, what goes wrong, and when a spend cap stops a job.
running_words <- function(site, money) {
  wrong <- trouble_words(site$troubles)
  c(
    if (length(site$start) && site$start$median_s > 0)
    paste0("A machine starts in ", varying_words(site$start), "."),
    if (site$install$median_s > 0) paste0("Installing takes ", varying_words(site$install), "."),
    if (site$node_spread > 0) paste0("Nodes differ in speed by ", site$node_spread, " %."),
    if (site$share < 100) paste0("Rendering may use ", site$share, " % of a node."),
    if (length(wrong)) paste0("What goes wrong: ", toString(wrong), "."),
    if (length(site$cap))
    paste0("Stops a job ", format_duration(site$cap$lag), " after ", money(site$cap$amount),
           " have been used; frames in flight are paid and lost."),
    if (site$release == "end") "Machines are given back when all frames are done."
  )
}

hire_words <- function(hire, site, money) {
  parts <- c(if (length(hire$devices))
             paste0(hire$devices, if (hire$devices == 1) " device" else " devices"),
             if (length(hire$amount)) paste(money(hire$amount), "per", site$price$per),
             if (length(hire$at_once)) paste("at most", hire$at_once, "at once"))
  paste0("Hire class ", hire$hire, ": ", toString(parts), ".")
}

counted_words <- function(charge, site) {
  if (charge$per %in% c("job", "node")) return("")
  not <- c(if (!site$billed$prepass && charge$value != "bytes") "pre-pass",
           if (!site$billed$failed) "failed frames",
           if (!site$billed$aborted) "aborted frames")
  base <- if (charge$value != "ms") toString(setdiff(charge$activities, "prepass"))
          else if ("start" %in% charge$activities) "boot to release" else "rendering"
  paste0(base, if (length(charge$hours))
         paste0(", ", paste(format_hours(charge$hours), collapse = "; ")),
         if (length(not)) paste0(", not ", either(not)))
}

# Hours of the day as text: mon-fri 22:00-06:00.
format_hours <- function(hours) {
  clock <- function(s) sprintf("%02d:%02d", s %/% 3600, s %/% 60 %% 60)
  vapply(hours, function(h) {
    at <- match(h$days, week_days)
    run <- length(at) > 1 && all(diff(at) %% 7 == 1)
    days <- if (length(at) == 7) "daily"
            else if (run) paste0(h$days[1], "-", h$days[length(at)])
            else toString(h$days)
    if (h$from == 0 && h$to == 86400) days else paste0(days, " ", clock(h$from), "-", clock(h$to))
  }, "")
}

community_words <- function(site, money) {
  farm <- site$community
  cap <- site$can$frame_cap
  earned <- vapply(farm$earn, function(e) paste0(money(e$amount), " an hour of ", e$device), "")
  asks <- c(if (length(farm$entry)) paste("a balance of", money(farm$entry), "to enter"),
            if (length(cap))
            paste0("frames of at most ", format_duration(cap$time), " on a ", cap$on),
            if (farm$smallest_job > 0)
            paste("jobs of at least", format_duration(farm$smallest_job)),
            paste("queue", farm$queue))
  c(if (length(earned)) paste0("Earned: ", paste(earned, collapse = "; "), "."),
    paste0("Asks: ", toString(asks), "."))
}
