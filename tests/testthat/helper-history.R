# A history: 3 scenes of 24 frames under two versions, run unequally often, in an order by chance;
# one scene has one frame.
long_history <- function(ledger, seed = 1) {
  set.seed(seed)
  of <- rbind(expand.grid(scene = c("gears", "basin", "hall"), frame = 11:34,
                          engine_version = c("4.1", "4.2")),
              data.frame(scene = "stage", frame = 5, engine_version = c("4.1", "4.2")))
  at <- sample(rep(seq_len(nrow(of)), stats::rpois(nrow(of), 9) + 1))
  rows <- data.frame(of[at, ], activity = "render", shot = "s", engine = "sundew",
                     limit_kind = "samples", limit_value = 64, node = "loft-1", status = "ok",
                     kind = "measured", warm = TRUE,
                     measured_at = utc_now(as.POSIXct("2026-01-01", tz = "UTC") +
                                           3600 * seq_along(at)),
                     wall_s = ifelse(of$engine_version[at] == "4.1", 12, 10) *
                     exp(stats::rnorm(length(at), 0, 0.02)))
  rows[] <- lapply(rows, function(x) if (is.factor(x)) as.character(x) else x)
  add_timings(ledger, rows)
  invisible(rows)
}
set_index <- function(ledger) {
  if (!on_server(ledger$con))
    DBI::dbExecute(ledger$con, "CREATE INDEX runs_of_setting ON runs (setting)")
}
# Another value of one of the package's constants, for one test.
swap <- function(name, value, env = parent.frame()) {
  old <- get(name, asNamespace("clockpigeon"))
  withr::defer(utils::assignInNamespace(name, old, "clockpigeon"), envir = env)
  utils::assignInNamespace(name, value, "clockpigeon")
}
# The newest so many of each setting, by hand.
newest_by_hand <- function(rows, each) {
  ago <- stats::ave(seq_len(nrow(rows)), rows$scene, rows$frame, rows$engine_version,
                    FUN = function(k) rev(seq_along(k)))
  rows[ago <= each, ]
}
