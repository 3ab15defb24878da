price <- function(...) utils::modifyList(list(per = "node-hour", amount = 2.60, step_s = 60, rounding = "up",
                                              rounded = "node", fixed = 0, minimum = 0, currency = "EUR"), list(...))

test_that("the meter rounds each node, or the job as a whole", {
  use <- matrix(c(61, 119, 60), 1)
  expect_equal(clockpigeon:::metered(use, price()), 120 + 120 + 60)
  expect_equal(clockpigeon:::metered(use, price(rounded = "job")), 240)
  expect_equal(clockpigeon:::metered(use, price(rounding = "nearest")), 60 + 120 + 60)
  expect_equal(clockpigeon:::metered(matrix(0.1 * 3), price(step_s = 0.1)), 0.3)
})

test_that("hand-worked bills are exact", {
  # 2 nodes x 2 started hours x 2.60 = 10.40
  expect_equal(clockpigeon:::cost_minor(matrix(c(4000, 3700), 1), price(step_s = 3600)), 1040)
  # 5 device-hours x 1.15, fee 0.40
  expect_equal(clockpigeon:::cost_minor(matrix(9000), price(per = "device-hour", amount = 1.15, fixed = 0.40),
                                        devices = 2), 575 + 40)
  # 3 h at 420 W = 1.26 kWh x 0.31 = 0.3906
  expect_equal(clockpigeon:::cost_minor(matrix(10800), price(per = "kWh", amount = 0.31, step_s = 1), watts = 420), 39)
  expect_equal(clockpigeon:::cost_minor(matrix(1), price(minimum = 0.80)), 80)
})

test_that("the bill's lines sum to what the forecast is charged, over random usages", {
  site <- read_site(demo_file("sites/saltmill.yaml"))
  clockpigeon:::with_seed(6, for (case in 1:60) {
    use <- round(rlnorm(sample(1:5, 1), 5, 2), 1)
    lines <- bill(data.frame(node = seq_along(use), seconds = use, devices = 2), site, tier = "brisk")
    minor <- clockpigeon:::cost_minor(matrix(use, 1), clockpigeon:::tier_price(site, "brisk"), devices = 2)
    expect_equal(sum(lines$amount), minor / 100)
    expect_gte(sum(lines$amount), site$price$minimum)
    expect_identical(unique(lines$currency), "GBP")
  })
})

test_that("bill validates its inputs", {
  site <- read_site(demo_file("sites/quayside.yaml"))
  expect_refusal(bill(data.frame(node = 1), site), "columns", "seconds")
  expect_refusal(bill(data.frame(node = 1, seconds = -5), site), "type", "at least 0")
  expect_refusal(bill(data.frame(node = 1, seconds = 5), site, tier = "gold"), "choice", "standard")
  expect_refusal(bill(data.frame(node = 1, seconds = 5), list()), "type", "read_site()")
})
