card <- function(...) {
  lines <- c(site = "site: a", kind = "kind: managed", as_of = "as_of: 2026-10-01", source = "source: x",
             currency = "currency: EUR", engines = "engines: [pebble]", meter = "meter: rendering",
             price = "price: {per: node-hour, amount: 1.90 EUR}", tiers = "tiers: [{tier: t, nodes: [1]}]")
  over <- c(...)
  lines[names(over)] <- over
  write_file(scratch(parent.frame()), "a.yaml", lines[nzchar(lines)])
}

test_that("the demo's three cards are read, with their defaults", {
  sites <- read_project(demo_file())$sites
  expect_setequal(names(sites), c("attic", "quayside", "saltmill"))
  expect_identical(sites$quayside$price$step_s, 60)
  expect_identical(sites$saltmill$tiers[[2]]$factor, 2.2)
  expect_equal(sites$attic$watts, 420)
})

test_that("cards without date, source, unit or a known currency are refused", {
  expect_refusal(read_site(card(as_of = "")), "field", "`as_of` is missing")
  expect_refusal(read_site(card(source = "")), "field", "`source` is missing")
  expect_refusal(read_site(card(currency = "currency: EUX")), "currency", "ISO 4217")
  expect_refusal(read_site(card(price = "price: {per: node-hour, amount: 1.90}")), "money", "1.90 EUR")
  expect_refusal(read_site(card(price = "price: {per: node-hour, amount: 1.90 GBP}")), "currency", c("GBP", "EUR"))
  expect_refusal(read_site(card(price = "price: {per: kWh, amount: 0.30 EUR}")), "site", "power")
  expect_refusal(read_site(card(price = "price: {per: hour, amount: 1.90 EUR}")), "choice", "node-hour")
  expect_refusal(read_site(card(tiers = "tiers: [{tier: t, nodes: [0]}]")), "type", "tiers`[1], field `nodes`")
  expect_refusal(read_site(card(tiers = "tiers: [{tier: t, nodes: [1], wait: {median: 9 min, p90: 4 min}}]")), "site",
                 "90 %")
  expect_refusal(read_site(card(meter = "meter: sometimes")), "choice")
})
