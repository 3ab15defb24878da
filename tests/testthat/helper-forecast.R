# A forecast made of given draws: one column an option.
given_forecast <- function(finish, cost) {
  names <- colnames(finish)
  draws <- do.call(rbind, lapply(names, function(n) data.frame(option = n, draw = seq_len(nrow(finish)),
                                                               finish_s = finish[, n], cost = cost[, n])))
  options <- clockpigeon:::as_table(data.frame(option = names, site = names, tier = "t", nodes = 1, speed = 1,
                                               evidence = "measured", speed_from = "a test"))
  job <- list(currency = "EUR", evidence = example_timings()[0, ])
  structure(list(job = job, options = options, draws = clockpigeon:::as_table(draws),
                 left_out = data.frame(site = character(), reason = character()), n = nrow(finish), seed = 1),
            class = "forecast")
}
finish <- cbind(cheap = c(rep(100, 8), 300, 300), middle = rep(150, 10), dear = rep(50, 10))
cost <- cbind(cheap = rep(1, 10), middle = c(rep(2, 9), 9), dear = rep(7, 10))
