# Exchange rates: dated, with a source. One row says what one unit of `from` was worth in `to` on a day.

read_rates <- function(path) {
  columns <- c("date", "from", "to", "rate", "source")
  rates <- tryCatch(utils::read.csv(path, colClasses = "character"), error = function(e) {
    stop_input("rates", paste("cannot be read:", conditionMessage(e)), short_path(path),
               paste0("Write columns ", toString(columns), "."))
  })
  check_columns(rates, short_path(path), columns)
  rates[["rate"]] <- suppressWarnings(as.numeric(rates[["rate"]]))
  for (i in seq_len(nrow(rates))) {
    where <- paste0(short_path(path), ", line ", i + 1)
    date_field(rates[["date"]][i], paste0(where, ", field `date`"))
    check_currency(rates[["from"]][i], paste0(where, ", field `from`"))
    check_currency(rates[["to"]][i], paste0(where, ", field `to`"))
    check_number(rates[["rate"]][i], paste0(where, ", field `rate`"), above = 0)
  }
  rates[columns]
}

# The latest rate between two currencies: list(rate, date, source); NULL when the rates hold none.
exchange_rate <- function(rates, from, to) {
  if (from == to) return(list(rate = 1, date = NA_character_, source = NA_character_))
  if (is.null(rates)) return(NULL)
  there <- rates[["from"]] == from & rates[["to"]] == to
  back <- rates[["from"]] == to & rates[["to"]] == from
  hit <- which(there | back)
  if (!length(hit)) return(NULL)
  i <- hit[which.max(as.Date(rates[["date"]][hit]))]
  list(rate = if (there[i]) rates[["rate"]][i] else 1 / rates[["rate"]][i], date = rates[["date"]][i],
       source = rates[["source"]][i])
}
