# Exchange: what one unit of a currency was worth in another, on a day.

# The latest rate between two currencies that is not after `on`: list(rate, date, source); NULL when
# the rates hold none. A direct pair comes first, then its reverse, then two pairs of one day with a
# currency in common.
exchange_rate <- function(rates, from, to, on = NULL) {
  if (from == to) return(list(rate = 1, date = NA_character_, source = NA_character_))
  if (is.null(rates)) return(NULL)
  if (length(on)) rates <- rates[as.Date(rates[["date"]]) <= as.Date(on), , drop = FALSE]
  direct <- pair_rate(rates, from, to)
  if (!is.null(direct)) return(direct)
  # One line a currency that both were quoted against, with the day on which they were.
  legs <- lapply(setdiff(unique(c(rates[["from"]], rates[["to"]])), c(from, to)), function(hub) {
    days <- intersect(pair_days(rates, from, hub), pair_days(rates, hub, to))
    if (!length(days)) return(NULL)
    same <- rates[rates[["date"]] == max(days), , drop = FALSE]
    first <- pair_rate(same, from, hub)
    second <- pair_rate(same, hub, to)
    list(rate = first$rate * second$rate, date = max(days),
         source = paste0(second$source, ", through ", hub))
  })
  legs <- Filter(Negate(is.null), legs)
  if (length(legs)) legs[[which.max(as.Date(vapply(legs, `[[`, "", "date")))]]
}

pair_days <- function(rates, from, to) {
  rates[["date"]][rates[["from"]] == from & rates[["to"]] == to |
                  rates[["from"]] == to & rates[["to"]] == from]
}

pair_rate <- function(rates, from, to) {
  there <- rates[["from"]] == from & rates[["to"]] == to
  back <- rates[["from"]] == to & rates[["to"]] == from
  hit <- which(there | back)
  if (!length(hit)) return(NULL)
  days <- as.Date(rates[["date"]][hit])
  hit <- hit[days == max(days)]
  i <- c(hit[there[hit]], hit)[1]
  list(rate = if (there[i]) rates[["rate"]][i] else 1 / rates[["rate"]][i],
       date = rates[["date"]][i],
       source = rates[["source"]][i])
}

# The rate from a rate card's currency to another. A site's own unit goes through its stated worth,
# if it has one.
rate_to <- function(site, to, rates, on = NULL) {
  if (site$currency == to || !length(site$unit)) return(exchange_rate(rates, site$currency, to, on))
  worth <- site$unit$worth
  if (is.null(worth)) return(NULL)
  rest <- exchange_rate(rates, worth$currency, to, on)
  if (is.null(rest)) return(NULL)
  stated <- paste0("1 ", site$currency, " = ", format(worth$amount), " ", worth$currency,
                   " stated by the site")
  list(rate = worth$amount * rest$rate,
       date = if (is.na(rest$date)) format(site$as_of) else rest$date,
       source = if (is.na(rest$source)) stated else paste0(stated, "; ", rest$source))
}
