# What watch_frames() gives of a job, as far as these alarms look at it.
strained <- function(took = NULL, frames = NULL, evidence = NULL, nodes = NULL) {
  if (is.null(frames))
    frames <- data.frame(state = character(), seconds = numeric(), node = character(),
                         begun = numeric(), since = numeric())
  list(took = took, frames = frames, nodes = or_none(nodes), at_sites = data.frame(site = "far"),
       state = list(job = list(evidence = evidence)))
}
or_none <- function(nodes) if (is.null(nodes)) data.frame(node = character()) else nodes
some_took <- function(n = 8, cpu = 0.95, node = "loft-1", peak = 1000, memory = 16000) {
  data.frame(node = node, status = "ok", wall_s = 10, cpu_s = rep_len(cpu * 10 * 4, n),
             threads = 4L, peak_mem_mb = peak, memory_mb = memory,
             measured_at = sprintf("2026-11-27T10:00:%02dZ", seq_len(n)))
}
alarms <- function(...) as.data.frame(clockpigeon:::strain_alarms(strained(...)))

test_that("memory that is full is told with how much, and by node", {
  took <- rbind(some_took(3), some_took(2, node = "loft-2", peak = 15000))
  found <- alarms(took)
  expect_identical(found$code, "memory")
  expect_match(
    found$says, "2 of 2 frames of the node loft-2 held over 90 % of its 16 GB of memory \\(15 GB\\)")
  expect_identical(nrow(alarms(some_took(3, peak = NA))), 0L)
  expect_identical(nrow(alarms(some_took(3, memory = NA))), 0L)
})

test_that("processors that wait are told where frames use far less of them than when they were measured", {
  measured <- some_took(5, cpu = c(0.9, 0.95, 0.92, 0.97, 0.93))
  waits <- alarms(some_took(cpu = 0.3), evidence = measured)
  expect_identical(waits$code, "idle")
  expect_match(
    waits$says, "the last 8 frames of the node loft-1 used 30 % of the cores they were given, 93 % when they were measured")
  expect_identical(nrow(alarms(some_took(cpu = 0.8), evidence = measured)), 0L)
  # Frames that end in a processor's wait too when they are measured, as those of a device do.
  expect_identical(nrow(alarms(some_took(cpu = 0.3), evidence = some_took(5, cpu = 0.32))), 0L)
  # Few frames, or one that did not wait, are nothing yet.
  expect_identical(nrow(alarms(some_took(4, cpu = 0.3), evidence = measured)), 0L)
  expect_identical(nrow(alarms(some_took(cpu = c(rep(0.3, 7), 0.94)), evidence = measured)), 0L)
  expect_identical(nrow(alarms(some_took(cpu = 0.3), evidence = measured[1:2, ])), 0L)
})

test_that("a link that takes longer than half the frame is told, of own nodes alone", {
  frames <- function(way, node = "loft-1", n = 6) data.frame(
    state = "arrived", seconds = 20, node = node, begun = 30 * seq_len(n),
    since = 30 * seq_len(n) + 20 + way)
  found <- alarms(frames = frames(15))
  expect_identical(found$code, "link")
  expect_match(
    found$says, "pictures of the node loft-1 take 15.0s until they are here, and 20.0s to render")
  expect_identical(nrow(alarms(frames = frames(8))), 0L)
  expect_identical(nrow(alarms(frames = frames(15, n = 3))), 0L)
  expect_identical(nrow(alarms(frames = frames(15, "far/1"), nodes = data.frame(node = "far/1"))),
                   0L)
})

test_that("a balance that the rest uses up is told with when it is gone", {
  site <- list(site = "far", currency = "EUR", balances = list(list(kind = "prepaid", amount = 30)))
  x <- list(passed_s = 600, parts = data.frame(site = "far", cost_mean = 50, finish_p50 = 1800),
            state = list(scenario = list(sites = list(far = site), currency = "EUR",
                                         now = placed_at, time_zone = "UTC"),
                         job = list(currency = "EUR", rates = NULL)))
  alarm <- function(charged)
    clockpigeon:::balance_alarm(x, list(site = "far", charged = charged), 1)
  low <- alarm(20)
  expect_identical(low[c("code", "level")], data.frame(code = "balance", level = "soon"))
  expect_match(
    low$says, "worth 30.00 EUR, 20.00 EUR are charged, and its part comes to 50.00 EUR on average")
  # Spending goes on as it does: 10 of the 30 that are left are a third of the way.
  expect_equal(low$until_s, 600 + 1200 / 3)
  expect_identical(alarm(35)$level, "now")
  expect_null(alarm(NA_real_))
  expect_null(alarm(1))
  # The site charges what a gift pays too.
  x$going <- list(draws = list(data.frame(gifts = c(10, 20))))
  expect_match(alarm(20)$says, "its part comes to 65.00 EUR")
  x$going <- NULL
  x$parts$cost_mean <- 25
  expect_null(alarm(20))
  x$parts$cost_mean <- 50
  x$state$scenario$sites$far$balances[[1]]$kind <- "gift"
  expect_null(alarm(35))
})
