at <- "here"

test_that("shares need their sign, clocks and days their form", {
  expect_identical(clockpigeon:::percent_field("12.5 %", at), 12.5)
  expect_refusal(clockpigeon:::percent_field(20, at), "unit", "20 %")
  expect_refusal(clockpigeon:::percent_field("120 %", at), "unit")
  expect_identical(clockpigeon:::clock_field("22:30", at), 81000)
  expect_identical(clockpigeon:::clock_field("24:00", at), 86400)
  expect_refusal(clockpigeon:::clock_field("24:01", at), "type")
  expect_identical(clockpigeon:::days_field("fri-mon", at), c("fri", "sat", "sun", "mon"))
  expect_identical(clockpigeon:::days_field(list("tue", "sat-sun"), at), c("tue", "sat", "sun"))
  expect_refusal(clockpigeon:::days_field("fri-", at), "choice")
})

test_that("money of a card is in an ISO code or the site's own unit", {
  expect_identical(unclass(clockpigeon:::card_money("340 shells", at)),
                   list(amount = 340, currency = "shells"))
  expect_identical(unclass(clockpigeon:::card_money("1.5 EUR", at)),
                   list(amount = 1.5, currency = "EUR"))
  expect_refusal(clockpigeon:::card_money("1.5 eur", at), "currency", "EUR")
  expect_refusal(clockpigeon:::card_money(5, at), "money", "1.90 EUR")
})

# Changes a text in one place: what typing, merging and half-understood YAML do to a file.
mutated <- function(text) {
  lines <- strsplit(text, "\n")[[1]]
  i <- sample(length(lines), 1)
  chars <- strsplit(lines[i], "")[[1]]
  j <- if (length(chars)) sample(length(chars), 1) else 1
  pool <- c("-1", "0", "99999999999999999999", "1e400", "~", "[]", "{}", "''", "true", ".nan",
            "20 %", "5 GBP", "2026-13-01",
            "!!binary AA==", "é", "\x01", "&a [*a]", "08", "MiB", ": :", "- ")
  switch(sample(7, 1),
         lines[-i], append(lines, lines[i], i), replace(lines, i, paste(chars[-j], collapse = "")),
         replace(lines, i, paste(append(chars, sample(pool, 1), j), collapse = "")),
         replace(lines, i, sub("[^ :{]+(,|\\}|$)", paste0(sample(pool, 1), "\\1"), lines[i])),
         replace(lines, i, sub("([A-Za-z_]+):", "\\1x:", lines[i])),
         replace(lines, i, sub("[0-9.]+", sample(pool, 1), lines[i])))
}

test_that("600 broken rate cards give a card or an error of ours, and what is read can be priced", {
  paths <- list.files(demo_file("sites"), full.names = TRUE)
  folder <- scratch()
  outcomes <- clockpigeon:::with_seed(12, vapply(1:600, function(i) {
    text <- paste(readLines(sample(paths, 1)), collapse = "\n")
    for (k in seq_len(sample(2, 1))) text <- paste(mutated(text), collapse = "\n")
    path <- file.path(folder, "a.yaml")
    writeLines(text, path, useBytes = TRUE)
    tryCatch({
      site <- read_site(path)
      x <- bill(data.frame(node = "a", seconds = 4000, frames = 3, gb = 1,
                           began = "2026-11-03 12:00"), site)
      if (is.finite(sum(x$amount))) "priced" else "no number"
    }, clockpigeon_error = function(e) if (nchar(conditionMessage(e)) < 600) "refused" else
             "endless",
      error = function(e) {
      paste("broken:", conditionMessage(e), "in", text)
    }, warning = function(w) paste("warned:", conditionMessage(w), "in", text))
  }, ""))
  expect_identical(setdiff(outcomes, c("priced", "refused")), character())
  expect_gt(sum(outcomes == "refused"), 100)
  expect_gt(sum(outcomes == "priced"), 100)
})
