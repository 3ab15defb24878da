# Money: an amount with an ISO 4217 code. Two currencies are never added.

# Active ISO 4217 codes, by digits of the minor unit (standard's list one; funds and metals left
# out).
currency_digits <- local({
  two <- "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BMD BND BOB BRL BSD BTN BWP BYN BZD
    CAD CDF CHF CNY COP CRC CUP CVE CZK DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GTQ
    GYD HKD HNL HTG HUF IDR ILS INR IRR JMD KES KGS KHR KPW KYD KZT LAK LBP LKR LRD LSL MAD MDL MGA
    MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD PAB PEN PGK PHP PKR PLN QAR
    RON RSD RUB SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TOP TRY TTD
    TWD TZS UAH USD UYU UZS VES WST XCD YER ZAR ZMW ZWG"
  none <- "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX VND VUV XAF XOF XPF"
  three <- "BHD IQD JOD KWD LYD OMR TND"
  codes <- lapply(list(two, none, three), function(x) strsplit(x, "\\s+")[[1]])
  stats::setNames(rep(c(2L, 0L, 3L), lengths(codes)), unlist(codes))
})

# Digits behind the point; a site's own unit (points, credits) is counted in hundredths.
minor_digits <- function(currency) if (currency %in% names(currency_digits))
  currency_digits[[currency]] else 2L

check_currency <- function(x, where) {
  if (!is.character(x) || length(x) != 1 || is.na(x) || !x %in% names(currency_digits)) {
    near <- if (is.character(x) && length(x) == 1 && !is.na(x))
      intersect(toupper(x), names(currency_digits))
    stop_input("currency", paste("got", show_value(x)), where,
               paste0("Write an ISO 4217 code",
                      if (length(near)) paste0(": ", near) else ", such as EUR", "."))
  }
  x
}

# Reads "1.90 EUR" as amount 1.9 and currency EUR.
parse_money <- function(x, where = argument("x")) {
  part <- if (is.character(x) && length(x) == 1) {
    regmatches(trimws(x), regexec("^([0-9]+(?:\\.[0-9]+)?)\\s*([A-Za-z]{3})$", trimws(x),
                                  perl = TRUE))[[1]]
  }
  if (!length(part)) {
    stop_input("money", paste("got", show_value(x)), where,
               "Write an amount and a currency, such as 1.90 EUR.")
  }
  list(amount = as.numeric(part[2]), currency = check_currency(part[3], where))
}

# Half away from zero, in whole minor units; the tiny lift undoes binary fractions such as 1.005.
to_minor <- function(amount, currency) {
  scaled <- amount * 10^minor_digits(currency)
  sign(scaled) * floor(abs(scaled) * (1 + 1e-12) + 0.5)
}

from_minor <- function(minor, currency) minor / 10^minor_digits(currency)

format_money <- function(amount, currency = NULL) {
  digits <- if (is.null(currency)) 2L else minor_digits(currency)
  text <- ifelse(is.na(amount), "unknown",
                 formatC(amount, format = "f", digits = digits, big.mark = ""))
  if (is.null(currency)) text else ifelse(is.na(amount), text, paste(text, currency))
}

# An amount to no more digits than its standard error bears: the last one shown is at most twice the
# error.
format_about <- function(amount, error, currency = NULL) {
  error <- rep_len(error, length(amount))
  most <- if (is.null(currency)) 2L else minor_digits(currency)
  borne <- floor(log10(2 * pmax(error, 1e-9)))
  shown <- pmax(0, pmin(most, -borne))
  rounded <- ifelse(borne > 0, round(amount, -pmin(borne, 1)), amount)
  text <- ifelse(is.na(amount), "unknown",
                 mapply(function(x, d) formatC(x, format = "f", digits = d), rounded, shown))
  if (is.null(currency)) text else ifelse(is.na(amount), text, paste(text, currency))
}
