test_that("every unit of sale counts something that bills and compiled code know", {
  for (name in names(sale_units)) {
    unit <- sale_units[[name]]
    expect_true(unit$once %in% c("", "job", "node"), info = name)
    site <- exact_site(price = paste0("{per: ", name, ", amount: 2 EUR}"), "devices: 2", "cores: 8",
                       "score: 1.5", "power: 400 W")
    usage <- data.frame(node = 1, activity = "render", seconds = 7200, frames = 4, megapixels = 2,
                        gb = 0, days = 1)
    of <- c("node-hour" = 4, "device-hour" = 8, "core-hour" = 32, "work-hour" = 6, kWh = 1.6,
            frame = 8, "megapixel-frame" = 16, GB = 0, "GB-day" = 0, node = 2, job = 2)
    expect_equal(sum(bill(usage, site)$amount), of[[name]], info = name)
    tariff <- tariff_of(site)
    run <- simulate_job(rep(1800, 4), job_way(), draws = 1,
                        meter = check_metering(site, megapixels = 2))$draws
    expect_equal(run$to_pay, of[[name]], info = name)
  }
})

test_that("what a unit counts is what its activities are, or the meter's", {
  expect_identical(usual_activities("GB", "rendering"), c("upload", "download"))
  expect_false("idle" %in% usual_activities("node-hour", "rendering"))
  expect_true("idle" %in% usual_activities("node-hour", "boot to release"))
})
