# Exchange rates: dated, with a source. One row says what one unit of `from` was worth in `to` on a
# day.

#' Read exchange rates
#'
#' Two layouts: ours, with columns `date`, `from`, `to`, `rate` (what one unit of `from` is worth in
#' `to`) and `source`; and the one central banks publish, a column `Date` and one for each currency,
#' holding what one unit of the bank's own currency is worth in it. The name of such a file says the
#' bank's currency at its end, as in `reference-EUR.csv`.
#'
#' @param path A CSV file.
#' @return A data frame with the columns of our layout.
#' @section Conditions: `clockpigeon_error_rates` for a file that cannot be read, two rates of one
#'   pair for one day, or a pair whose rate and reverse rate contradict each other;
#'   `clockpigeon_error_currency`, `clockpigeon_error_type` for bad values and for dates in the
#'   future; each names the file and line.
#' @noRd
read_rates <- function(path) {
  path <- check_text(path, argument("path"))
  file <- short_path(path)
  columns <- c("date", "from", "to", "rate", "source")
  rows <- read_csv_texts(path, columns, "rates", empty = character())
  if (identical(names(rows)[1], "Date")) rows <- from_wide(rows, file)
  rows <- as_frame(check_columns(rows, file, columns))
  line <- if (is.null(rows[["line"]])) seq_len(nrow(rows)) + 1 else rows[["line"]]
  rows[["rate"]] <- suppressWarnings(as.numeric(rows[["rate"]]))
  for (i in seq_len(nrow(rows))) {
    where <- paste0(file, ", line ", line[i])
    day <- date_field(rows[["date"]][i], paste0(where, ", field `date`"))
    if (day > this_day() + 1) {
      stop_input("type", paste("got", rows[["date"]][i], "which is in the future"),
                 paste0(where, ", field `date`"), "Write the day the rate was published.")
    }
    check_currency(rows[["from"]][i], paste0(where, ", field `from`"))
    check_currency(rows[["to"]][i], paste0(where, ", field `to`"))
    check_number(rows[["rate"]][i], paste0(where, ", field `rate`"), above = 0)
  }
  check_pairs(rows, paste0(file, ", line ", line))
  rows[columns]
}

# A central bank's table as rows of ours; the bank's currency is read off the file's name.
from_wide <- function(x, file) {
  base <- regmatches(file, regexec("([A-Z]{3})\\.csv$", file))[[1]][2]
  if (is.na(base) || !base %in% names(currency_digits)) {
    stop_input("rates", "does not say whose currency the rates are for", file,
               "End the file's name with it, as in reference-EUR.csv.")
  }
  x <- x[nzchar(names(x)) & !vapply(x, function(v) all(is.na(v) | !nzchar(v)), NA)]
  codes <- setdiff(names(x), "Date")
  rows <- do.call(rbind, lapply(codes, function(code) {
    data.frame(date = x[["Date"]], from = base, to = code, rate = x[[code]],
               source = paste("reference rates,", basename(file)),
               line = seq_len(nrow(x)) + 1)
  }))
  rows[!is.na(rows[["rate"]]) & !rows[["rate"]] %in% c("", "N/A"), , drop = FALSE]
}

# Two rates of a pair for one day, and rates that cannot both hold in their directions.
check_pairs <- function(rows, where) {
  key <- paste(rows[["date"]], rows[["from"]], rows[["to"]])
  twice <- which(duplicated(key))
  if (length(twice)) {
    stop_input("rates", paste("is a second rate for", key[twice[1]]), where[twice[1]], "Keep one.")
  }
  # Currencies move by less than a tenth within a month; a pair and its reverse that are further
  # from agreeing were typed the wrong way round.
  for (i in seq_len(nrow(rows))) {
    back <- which(rows[["from"]] == rows[["to"]][i] & rows[["to"]] == rows[["from"]][i])
    near <- back[abs(as.numeric(as.Date(rows[["date"]][back]) - as.Date(rows[["date"]][i]))) <= 31]
    off <- near[abs(log(rows[["rate"]][near] * rows[["rate"]][i])) > 0.1]
    if (length(off)) {
      stop_input("rates", paste0("says 1 ", rows[["from"]][i], " = ", rows[["rate"]][i], " ",
                                 rows[["to"]][i], ", and ", sub("^.*, ", "", where[off[1]]),
                                 " says 1 ", rows[["to"]][i], " = ", rows[["rate"]][off[1]], " ",
                                 rows[["from"]][i]), where[i],
                 paste0("One of them is the wrong way round: 1 / ", rows[["rate"]][i], " is ",
                        signif(1 / rows[["rate"]][i], 5), "."))
    }
  }
}
