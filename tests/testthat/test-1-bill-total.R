demo_site <- function(name) read_site(demo_file(paste0("sites/", name, ".yaml")))

# A card of one's own: the demo's node-hour farm, with other fields.
card <- function(price = "{per: node-hour, amount: 2.60 EUR}", ..., meter = "rendering") {
  path <- write_file(scratch(parent.frame()), "a.yaml", "site: a", "kind: managed",
                     "as_of: 2026-10-01", "source: x", "currency: EUR",
                     "engines: [sundew, millrace]", paste("meter:", meter), paste("price:", price),
                     ..., "tiers: [{tier: t, nodes: [1]}, {tier: quick, nodes: [1], factor: 1.75}]")
  read_site(path)
}
hours <- function(h) h * 3600

# Twelve usages, one for each way of selling, worked by hand.
twelve <- list(
  "own pool: energy, dearer by day, wear, and hours taken from the owner" = list(
    # Tuesday 07:00 to 10:00 in Lisbon, 3 h at 420 W = 1.26 kWh x 0.19 = 0.2394 -> 0.24; from 08:00
    # on 2 h = 0.84 kWh x 0.12 = 0.1008 -> 0.10; wear 3 x 0.065 = 0.195 -> 0.20; from 09:00 on 1 h x
    # 4.50 = 4.50. Sum 5.04
    site = "loftnights",
    usage = data.frame(node = "loft-2", seconds = hours(3), began = "2026-11-03 07:00"),
      to_pay = 5.04),
  "rented by the hour, from boot to release, each machine to its started minute" = list(
    # 4000 s -> 67 min, 3700 s -> 62 min; 129 min = 2.15 h x 2.60 = 5.59
    site = "quayside",
    usage = data.frame(node = c("a", "b"), activity = c("render", "idle"), seconds = c(4000, 3700)),
    to_pay = 5.59),
  "hire classes, each run to its started hour; storage, transfer, minimum of a month, tax" = list(
    # double: 2 runs of 1 h 20 -> 4 h x 3.40 = 13.60; 50 GB x 10 days x 0.004 = 2.00; 12 GB out x
    # 0.07 = 0.84; sum 16.44; up to 25.00: 8.56; tax 21 % of 25.00 = 5.25. To pay 30.25
    site = "tollhouse", hire = "double",
    usage = data.frame(node = c("a", "a", "-", "-"),
                       activity = c("render", "render", "storage", "download"),
                       seconds = c(4800, 4800, 0, 0), gb = c(0, 0, 50, 12), days = c(0, 0, 10, 0)),
    to_pay = 30.25),
  "node-hour, with discount, gift, prepaid balance and tax" = list(
    # 10 h x 2.95 = 29.50, autumn 15 % = 4.425 -> 4.43; net 25.07; tax 21 % = 5.2647 -> 5.26; 30.33;
    # gift 10.00, prepaid 20.33. To pay 0
    site = "highgarret", on = as.Date("2026-11-01"),
    usage = data.frame(node = "a", seconds = hours(10)), to_pay = 0, credit = 30.33,
    discount = 4.43),
  "device-hour in a dearer tier, job fee" = list(
    # 2 nodes x 1.5 h x 2 devices = 6 device-hours x 1.15 x 2.2 = 15.18; fee 0.40
    site = "saltmill", tier = "brisk", usage = data.frame(node = c("a", "b"), seconds = hours(1.5)),
    to_pay = 15.58),
  "core-hour, volume brackets, the job to the nearest minute, failed frames free" = list(
    # 40 h x 32 cores = 1280 core-hours: 500 x 0.048 = 24.00, 780 x 0.041 = 31.98; 5 h of failed
    # frames free. 55.98
    site = "coppice",
    usage = data.frame(node = c("a", "b"), status = c("ok", "failed"), seconds = hours(c(40, 5))),
    to_pay = 55.98),
  "work-hour: score times hours, minimum of a node, pre-pass free" = list(
    # 3.84 x 2 h = 7.68 x 0.21 = 1.6128 -> 1.61; b: 3.84 x 0.1 h = 0.384 x 0.21 = 0.08064, with a's
    # 8.064 work-hours x 0.21 = 1.69344 -> 1.69; b alone 0.08, up to 0.10: 0.02. To pay 1.71
    site = "treadle",
    usage = data.frame(node = c("a", "b", "b"), activity = c("render", "render", "prepass"),
                       seconds = hours(c(2, 0.1, 1))), to_pay = 1.71),
  "by frame, with a job fee; frames that failed are free" = list(
    # 240 x 0.045 = 10.80; fee 1.20
    site = "halfpenny",
    usage = data.frame(node = "a", frames = c(240, 3), status = c("ok", "failed")), to_pay = 12.00),
  "by megapixel-frame, up to the minimum of a job" = list(
    # 1920 x 1080 = 2.0736 megapixels x 50 frames = 103.68 x 0.031 = 3.21408 -> 3.21; up to 5.00
    site = "broadloom", usage = data.frame(node = "a", frames = 50, megapixels = 2.0736),
    to_pay = 5.00),
  "volume brackets that go on from what the month saw before" = list(
    # 490 core-hours before; 32 more: 10 x 0.048 = 0.48, 22 x 0.041 = 0.902 -> 0.90
    site = "coppice", this_month = list(quantity = 490),
    usage = data.frame(node = "a", seconds = hours(1)), to_pay = 1.38),
  "starting credit smaller than the bill, and prepaid after it" = list(
    # gift has ended by 2027: 20 h x 2.95 = 59.00, no discount; tax 12.39; 71.39; prepaid 40.00. To
    # pay 31.39
    site = "highgarret", on = as.Date("2027-01-05"),
    usage = data.frame(node = "a", seconds = hours(20)), to_pay = 31.39),
  "community farm, in its own unit, own frames free, paid from what was earned" = list(
    # 15 h 20 x 1.9 = 29.1333 + 27 h 05 x 1.0 = 27.0833: 56.2167 work-hours x 12 = 674.60 shells,
    # all from the balance
    site = "undertow", usage = data.frame(node = c("x", "y", "z"), score = c(1.9, 1, 1.9),
                                          seconds = c(55200, 97500, 53400),
                                          own = c(FALSE, FALSE, TRUE)), to_pay = 0, credit = 674.60)
)

for (name in names(twelve)) local({
  case <- twelve[[name]]
  test_that(paste("by hand:", name), {
    site <- demo_site(case$site)
    x <- bill(case$usage, site, tier = case$tier, hire = case$hire, on = case$on,
              this_month = case$this_month)
    total <- summary(x)
    expect_equal(total$to_pay, case$to_pay, tolerance = 1e-12)
    for (part in intersect(names(case), c("credit",
                                          "discount"))) expect_equal(total[[part]], case[[part]],
                                                                     tolerance = 1e-12)
    expect_equal(sum(x$amount), case$to_pay, tolerance = 1e-9)
    expect_identical(unique(x$currency), site$currency)
    many <- clockpigeon:::bill_many(cbind(usage = 1L, case$usage), site, case$tier, case$hire,
                                    on = case$on, this_month = case$this_month)
    expect_identical(many[[1, "to_pay"]], round(100 * case$to_pay))
  })
})

test_that("the meter rounds each run, each node, or the job as a whole", {
  use <- data.frame(node = c("a", "a", "b"), seconds = c(61, 58, 60))
  quantity <- function(...)
    bill(use, card(paste0("{per: node-hour, amount: 60 EUR, step: 1 min, ", ...,
                          "}")))$quantity * 60
  expect_equal(quantity("rounded: run"), 2 + 1 + 1)
  expect_equal(quantity("rounded: node"), 2 + 1)
  expect_equal(quantity("rounded: job"), 3)
  expect_equal(quantity("rounded: node, rounding: down"), 1 + 1)
  expect_equal(quantity("rounded: run, rounding: nearest"), 1 + 1 + 1)
})

test_that("a whole price follows the bracket that the quantity reaches", {
  brackets <- "{per: node-hour, brackets: [{from: 0, to: 10, amount: 2 EUR}, {from: 10, amount: 1 EUR}]%s}"
  use <- function(h) data.frame(node = "a", seconds = hours(h))
  each <- card(sprintf(brackets, ""))
  whole <- card(sprintf(brackets, ", brackets_price: whole"))
  expect_equal(bill(use(12), each)$amount, c(20, 2))
  expect_equal(bill(use(12), whole)$amount, 12)
  expect_equal(bill(use(9), whole)$amount, 18)
  # At the edge the next bracket has begun.
  expect_equal(bill(use(10), whole)$amount, 10)
})

test_that("discounts are off the list price, by date, engine, tier and charge, and never more than it", {
  site <- card("{per: node-hour, amount: 10 EUR, fixed: 1 EUR}", "discounts:",
               "  - {discount: a, percent: 80 %, on: rendering}",
               "  - {discount: b, percent: 50 %, engine: millrace}",
               "  - {discount: c, percent: 10 %, tier: quick}",
               "  - {discount: d, percent: 30 %, from: 2026-11-01, to: 2026-11-30}")
  use <- data.frame(node = "a", seconds = 3600)
  off <- function(...) summary(bill(use, site, ...))$discount
  expect_equal(off(on = as.Date("2026-10-01")), 8)
  # 5.50 of 11.00, of which 3.00 are left
  expect_equal(off(on = as.Date("2026-10-01"), engine = "millrace"), 8 + 3)
  expect_equal(off(on = as.Date("2026-11-30")), 8 + 3)
  expect_equal(off(on = as.Date("2026-10-01"), tier = "quick"), 14 + 1.85)
  expect_gte(summary(bill(use, site, engine = "millrace", on = as.Date("2026-11-15")))$to_pay, 0)
})

test_that("R and C++ agree to the minor unit over random usages of every card", {
  sites <- read_project(demo_file())$sites
  clockpigeon:::with_seed(6, for (site in sites) {
    rows <- lapply(1:60, function(u) {
      n <- sample(1:6, 1)
      data.frame(usage = u, node = sample(1:3, n, replace = TRUE),
                 activity = sample(clockpigeon:::usage_activities, n, replace = TRUE),
                 status = sample(clockpigeon:::timing_words$status, n, replace = TRUE),
                   seconds = round(rlnorm(n, 8, 2), 3),
                 frames = rpois(n, 40), megapixels = 2.0736, gb = round(rexp(n, 0.1), 3),
                   days = sample(0:30, n, replace = TRUE),
                 began = "2026-11-03 21:15", own = runif(n) < 0.2)
    })
    many <- clockpigeon:::bill_many(do.call(rbind, rows), site, on = as.Date("2026-11-03"),
                                    engine = "millrace")
    digits <- 10^clockpigeon:::minor_digits(site$currency)
    one <- t(vapply(rows, function(x) {
      unlist(clockpigeon:::as_frame(summary(bill(x, site, on = as.Date("2026-11-03"),
                                                 engine = "millrace")))[1:6]) * digits
    }, numeric(6)))
    expect_equal(unname(many[, 1:6]), unname(round(one)), tolerance = 0)
  })
})

test_that("another currency stands beside, with its rate and date, and both sides add up", {
  rates <- read_project(demo_file())$rates
  use <- data.frame(node = c("a", "b"), seconds = c(4000, 3700))
  x <- bill(use, demo_site("saltmill"), on = as.Date("2026-10-15"), to = in_currency("EUR", rates))
  expect_identical(unique(x$rate_date), "2026-10-01")
  total <- summary(x)
  expect_equal(total$converted, round(total$to_pay * 1.1520, 2))
  expect_equal(sum(x$converted), total$converted)
  expect_refusal(bill(use, demo_site("saltmill"), to = in_currency("USD", rates)), "rates",
                 c("GBP", "USD"))
  expect_refusal(bill(use, demo_site("undertow"), to = in_currency("EUR", rates)), "rates",
                 "shells")
})

test_that("an undated or stale card is used, and says so in the bill", {
  old <- demo_site("quayside")
  old$as_of <- as.Date("2025-01-01")
  expect_match(bill(data.frame(seconds = 5), old)$doubts[1], "of 2025-01-01, [0-9]+ days old")
  expect_output(print(bill(data.frame(seconds = 5), old)), "Doubtful prices: quayside")
  old["as_of"] <- list(NULL)
  expect_match(bill(data.frame(seconds = 5), old)$doubts[1], "no date")
  expect_true(all(is.na(bill(data.frame(seconds = 5), demo_site("quayside"))$doubts)))
})

test_that("bill validates its inputs", {
  site <- demo_site("quayside")
  expect_refusal(bill(data.frame(node = 1), site), "columns", "seconds")
  expect_refusal(bill(data.frame(node = 1, seconds = -5), site), "type", "at least 0")
  expect_refusal(bill(data.frame(node = 1, seconds = 5, price = 3), site), "columns", "price")
  expect_refusal(bill(data.frame(node = 1, seconds = 5), site, tier = "gold"), "choice", "standard")
  expect_refusal(bill(data.frame(node = 1, seconds = 5, activity = "rendering"), site), "choice",
                 "render")
  expect_refusal(bill(data.frame(node = 1, seconds = 5:6, devices = 1:2), site), "type",
                 "two values of `devices`")
  expect_refusal(bill(data.frame(node = 1, seconds = 5), demo_site("loftnights")), "type", "began")
  expect_refusal(bill(data.frame(node = 1, seconds = 5, began = "soon"), demo_site("loftnights")),
                 "type",
                 "2026-11-03 22:00")
  expect_refusal(bill(data.frame(node = 1, seconds = 5), list()), "type", "read_site()")
})

test_that("many usages are priced each by itself, and out of order they are refused", {
  site <- read_site(demo_file("sites/quayside.yaml"))
  use <- data.frame(usage = c(1L, 1L, 3L), node = c("a", "b", "a"), seconds = c(4000, 3700, 3600))
  x <- clockpigeon:::bill_many(use, site)
  expect_identical(x[, "to_pay"], c(559, 0, 260))
  expect_refusal(clockpigeon:::bill_many(use[3:1, ], site), "type", "in order")
})

test_that("what each balance gave is told apart", {
  site <- read_site(demo_file("sites/highgarret.yaml"))
  x <- clockpigeon:::bill_many(data.frame(usage = 1:3, seconds = c(3600, 36000, 360000)), site,
                               on = as.Date("2026-11-01"))
  expect_identical(unname(x[, "credit"]), unname(x[, "balance_1"] + x[, "balance_2"]))
  expect_identical(x[[1, "balance_2"]], 0)
  expect_identical(x[3, c("balance_1", "balance_2")], c(balance_1 = 1000, balance_2 = 4000))
})
