codes_at <- function(x, level = NULL) {
  x$alarms$code[is.null(level) | x$alarms$level %in% level]
}
event <- function(s, what, frame = NA, node = "n", seconds = NA) {
  data.frame(time = format(placed_at + s, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), what = what,
             shot = "s", frame = as.integer(frame), node = node, detail = NA, seconds = seconds)
}

test_that("a job that goes as it should has no alarm, and a finished one none at all", {
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  expect_identical(nrow(x$plan$parts), 1L)
  site <- x$plan$parts$site
  each <- c(slow = 10, quick = 10 / 3)[[site]]
  at <- stats::setNames(list(some_frames(scratch(), 1:30, each * (1:30))), site)
  quiet <- watched(x, at, each * 30.5)
  expect_identical(codes_at(quiet), character())
  all <- stats::setNames(list(some_frames(scratch(), 1:60, each * (1:60))), site)
  expect_identical(nrow(watched(x, all, 5000)$alarms), 0L)
})

test_that("nothing that comes, a node that is gone, a frame that is stuck, runs that fail: each is told", {
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  site <- x$plan$parts$site
  each <- c(slow = 10, quick = 10 / 3)[[site]]
  none <- stats::setNames(list(scratch()), site)
  silent <- watched(x, none, 10 * each)
  expect_true("silent" %in% codes_at(silent, "now"))
  expect_match(silent$alarms$says[silent$alarms$code == "silent"], "no frame from .* yet")
  events <- rbind(event(1, "node up"), event(2, "rendering", 1),
                  event(2 + each, "arrived", 1, seconds = each), event(3 + each, "rendering", 2))
  stuck <- watched(x, none, 20 * each, events = events)
  expect_true(all(c("stuck", "silent") %in% codes_at(stuck, "now")))
  expect_match(stuck$alarms$says[stuck$alarms$code == "stuck"], "s 2 is rendered on n for")
  gone <- watched(x, none, 2 * each, events = rbind(events, event(1.5 * each, "node gone")))
  expect_match(gone$alarms$says[gone$alarms$code == "gone"], "node n gone since")
  failed <- do.call(rbind, lapply(1:8, function(k)
                                  rbind(event(k, "rendering", 3), event(k + 0.5, "failed", 3))))
  failing <- watched(x, none, 2 * each, events = failed)
  expect_match(failing$alarms$says[failing$alarms$code == "failing"],
               "8 of 8 runs failed, the most of s 3 \\(8\\)")
  one <- watched(x, none, each, events = failed[1:2, ])
  expect_false("failing" %in% codes_at(one))
})

test_that("a deadline that is lost names who still keeps it, and until when", {
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  expect_identical(x$plan$parts$site, "slow")
  # Half of it took as long as all of it should.
  late <- watched(x, list(slow = some_frames(scratch(), 1:30, 18 * (1:30))), 541)
  row <- late$alarms[late$alarms$code == "late", ]
  expect_identical(row$level, "now")
  expect_match(row$action, "Send the rest to quick .* in all on average")
  # 30 frames of 10/3 s take 100 s: 600 s is the last moment, less its spread.
  expect_equal(row$until_s, 600, tolerance = 0.03)
  expect_lt(row$until_s, 601)
  ways <- clockpigeon:::rest_alternatives(late)
  expect_identical(unique(ways$site), "quick")
  expect_equal(min(ways$finish_p50), 541 + 100, tolerance = 0.03)
  # Too late for anybody.
  over <- watched(x, list(slow = some_frames(scratch(), 1:30, 22 * (1:30))), 661)
  expect_match(over$alarms$action[over$alarms$code == "late"],
               "No option keeps it now; the rest at quick|No other option")
  passed <- watched(x, list(slow = some_frames(scratch(), 1:30, 24 * (1:30))), 721)
  expect_match(passed$alarms$says[passed$alarms$code == "late"], "the deadline has passed")
})

test_that("a budget that will be passed is told with the hour at which it is", {
  x <- pair_of_sites("260 s", se = c(0, 0.3), draws = 300)
  site <- x$plan$parts$site
  x$budget <- 0.5 * x$plan$mean
  at <- stats::setNames(lapply(seq_along(site),
                               function(k) some_frames(tempfile(), 1:3, 5 * (1:3))), site)
  poor <- watched(x, at, 16)
  row <- poor$alarms[poor$alarms$code == "money", ]
  expect_identical(row$level, "now")
  expect_match(
    row$says, "the forecast is .*, the budget .* \\(within budget: .*\\); half of the simulations exceed it by")
  expect_true(row$until_s > 16)
})

test_that("a site that slows down in mid-job is told, and the look ahead takes it as lasting", {
  x <- pair_of_sites("900 s", se = c(0.05, 0.05), draws = 300)
  steps <- c(rep(10, 30), rep(17, 18))
  slow <- watched(x, list(slow = some_frames(scratch(), 1:48, cumsum(steps))), sum(steps) + 1)
  row <- slow$alarms[slow$alarms$code == "slower", ]
  expect_identical(row$level, "soon")
  expect_match(row$says, "slow has taken 1\\.[67][0-9] times as long for a frame since 12:0[45]")
  expect_equal(stats::median(slow$draws$finish_s), sum(steps) + 12 * 17, tolerance = 0.03)
})

test_that("ways stand beside each other: going on, elsewhere, stopping", {
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  late <- watched(x, list(slow = some_frames(scratch(), 1:30, 18 * (1:30))), 541)
  ways <- clockpigeon:::job_alternatives(late)
  expect_identical(ways$option[c(1, nrow(ways))], c("go on", "stop"))
  expect_equal(ways$cost_mean[1], late$mean)
  expect_identical(ways$frames, c(rep(60L, nrow(ways) - 1), 30L))
  # Half of the work is done: half of what it costs is spent.
  expect_equal(ways$cost_mean[nrow(ways)], late$mean / 2, tolerance = 0.05)
  lines <- clockpigeon:::alternatives_lines(late, width = 80)
  expect_lte(max(nchar(lines)), 80)
  expect_match(lines, "rest to quick", all = FALSE)
  expect_match(lines, "^stop .*30 frames", all = FALSE)
  done <- watched(x, list(slow = some_frames(scratch(), 1:60, 10 * (1:60))), 700)
  expect_identical(clockpigeon:::job_alternatives(done)$option, c("go on", "stop"))
})

test_that("a site that is dearer than its card, has fewer nodes or another version is told of", {
  x <- at_farm(faults = "prices=2,version=1.0", frames = "1-200")
  x$send()
  x$pass(200)
  x$fetch()
  alarms <- as.data.frame(x$watch()$alarms)
  expect_true(all(c("dearer", "version") %in% alarms$code))
  expect_match(alarms$says[alarms$code == "version"], "renders with pebble 1.0, required: 1.1")
  expect_identical(alarms$level[alarms$code == "version"], "now")
  calm <- at_farm(frames = "1-200")
  calm$send()
  calm$pass(200)
  calm$fetch()
  expect_length(intersect(c("dearer", "version", "fewer", "halted", "unreached", "spoilt"),
                          calm$watch()$alarms$code), 0)
  few <- at_farm(frames = "1-200")
  place <- few$place()
  part <- as.list(as.data.frame(place$parts)[1, ])
  part$nodes <- 4
  clockpigeon:::place_remote(place, part, place$split$runs[[1]], few$ledger,
                             clockpigeon:::placed_folder(place), FALSE, few$service)
  few$pass(400)
  few$fetch(0)
  alarms <- as.data.frame(few$watch()$alarms)
  expect_match(alarms$says[alarms$code == "fewer"], "^4 of 10 nodes work at saltmill")
})

test_that("where the money is gone it is said so, and what would keep the deadline above it", {
  x <- at_farm(frames = "1-200", faults = "prices=12")
  x$send()
  x$farm$jobs[[1]]$cap <- 1e6
  x$pass(120)
  x$fetch(0)
  now <- x$watch()
  expect_gt(clockpigeon:::spent_so_far(now), now$state$asked$budget)
  alarms <- as.data.frame(now$alarms)
  expect_match(alarms$says[alarms$code == "money"],
               "over budget: [0-9.]+ EUR spent of 20.00 EUR")
  expect_identical(alarms$action[alarms$code == "money"], "Stop, or raise the budget: running frames cost more.")
  now$p_deadline <- 0.2
  late <- clockpigeon:::late_alarm(now)
  expect_match(late$action, "^Only above the budget: send the rest to")
})

test_that("a job slower than forecast from its first frame on, and single heavy frames, are told with how much", {
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  slow <- watched(x, list(slow = some_frames(scratch(), 1:20, 17 * (1:20))), 341)
  row <- slow$alarms[slow$alarms$code == "unlike", ]
  expect_identical(row$level, "soon")
  expect_match(
    row$says, "slow takes 1.70 times as long per frame as forecast, more than in 99.5 % of cases")
  none <- list(slow = scratch())
  events <- rbind(event(1, "rendering", 1), event(12, "arrived", 1, seconds = 11),
                  event(12, "rendering", 2), event(92, "arrived", 2, seconds = 80))
  heavy <- watched(x, none, 93, events = events)
  row <- heavy$alarms[heavy$alarms$code == "heavy", ]
  expect_identical(row$level, "note")
  expect_match(
    row$says, "1 of 2 frames took longer than in any case of the forecast: s 2 1m20s, at most")
  expect_false("heavy" %in% codes_at(watched(x, none, 13, events = events[1:2, ])))
})
