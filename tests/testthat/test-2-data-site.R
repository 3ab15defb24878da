card <- function(...) {
  lines <- c(site = "site: a", kind = "kind: managed", as_of = "as_of: 2026-10-01",
             source = "source: x", currency = "currency: EUR", engines = "engines: [pebble]",
             meter = "meter: rendering", price = "price: {per: node-hour, amount: 1.90 EUR}",
             tiers = "tiers: [{tier: t, nodes: [1]}]")
  over <- c(...)
  lines[names(over)] <- over
  write_file(scratch(parent.frame()), "a.yaml", lines[nzchar(lines)])
}

test_that("the demo's cards are read, with their defaults, in every way of selling", {
  sites <- read_project(demo_file())$sites
  expect_gte(length(sites), 11)
  expect_identical(sites$quayside$price$step, 60)
  expect_identical(sites$saltmill$tiers[[2]]$factor, 2.2)
  expect_equal(sites$attic$power, 420)
  expect_setequal(vapply(sites, function(s) s$price$per, ""),
                  c("kWh", "megapixel-frame", "core-hour", "frame", "node-hour", "device-hour",
                    "work-hour"))
  expect_identical(sites$undertow$can$frame_cap, list(time = 1200, on = "Quern 40"))
  expect_identical(sites$loftnights$open[[1]]$days, c("mon", "tue", "wed", "thu", "fri"))
})

test_that("a card without date or source is read, and doubted", {
  expect_match(clockpigeon:::card_doubts(read_site(card(as_of = "", source = ""))),
               "a: its prices bear no date; its prices name no source")
  expect_length(clockpigeon:::card_doubts(read_site(card()), as.Date("2026-11-01")), 0)
  expect_match(clockpigeon:::card_doubts(read_site(card()), as.Date("2027-11-01")), "396 days old")
  expect_refusal(read_site(card(as_of = "as_of: 2999-01-01")), "type", "in the future")
})

test_that("cards without unit or a known currency are refused", {
  expect_refusal(read_site(card(currency = "currency: EUX")), "currency", "ISO 4217")
  expect_refusal(read_site(card(price = "price: {per: node-hour, amount: 1.90}")), "money",
                 "1.90 EUR")
  expect_refusal(read_site(card(price = "price: {per: node-hour, amount: 1.90 GBP}")), "currency",
                 c("GBP", "EUR"))
  expect_refusal(read_site(card(price = "price: {per: kWh, amount: 0.30 EUR}")), "site", "power")
  expect_refusal(read_site(card(price = "price: {per: hour, amount: 1.90 EUR}")), "choice",
                 "node-hour")
  expect_refusal(read_site(card(tiers = "tiers: [{tier: t, nodes: [0]}]")), "type",
                 "tiers`[1], field `nodes`")
  expect_refusal(
    read_site(card(tiers = "tiers: [{tier: t, nodes: [1], wait: {median: 9 min, p90: 4 min}}]")),
    "site",
    "90 %")
  expect_refusal(read_site(card(meter = "meter: sometimes")), "choice")
})

test_that("what contradicts itself in a card is refused, and what to write instead is said", {
  refused <- function(topic, patterns, ...) expect_refusal(read_site(card(...)), topic, patterns)
  brackets <- function(x) paste0("price: {per: node-hour, brackets: [", x, "]}")
  refused("site", "inside the one before",
          price = brackets("{from: 0, to: 10, amount: 2 EUR}, {from: 8, amount: 1 EUR}"))
  refused("site", "has no price",
          price = brackets("{from: 0, to: 10, amount: 2 EUR}, {from: 12, amount: 1 EUR}"))
  refused("site", "has no price", price = brackets("{from: 5, amount: 1 EUR}"))
  refused("site", "nothing above it", price = brackets("{from: 0, to: 10, amount: 1 EUR}"))
  refused("site", "either an amount or brackets", price = "price: {per: node-hour}")
  refused("money", "-1.90 EUR", price = "price: {per: node-hour, amount: -1.90 EUR}")
  refused("choice", "price of an hour", price = "price: {per: device-minute, amount: 1.90 EUR}")
  refused("choice", "Write device-hour", price = "price: {per: card-hour, amount: 1.90 EUR}")
  refused("choice", "a machine is a node", price = "price: {per: machine-hour, amount: 1.90 EUR}")
  refused("site", "no duration", price = "price: {per: node-hour, amount: 1 EUR, step: 5}")
  refused("site", "a duration", price = "price: {per: frame, amount: 1 EUR, step: 5 min}")
  refused("site", "hours only with charges by time",
          price = "price: {per: frame, amount: 1 EUR, hours: [{days: sat}]}")
  refused("unit", c("sign", "20 %"), tax = "tax: {tax: t, percent: 20}")
  refused("unit", "20 %", tax = "tax: {tax: t, percent: 0.2}")
  refused("site", "two called 't'", tiers = "tiers: [{tier: t, nodes: [1]}, {tier: t, nodes: [2]}]")
  refused("site", "ends before it begins",
          d = "discounts: [{discount: d, percent: 5 %, from: 2026-12-01, to: 2026-11-01}]")
  refused("choice", "job fee", d = "discounts: [{discount: d, percent: 5 %, on: storage}]")
  refused("currency", c("GBP", "EUR"), b = "balances: [{balance: b, kind: gift, amount: 5 GBP}]")
  refused("site", "needs no `unit`", u = "unit: {worth: 1 EUR}")
  refused("choice", "mon-fri", o = "open: [{days: weekend}]")
  refused("type", "22:00", o = "open: [{from: \"25:00\"}]")
  refused("site", "cannot be told apart by node",
          price = paste0("price: {per: node-hour, minimum_node: 1 EUR, brackets: ",
          "[{from: 0, to: 10, amount: 2 EUR}, {from: 10, amount: 1 EUR}]}"))
})

test_that("a site's own unit is a currency of its own, with a stated worth or none", {
  own <- c(currency = "currency: points", price = "price: {per: node-hour, amount: 40 points}")
  site <- read_site(card(own, unit = "unit: {worth: 0.05 EUR}"))
  x <- bill(data.frame(node = "a", seconds = 3600), site, to = "EUR")
  expect_equal(c(x$amount, x$converted, x$rate), c(40, 2, 0.05))
  expect_refusal(bill(data.frame(node = "a", seconds = 3600), read_site(card(own)), to = "EUR"),
                 "rates", "points")
  expect_refusal(read_site(card(own, price = "price: {per: node-hour, amount: 40 credits}")),
                 "currency",
                 c("credits", "points"))
})
