labels <- c(job = "j", site = "s", tier = "t")

test_that("a job cut at any moment and continued ends as the uncut one", {
  set.seed(11)
  seeds <- clockpigeon:::stream_seeds(9, labels)
  cards <- list(NULL, flat_card("{per: node-hour, amount: 36 EUR, step: 30 s, rounding: up, rounded: run}"),
                flat_card("{per: node-hour, amount: 36 EUR, step: 1 s}",
                          paste0("charges: [{charge: day, per: node-hour, amount: 20 EUR, ",
                                 "hours: [{from: '08:00', to: '08:03'}]}, {charge: f, per: frame, amount: 0.1 EUR}]"),
                          meter = "boot to release"))
  now <- as.POSIXct("2026-11-03 07:59:00", tz = "UTC")
  for (i in 1:150) {
    way <- random_way()
    card <- cards[[i %% 3 + 1]]
    if (length(card) && stats::runif(1) < 0.4) way[c("cap", "cap_lag")] <- list(stats::runif(1, 0.5, 6), 20)
    seconds <- matrix(stats::rlnorm(sample(1:12, 1), 3, 0.5), 1)
    go <- function(state) {
      simulate_job(seconds, way, seed = 9, drawing = list(labels = labels), state = state, keep = TRUE,
                   meter = if (length(card)) list(rate_card = card, now = now))
    }
    whole <- go(NULL)
    d <- twin_draw(seconds[1, ], way, seeds, 1)
    ends <- max(d$spans$to, d$t$hired)
    for (at in floor(stats::runif(4, 0, 1.02 * ends))) {
      expect_equal(go(twin_state(d, way, at))[c("draws", "home", "lines")], whole[c("draws", "home", "lines")],
                   tolerance = 1e-12, label = paste("case", i, "cut at", at))
    }
  }
})
