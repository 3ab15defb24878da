saltmill_card <- function(bill = bill_map) {
  card <- read_site(demo_file("sites/saltmill.yaml"))
  card$bill <- bill
  card
}
a_bill <- data.frame(Sort = c("use", "use", "tax", "sum"),
                     What = c("Rendering", "Order", "VAT", "Total"),
                     Hours = c(1.5, 1, NA, NA), Per = c("device hours", "order", NA, NA),
                     Rate = c(2.53, 0.4, NA, NA), Cost = c(3.8, 0.4, 0.84, 5.04), Cur = "GBP",
                     Machine = c("n1", NA, NA, NA), From = "2026-11-26 22:00",
                     To = "2026-11-26 23:30", Frame = c("1-12", NA, NA, NA), Job = "j-1")
read <- function(path, card = saltmill_card()) clockpigeon:::read_bill(path, card)

test_that("a bill is read by the map in the site's file", {
  x <- read(write_bill(a_bill))
  expect_identical(x$lines$kind, c("usage", "usage", "tax"))
  expect_identical(x$lines$unit, c("device-hour", "job", NA))
  expect_identical(x$lines$amount, c(3.8, 0.4, 0.84))
  expect_identical(x$lines$line, 2:4)
  expect_identical(x$totals, 5.04)
  expect_identical(x$lines$ended[1] - x$lines$began[1], 5400)
  # The same with semicolons and decimal commas, in Latin-1, and as JSON.
  path <- file.path(scratch(), "bill.csv")
  rows <- transform(a_bill, What = c("Rendering", "Auftrag f\u00fcr", "MwSt", "Summe"))
  text <- utils::capture.output(utils::write.table(rows, sep = ";", dec = ",", row.names = FALSE,
                                                   na = "", quote = FALSE))
  writeBin(charToRaw(iconv(paste0(c(text, ""), collapse = "\n"), "UTF-8", "latin1")), path)
  y <- read(path)
  expect_identical(y$lines$amount, x$lines$amount)
  expect_identical(y$lines$item[2], "Auftrag f\u00fcr")
  json <- file.path(scratch(), "bill.json")
  jsonlite::write_json(a_bill, json, na = "null", digits = NA)
  bill <- bill_map
  bill$as <- NULL
  expect_equal(read(json, saltmill_card(bill))$lines$amount, x$lines$amount)
})

test_that("columns that are called as ours need no map", {
  x <- read(write_bill(data.frame(item = "rendering", amount = c(2, -1, 0), currency = "GBP")),
            saltmill_card(NULL))
  expect_identical(x$lines$kind, c("usage", "refund", "usage"))
})

test_that("what cannot be read is refused with where and what to write", {
  expect_refusal(read("nowhere.csv"), "file", "there is no such file")
  expect_refusal(read(write_bill(data.frame(a = 1, b = 2)), saltmill_card(NULL)), "bill",
                 "bill: {map: {amount:")
  bad <- bill_map
  bad$map[["amount"]] <- "Price"
  expect_refusal(read(write_bill(a_bill), saltmill_card(bad)), "import", "has no column 'Price'")
  expect_refusal(read(write_bill(transform(a_bill, Cost = c(1, NA, 2, 3)))), "bill",
                 "has no amount in line 3")
  expect_refusal(read(write_bill(transform(a_bill, Cost = "dear"))), "import", "'dear' in line 2")
  expect_refusal(read(write_bill(transform(a_bill, Cur = "EUR"))), "bill",
                 "in EUR, and the card of saltmill is in GBP")
  expect_refusal(read(write_bill(transform(a_bill, Sort = "odd"))), "bill", "kinds: {usage: [odd]}")
  expect_refusal(read(write_bill(transform(a_bill, From = "yesterday"))), "import",
                 "2026-11-27T14:05:10Z")
  expect_refusal(read(write_bill(a_bill[4, ])), "bill", "no line but totals")
  expect_refusal(read(write_bill(a_bill[0, ])), "bill")
})

test_that("a site's file can say how its bill is read, and only with names there are", {
  path <- file.path(scratch(), "saltmill.yaml")
  text <- readLines(demo_file("sites/saltmill.yaml"))
  writeLines(
    c(text, "bill: {map: {amount: Cost}, kinds: {usage: [use]}, units: {device-hour: [dh]}}"), path)
  expect_identical(read_site(path)$bill$map, c(amount = "Cost"))
  expect_identical(read_site(path)$bill$units$`device-hour`, "dh")
  writeLines(c(text, "bill: {map: {amout: Cost}}"), path)
  expect_refusal(read_site(path), "choice", "Did you mean amount?")
})

test_that("the columns of the FinOps specification are written and read again", {
  lines <- data.frame(kind = c("usage", "discount", "tax", "credit", "refund"), item = letters[1:5],
                      quantity = c(2, NA, NA, NA, NA), unit = c("device-hour", NA, NA, NA, NA),
                      price = c(2.53, NA, NA, NA, NA), amount = c(5.06, -1, 0.8, -0.5, -0.2),
                      currency = "GBP", node = c("n1", NA, NA, NA, NA),
                      began = c("2026-11-26T22:00:00Z", NA, NA, NA, NA),
                      ended = c("2026-11-26T23:00:00Z", NA, NA, NA, NA))
  out <- clockpigeon:::as_standard_lines(lines, saltmill_card(), "saltmill-1",
                                         c("2026-11-26T22:00:00Z", "2026-11-27T00:00:00Z"))
  expect_setequal(setdiff(names(clockpigeon:::standard_required), names(out)), character())
  path <- write_bill(out)
  x <- read(path, saltmill_card(NULL))
  expect_true(x$standard)
  expect_identical(x$lines$amount, lines$amount)
  expect_identical(x$lines$kind, c("usage", "refund", "tax", "credit", "refund"))
  expect_identical(x$lines$unit[1], "device-hour")
  expect_identical(unique(x$lines$job), "saltmill-1")
  # Every line is as the schema has it.
  schema <- jsonlite::fromJSON(clockpigeon:::standard_schema(), simplifyVector = FALSE)
  rows <- jsonlite::fromJSON(jsonlite::toJSON(out, na = "null", digits = NA),
                             simplifyVector = FALSE)
  for (row in rows) expect_null(clockpigeon:::schema_fault(row, schema, schema))
  rows[[1]]$BilledCost <- NULL
  expect_identical(clockpigeon:::schema_fault(rows[[1]], schema, schema)$where, "/BilledCost")
  made <- system.file("schemas", "cost-and-usage-1.0.json", package = "clockpigeon")
  expect_identical(paste(readLines(made), collapse = "\n"), paste(clockpigeon:::standard_schema()))
})
