# Bills of sites: tables from outside, read by the map in the site's file or by the columns of the
# FinOps Open Cost and Usage Specification.

# Columns of a bill's line, and their types.
bill_columns <- c(key = "text", kind = "text", item = "text", quantity = "number", unit = "text",
                  price = "number", amount = "number", currency = "text", node = "text",
                  began = "moment", ended = "moment", shot = "text", frames = "text", job = "text")

# Kinds of lines. A `total` is what the lines above it should add up to.
bill_kinds <- c("usage", "minimum", "discount", "tax", "credit", "refund", "total")

# The part of a bill as a kind of line.
billed_kind <- function(part) if (part %in% "list" || !part %in% bill_kinds) "usage" else part

bill_fields <- function() list(
  as = field(one_of("csv", "json")),
  map = field(a_column_map(bill_columns, "amount: Cost"), default = list()),
  kinds = field(record_of(lapply(stats::setNames(nm = bill_kinds),
                                 function(kind) field(text_field())))),
  units = field(record_of(lapply(sale_units, function(unit) field(text_field()))))
)

# Reads a site's bill. `card`: the site, whose `bill` has the map. Returns a list: `lines`, one row
# a line of the file but totals, with the columns of `bill_columns` (`began` and `ended` in seconds
# since 1970), `line` (its number in the file), `mark` (what tells it from all others: all that is
# read of it, and how often the same came before it) and `raw` (the same of its text, by which older
# ledgers know it); `totals`, those that the file states, and how far they are `off`;
# `currency`; `standard`, whether it has the columns of the FinOps specification.
read_bill <- function(path, card) {
  where <- short_path(path)
  if (!file.exists(path) || dir.exists(path)) {
    stop_input("file", "there is no such file", where,
               "Name the bill that the site sent, as CSV or JSON.")
  }
  as <- or_else(card$bill$as, if (grepl("\\.json$", path, ignore.case = TRUE)) "json" else "csv")
  found <- if (as == "json") read_foreign_json(path) else read_foreign_csv(path)
  standard <- is_standard_bill(found) && !any(card$bill$map %in% names(found))
  x <- if (standard) standard_lines(found) else
    map_columns(found, or_else(card$bill$map, list()), where,
                names(bill_columns))$rows
  if (!nrow(found)) stop_input("bill", "has no line", where, "Name a bill with its lines.")
  if (is.null(x[["amount"]])) {
    stop_input("bill", paste("has no column for `amount`; its columns are",
                             toString(utils::head(names(found), 20))),
               where, paste0("Map it in sites/", card$site,
                             ".yaml, such as bill: {map: {amount: THEIR COLUMN}}."))
  }
  x$raw <- row_marks(found)
  x$line <- seq_len(nrow(found)) + (as == "csv")
  plain_bill(x, card, where, standard)
}

# A bill's lines with our columns and types, its totals and the words that matched no kind.
plain_bill <- function(x, card, where, standard) {
  for (name in setdiff(names(bill_columns), names(x))) x[[name]] <- rep(NA, nrow(x))
  for (name in names(bill_columns)[bill_columns == "number"])
    x[[name]] <- column_numbers(x[[name]], name, where)
  for (name in names(bill_columns)[bill_columns == "moment"]) {
    x[[name]] <- column_moments(x[[name]], name, card$time_zone, where)
  }
  for (name in names(bill_columns)[bill_columns == "text"]) x[[name]] <- as.character(x[[name]])
  lost <- which(is.na(x[["amount"]]))
  if (length(lost)) {
    stop_input("bill", paste("has no amount in line", x[["line"]][lost[1]]), where,
               "Write 0 for no charge.")
  }
  x$unit <- their_words(x[["unit"]], card$bill$units)
  kinds <- line_kinds(x, card$bill$kinds, where)
  x$kind <- kinds$kind
  unmatched <- if (length(unlist(card$bill$kinds))) {
    paste0("line ", x[["line"]], " ", vapply(x[["item"]], show_value, ""), ", taken for ",
           x[["kind"]])[!kinds$matched]
  }
  currency <- unique(stats::na.omit(x[["currency"]]))
  odd <- setdiff(currency, card$currency)
  if (length(odd)) {
    stop_input("bill", paste0("is in ", odd[1], ", and the card of ", card$site, " is in ",
                              card$currency), where,
               paste0("See that it is this site's bill; a card in the currency that is billed ",
                      "can be compared with it."))
  }
  x$currency <- card$currency
  x$mark <- row_marks(x[setdiff(names(bill_columns), "kind")])
  x$kind_mark <- row_marks(x[names(bill_columns)])
  total <- x[["kind"]] == "total"
  if (all(total)) stop_input("bill", "has no line but totals", where, "Name a bill with its lines.")
  list(lines = x[!total, c(names(bill_columns), "line", "mark", "kind_mark", "raw"), drop = FALSE],
       totals = x[["amount"]][total], off = total_errors(x[["amount"]], total),
       currency = card$currency, standard = standard, where = where, unmatched = unmatched)
}

# How far stated totals are from the lines above them, or from all lines where that is nearer.
total_errors <- function(amount, total) {
  vapply(which(total), function(k) {
    off <- amount[k] - c(sum(amount[!total & seq_along(amount) < k]), sum(amount[!total]))
    off[which.min(abs(off))]
  }, 0)
}

# Their words as ours, where the site's file says so; a word that is ours already stays. A word may
# be a pattern with `*` and `?`.
their_words <- function(x, words) {
  for (ours in names(words)) {
    patterns <- utils::glob2rx(tolower(words[[ours]]))
    hit <- Reduce(`|`, lapply(patterns, grepl, x = tolower(x)), rep(FALSE, length(x)))
    x[!is.na(x) & hit] <- ours
  }
  x
}

# Kind of each line, from the line's own word or the site's file. A negative line without a kind is
# a refund. list(kind, matched): whether a word of the file or of the line said so.
line_kinds <- function(x, words, where) {
  kind <- their_words(x[["kind"]], words)
  by_item <- their_words(x[["item"]], words)
  unsaid <- is.na(kind)
  kind[unsaid & by_item %in% bill_kinds] <- by_item[unsaid & by_item %in% bill_kinds]
  matched <- !is.na(kind)
  kind[!matched] <- ifelse(x[["amount"]][!matched] < 0, "refund", "usage")
  kind <- tolower(kind)
  odd <- which(!kind %in% bill_kinds)
  if (length(odd)) {
    stop_input("bill", paste0("has a line of kind ", show_value(kind[odd[1]]), " (line ",
                              x[["line"]][odd[1]], ")"),
               where, paste0("Say in the site's file what it is, such as bill: {kinds: {usage: [",
                             kind[odd[1]],
                             "]}}; kinds are ", toString(bill_kinds), "."))
  }
  list(kind = kind, matched = matched)
}

# ---- the FinOps Open Cost and Usage Specification ------------------------------------------------

#' Columns of the FinOps Open Cost and Usage Specification, version 1.0
#'
#' Those that version requires of every line, as types of a JSON Schema, and those of its optional
#' ones that are read.
#' @references FinOps Foundation (2024). FinOps Open Cost and Usage Specification, version 1.0.
#' @noRd
standard_version <- "1.0"
standard_required <- c(
  BilledCost = "number", BillingAccountId = "string", BillingAccountName = "string",
  BillingCurrency = "string", BillingPeriodEnd = "moment", BillingPeriodStart = "moment",
  ChargeCategory = "string", ChargeClass = "string", ChargeDescription = "string",
  ChargePeriodEnd = "moment", ChargePeriodStart = "moment", ContractedCost = "number",
  EffectiveCost = "number", InvoiceIssuerName = "string", ListCost = "number",
  PricingQuantity = "number", PricingUnit = "string", ProviderName = "string",
  PublisherName = "string", ServiceCategory = "string", ServiceName = "string"
)
standard_optional <- c(ConsumedQuantity = "number", ConsumedUnit = "string",
                       ListUnitPrice = "number", ContractedUnitPrice = "number",
                       ResourceId = "string", ResourceName = "string", SkuId = "string",
                       Tags = "string")

# Its categories of charges as our kinds. A correction of an earlier bill is one in any category.
standard_kinds <- c(Usage = "usage", Purchase = "usage", Tax = "tax", Credit = "credit",
                    Adjustment = "refund")

is_standard_bill <- function(x)
  all(c("BilledCost", "BillingCurrency", "ChargeCategory") %in% names(x))

# Lines of a bill in the FinOps Open Cost and Usage Specification, with our columns.
standard_lines <- function(x) {
  take <- function(...) {
    there <- intersect(c(...), names(x))
    out <- rep(NA_character_, nrow(x))
    for (name in there) out[is.na(out)] <- x[[name]][is.na(out)]
    out
  }
  kind <- standard_kinds[take("ChargeCategory")]
  kind[is.na(kind)] <- take("ChargeCategory")[is.na(kind)]
  kind[take("ChargeClass") %in% "Correction"] <- "refund"
  data.frame(kind = unname(kind), item = take("ChargeDescription", "SkuId"),
             quantity = take("PricingQuantity", "ConsumedQuantity"),
             unit = take("PricingUnit", "ConsumedUnit"),
             price = take("ContractedUnitPrice", "ListUnitPrice"), amount = take("BilledCost"),
             currency = take("BillingCurrency"), node = take("ResourceName", "ResourceId"),
             began = take("ChargePeriodStart"), ended = take("ChargePeriodEnd"),
             job = tagged_job(take("Tags")))
}

# The job that a line's tags (JSON) name.
tagged_job <- function(tags) {
  named <- "^.*\"job\" *: *\"([^\"]*)\".*$"
  ifelse(grepl(named, tags), sub(named, "\\1", tags), NA_character_)
}

#' The lines of a bill in the columns of the FinOps Open Cost and Usage Specification
#'
#' @param lines Lines as the ledger has them, of one site: `item`, `kind`, `quantity`, `unit`,
#'   `price`, `amount`, `currency`, `node`, `began`, `ended` (UTC texts).
#' @param card The site. @param job What stands for the account, and as a tag of each line: the id
#'   of the job there, one or one a line, or its name here.
#' @param period The days from which and until which is billed, two texts in UTC.
#' @return A data frame with the columns that version 1.0 requires, and `ConsumedQuantity`,
#'   `ConsumedUnit`, `ListUnitPrice`, `ResourceId`. Unknown fields of a line are `NA`.
#' @references As for `standard_required`.
#' @noRd
as_standard_lines <- function(lines, card, job, period) {
  category <- c(usage = "Usage", minimum = "Usage", tax = "Tax", credit = "Credit",
                discount = "Adjustment", refund = "Adjustment")[lines[["kind"]]]
  text <- function(x) rep_len(x, nrow(lines))
  worked <- ifelse(is.na(lines[["price"]]) | is.na(lines[["quantity"]]), lines[["amount"]],
                   lines[["price"]] * lines[["quantity"]])
  priced <- lines[["kind"]] %in% "usage"
  data.frame(
    BilledCost = lines[["amount"]], BillingAccountId = text(job), BillingAccountName = text(job),
    BillingCurrency = lines[["currency"]], BillingPeriodEnd = text(period[2]),
    BillingPeriodStart = text(period[1]), ChargeCategory = unname(category),
    ChargeClass = ifelse(lines[["kind"]] %in% "refund", "Correction", NA),
    ChargeDescription = lines[["item"]],
    ChargePeriodEnd = ifelse(is.na(lines[["ended"]]), period[2], lines[["ended"]]),
    ChargePeriodStart = ifelse(is.na(lines[["began"]]), period[1], lines[["began"]]),
    ContractedCost = ifelse(priced, worked, lines[["amount"]]), EffectiveCost = lines[["amount"]],
    InvoiceIssuerName = text(card$site), ListCost = ifelse(priced, worked, lines[["amount"]]),
    PricingQuantity = lines[["quantity"]], PricingUnit = lines[["unit"]],
    ProviderName = text(card$site), PublisherName = text(card$site),
    ServiceCategory = text("Compute"), ServiceName = text("Rendering"),
    ConsumedQuantity = lines[["quantity"]], ConsumedUnit = lines[["unit"]],
    ListUnitPrice = lines[["price"]], ResourceId = lines[["node"]],
    Tags = paste0("{\"job\": \"", job, "\"}")
  )
}

# A JSON Schema, ours, of a line in these columns.
standard_schema <- function() {
  typed <- function(type) if (type == "moment")
    list(type = c("string", "null"), format = "date-time")
                          else list(type = c(type, "null"))
  properties <- lapply(as.list(c(standard_required, standard_optional)), typed)
  for (name in c("BilledCost", "BillingCurrency", "ChargeCategory")) {
    properties[[name]] <- list(type = standard_required[[name]])
  }
  properties$ChargeCategory <- list(enum = I(names(standard_kinds)))
  properties$ChargeClass <- list(enum = list("Correction", NULL))
  schema <- list("$schema" = "https://json-schema.org/draft/2020-12/schema",
                 title = paste("FinOps Open Cost and Usage Specification", standard_version,
                               "as clockpigeon reads it"),
                 type = "object", properties = properties, required = I(names(standard_required)))
  paste(jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = 2, null = "null"))
}
