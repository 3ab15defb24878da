# Bills: many usages priced by compiled code beside the plain R bill, in turns, and whether both
# agree to the minor unit.
#   Rscript bench/bill.R [agree]      (100000 usages to compare when absent)
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
args <- commandArgs(TRUE)
agree <- if (length(args)) as.integer(args[1]) else 100000L
internal <- asNamespace("clockpigeon")
sites <- read_project(demo_file())$sites
day <- as.Date("2026-11-03")

# Usages of `lines` rows each, of all activities and statuses.
usages <- function(n, lines) {
  rows <- n * lines
  data.frame(
    usage = rep(seq_len(n), each = lines), node = sample.int(6L, rows, TRUE),
    activity = sample(c("render", "render", "load", "prepass", "start", "download", "storage"),
                      rows, TRUE),
    status = sample(c("ok", "ok", "ok", "failed", "incomplete"), rows, TRUE),
    seconds = round(rexp(rows, 1 / 4000), 3),
    frames = rpois(rows, 30), megapixels = 2.0736, gb = round(rexp(rows, 0.5), 3),
    days = sample.int(20L, rows, TRUE), stringsAsFactors = FALSE
  )
}
# The plain bill's totals, without making tables of them.
plain <- function(x, site) {
  tariff <- internal$tariff_of(site, on = day)
  statuses <- internal$billed_statuses(site)
  none <- list(counted = 0, minor = 0)
  vapply(split(x, x$usage), function(one) {
    lines <- internal$bill_lines(internal$whole_usage(one, tariff$defaults, tariff$zone), tariff,
                                 statuses, none)
    internal$minor_sum(lines)
  }, 0)
}

set.seed(3)
cards <- sites[setdiff(names(sites), "loftnights")]  # its hours of the day need R in both
off <- sum(vapply(seq_along(cards), function(k) {
  n <- agree %/% length(cards) + (k <= agree %% length(cards))
  x <- usages(n, 4)
  fast <- internal$bill_many(x, cards[[k]], on = day)[, "to_pay"]
  cores <- parallel::detectCores()
  parts <- parallel::mclapply(seq_len(cores), function(p) {
    mine <- x[x$usage %% cores == p - 1, ]
    plain(mine, cards[[k]])
  }, mc.cores = cores)
  slow <- unlist(parts)
  sum(fast[as.integer(names(slow))] != slow)
}, 0))
say("usages_compared", agree, "")
say("usages_that_differ_in_the_minor_unit", off, "(0 asked)")

# 1,000,000 usages of 20 lines, in parts that fit the memory; the plain bill on a sample of them, in
# turns.
site <- sites$tollhouse
turns <- t(vapply(1:5, function(turn) {
  x <- usages(200000L, 20L)
  fast <- system.time(internal$bill_many(x, site, on = day))[["elapsed"]] / 200000
  some <- x[x$usage <= 500, ]
  slow <- system.time(plain(some, site))[["elapsed"]] / 500
  c(fast = fast, slow = slow)
}, numeric(2)))
say("seconds_for_1000000_usages_of_20_lines", sum(turns[, "fast"]) * 200000, "s")
say("usages_a_second", 1 / median(turns[, "fast"]), "1/s")
say("plain_R_over_compiled", median(turns[, "slow"] / turns[, "fast"]), "ratio (50 asked)")
