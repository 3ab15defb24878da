# A forecast made of given draws: one column an option.
given_forecast <- function(finish, cost, noise = 1) {
  names <- colnames(finish)
  draws <- do.call(rbind, lapply(names, function(n)
                                 data.frame(option = n, draw = seq_len(nrow(finish)),
                                            finish_s = finish[, n], cost = cost[, n],
                                            frames_done = ifelse(is.finite(finish[, n]), 10, 4),
                                            frames_lost = ifelse(is.finite(finish[, n]), 0, 6))))
  options <- clockpigeon:::as_table(data.frame(option = names, site = names, tier = "t", hire = NA,
                                               nodes = 1, engine = "e", version = "1", limit = "l",
                                               noise = noise, start = "now", begin_s = 0,
                                               spread = "frames", speed = 1, evidence = "measured",
                                               speed_from = "a test"))
  job <- list(currency = "EUR", engine = "e", version = "1", limit = "l",
              evidence = example_timings()[0, ])
  scenario <- structure(list(
    options = options, jobs = list("e|1|l" = job),
    sites = stats::setNames(lapply(names, function(n) list(site = n, kind = "rented")), names),
    left_out = data.frame(site = character(), code = character(), reason = character()),
    currency = "EUR",
    now = as.POSIXct("2026-11-24 12:00", tz = "UTC")
  ), class = "cp_scenario")
  structure(list(scenario = scenario, draws = clockpigeon:::as_table(draws), n = nrow(finish),
                 seed = 1, kept = new.env()), class = "cp_forecast")
}
# A scenario with columns of its options set, those of one test.
with_options <- function(scenario, ..., rows = TRUE) {
  scenario$options <- scenario$options[rows, ]
  set <- list(...)
  for (name in names(set)) scenario$options[[name]] <- set[[name]]
  scenario
}
finish <- cbind(cheap = c(rep(100, 8), 300, 300), middle = rep(150, 10), dear = rep(50, 10))
cost <- cbind(cheap = rep(1, 10), middle = c(rep(2, 9), 9), dear = rep(7, 10))

# A job whose every frame takes exactly `seconds` on node n, and a site with no spread anywhere.
exact_job <- function(seconds, frames = 12L, ...) {
  shot <- structure(utils::modifyList(list(shot = "s", scene = "s", frames = seq_len(frames),
                                           cuts = integer(), size = c(width = 160L, height = 90L),
                                           limit = list(samples = 8L, noise = NULL, time = NULL),
                                           upload = 0,
                                           frame_size = 0, pack = list(median_s = 0, p90_s = 0)),
                                      list(...)),
                    class = "cp_shot")
  job <- render_job(shot, "e", some_timings(rep(seconds, frames), frame = seq_len(frames)),
                    time_zone = "UTC")
  job$run_sd <- 0
  job$curves <- list(frame_curve(seq_len(frames), rep(seconds, frames), seq_len(frames),
                                 run_sd = 0))
  job
}
exact_site <- function(..., wait = "none", start = "none",
                       price = "{per: node-hour, amount: 3.6 EUR, step: 1 s}", meter = "rendering",
                       tier = "", kind = "rented") {
  path <- write_file(scratch(parent.frame()), "x.yaml", "site: x", paste("kind:", kind),
                     "as_of: 2026-10-01", "source: x", "currency: EUR", "engines: e",
                     "nodes_like: n", "link: 1 MB/s",
                     "can: {versions: {e: any}, limits: [samples]}", paste("meter:", meter),
                     paste("price:", price), paste("start:", start), ...,
                     paste0("tiers: [{tier: t, nodes: [1, 5], wait: ", wait, tier, "}]"))
  read_site(path)
}
# The first draws of the option with so many nodes, at a speed that is known exactly.
exact_draws <- function(job, site, nodes = 1L, draws = 10, speed = 2, ...) {
  options <- plan_options(job, site, now = as.POSIXct("2026-11-24 12:00", tz = "UTC"), ...)
  options <- with_options(options, rows = options$options$nodes == nodes)
  forecast_job(with_options(options, log_speed = log(speed), speed_se = 0), draws = draws)$draws
}

# Two sites of one node, slow (speed 1) and quick (3): 60 frames of 10 s, and what is known of their
# speeds.
pair_of_sites <- function(..., se = c(0, 0), prices = c("3.6", "36"), draws = 1000) {
  job <- exact_job(10, frames = 60L)
  site <- function(name, price) {
    path <- attr(exact_site(price = sprintf("{per: node-hour, amount: %s EUR, step: 1 s}", price)),
                 "path")
    text <- sub("site: x", paste("site:", name), readLines(path))
    writeLines(sub("nodes: [1, 5]", "nodes: [1]", text, fixed = TRUE), path)
    read_site(path)
  }
  scenario <- plan_options(job, list(site("slow", prices[1]), site("quick", prices[2])),
                          now = as.POSIXct("2026-11-24 12:00", tz = "UTC"))
  scenario <- with_options(scenario, log_speed = log(c(1, 3)), speed_se = se, speed_df = Inf)
  choose_option(forecast_job(scenario, draws = draws), ...)
}
