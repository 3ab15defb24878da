# A letter about overcharges for the site that sent the bill: their sum and evidence, without data
# of the user.

# The record of a dispute as a list. `x` from settle_job().
dispute_record <- function(x, now = this_moment()) {
  f <- as_frame(x$findings)
  # Lines are named by their numbers: a file's name is the user's own.
  f$label <- sub(" of .*$", "", f[["label"]])
  f$detail <- ifelse(f[["code"]] == "doubled", sub(" of .*$", "", f[["detail"]]), f[["detail"]])
  f$detail <- without_user(f[["detail"]])
  says <- finding_sentence(f, x$billed_in, x$card_as_of)
  claims <- lapply(seq_len(nrow(f)), function(k) {
    Filter(function(v) !is.na(v),
           list(code = f$code[k], line = f$label[k], says = says[k], quantity = f$quantity[k],
                unit = f$unit[k], known = f$known[k], price = f$price[k],
                card_price = f$known_price[k], amount = f$amount[k]))
  })
  list(
    format = "clockpigeon dispute 1", written = format(now, "%Y-%m-%d", tz = "UTC"), site = x$site,
    job = without_user(toString(or_else(orders_of(x), "not numbered by the site"))),
    placed = format(x$watched$placed, "%Y-%m-%d %H:%M UTC", tz = "UTC"), currency = x$billed_in,
    card = if (length(x$card_as_of)) format(x$card_as_of), billed = x$billed, too_much = x$too_much,
    due = round(x$billed - x$too_much, minor_digits(x$billed_in)), claims = claims[f[["claimed"]]],
    to_explain = claims[!f[["claimed"]]],
    metered = if (x$measured) lapply(seq_len(nrow(x$metered)), function(k) {
      as.list(as_frame(x$metered)[k, c("item", "quantity", "unit", "price", "amount")])
    })
  )
}

# The ids of a job's orders at the site, where it answered with its bill itself.
orders_of <- function(x) unique(x$lines[["source"]][!startsWith(x$lines[["source"]], "line ")])

#' Write a letter about a site's overcharges
#'
#' @param x From [settle_job()]. @param path The path of both files without their endings.
#' @return The paths of the Markdown and the JSON file.
#' @section Conditions: `clockpigeon_error_bill` if no line is overcharged or unexplained.
#' @noRd
write_dispute <- function(x, path) {
  if (!nrow(x$findings)) {
    stop_input("bill", paste("no line is overcharged for job", x$job, "at", x$site),
               "option --dispute", "Leave it out.")
  }
  record <- dispute_record(x)
  files <- paste0(sub("\\.(md|json)$", "", path), c(".md", ".json"))
  write_text(dispute_page(record), files[1])
  write_text(record_json(record), files[2])
  files
}

# A letter to a site about a bill: what was overcharged, with its arithmetic.
dispute_page <- function(r) {
  money <- function(v) format_money(v, r$currency)
  says <- function(claims) paste0(seq_along(claims), ". ", vapply(claims, `[[`, "", "says"))
  number <- function(v)
    ifelse(is.na(v), "", formatC(v, format = "f", digits = 3, drop0trailing = TRUE))
  metered_row <- function(m) {
    paste0("| ", m$item, " | ", number(m$quantity), " | ", if (is.na(m$unit)) "" else m$unit,
           " | ", number(m$price), " | ",
           formatC(m$amount, format = "f", digits = minor_digits(r$currency)), " |")
  }
  c(paste0("# Bill of ", r$site, ", job ", r$job), "",
    paste0("Written on ", r$written, ". The job was placed on ", r$placed, ". Amounts are in ",
           r$currency, if (length(r$card)) paste0("; prices are those of your card of ", r$card),
           "."), "",
    "| | |", "|---|---:|", paste0("| Billed | ", money(r$billed), " |"),
    paste0("| Overcharged | ", money(r$too_much), " |"), paste0("| Due | ", money(r$due), " |"),
    if (length(r$claims)) c("", "## Overcharges", "", says(r$claims)),
    if (length(r$to_explain)) c("", "## To be explained", "", says(r$to_explain)),
    if (length(r$metered)) c("", "## Cost of the runs by your rate card", "",
                            "| line | quantity | unit | price | amount |",
                             "|---|---:|---|---:|---:|",
                            vapply(r$metered, metered_row, "")),
    "", "## Our request", "",
    if (r$too_much > 0)
    paste0("A refund or a corrected bill: ", money(r$due), " instead of ", money(r$billed), ", ",
           money(r$too_much), " less."),
    if (length(r$to_explain))
    "For each line to be explained: the service billed, and its price.")
}

# A text from a bill without what may be of the user: names of this machine and its user, paths,
# addresses, long marks that may be tokens.
without_user <- function(text) {
  own <- unique(c(Sys.info()[c("user", "login", "effective_user", "nodename")],
                  basename(path.expand("~"))))
  own <- own[!is.na(own) & nchar(own) > 2 & own != "unknown"]
  for (name in own)
    text <- gsub(paste0("\\Q", name, "\\E"), "...", text, perl = TRUE, ignore.case = TRUE)
  for (form in c("[[:alnum:]._%+-]+@[[:alnum:].-]+", "[a-z]+://[^[:space:]]+",
                 "(?<![0-9])([0-9]{1,3}\\.){3}[0-9]{1,3}",
                 "[0-9a-f:]*::[0-9a-f:]*|([0-9a-f]{1,4}:){4,}[0-9a-f]{1,4}",
                 "(?<![[:alnum:]])([A-Za-z]:)?[/\\\\][^[:space:]]+",
                 "[A-Za-z0-9_-]{24,}")) {
    text <- gsub(form, "...", text, perl = TRUE)
  }
  text
}
