test_that("what a site tells of its runs is what it counts itself", {
  x <- rendered_job("fail=0.2,lose=2@3min,freeze=3@2min:8min", frames = "1-60")
  card <- x$project$sites$saltmill
  meter <- clockpigeon:::site_meter(x$project, x$ledger, "review-1", "saltmill",
                                    x$project$shots["gears-review"])
  own <- do.call(rbind, lapply(x$farm$jobs[[1]]$usage, as.data.frame))
  sums <- function(u) sapply(split(u$seconds, paste(u$activity, u$status)), sum)
  expect_equal(sums(meter$usage[meter$usage$activity != "idle", ]),
               sums(own[own$activity != "idle", ]), tolerance = 1e-4)
  expect_true(meter$whole)
  expect_identical(unname(meter$runs[["failed"]]), sum(own$status != "ok"))
  expect_true(all(meter$windows$to > meter$windows$from))
  expect_identical(sort(meter$windows$node), sort(unique(own$node)))
})

test_that("two nodes that had one frame are two runs, and what was refused is unusable", {
  at <- function(what, time, node, seconds = NA) {
    data.frame(what = what, time = time, node = node, shot = "s", frame = 1L, seconds = seconds,
               source = "site", sequence = time)
  }
  told <- rbind(at("rendering", 0, "a"), at("rendering", 50, "b"), at("ready", 110, "b", 60),
                at("lost", 300, "a"))
  runs <- clockpigeon:::meter_runs(told)
  expect_identical(runs[order(runs$node), c("node", "status", "seconds", "began")],
                   data.frame(node = c("a", "b"), status = c("incomplete", "ok"),
                              seconds = c(300, 60), began = c(0, 50)))
  refused <- rbind(told, transform(at("failed", 400, NA), source = "verify"))
  expect_identical(clockpigeon:::refused_runs(runs, refused),
                   c(FALSE, TRUE)[match(runs$node, c("a", "b"))])
  # What a report says is ready, with its time, needs no beginning.
  expect_identical(clockpigeon:::meter_runs(at("ready", 100, NA, 40))$began, 60)
  expect_identical(nrow(clockpigeon:::meter_runs(told[0, ])), 0L)
})

test_that("a card whose runs are a node's stretch from boot to release gets one row a node", {
  card <- read_site(demo_file("sites/tollhouse.yaml"))
  usage <- data.frame(node = c("a", "a", "b", "a"),
                      activity = c("start", "render", "render", "download"), status = "ok",
                      seconds = c(200, 1800, 4000, 9), frames = c(0L, 1L, 1L, 0L), megapixels = 2,
                      began = "2026-11-26 22:00")
  rows <- clockpigeon:::node_stretches(usage, card)
  expect_identical(rows[c("node", "activity", "seconds", "frames")],
                   data.frame(node = c("a", "b"), activity = "render", seconds = c(2009, 4000),
                              frames = 1L))
  # Hours begun: 1 and 2, at 1.80 EUR.
  expect_equal(as.data.frame(bill(rows, card))$amount[1], 5.4)
  salt <- read_site(demo_file("sites/saltmill.yaml"))
  expect_identical(clockpigeon:::node_stretches(usage, salt), usage)
})

test_that("an own pool's part is priced by its card once it has ended, as bill() prices what it took", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-6")
  place <- plan_place(x$project, x$ledger, "review-1")
  place_job(place, x$ledger, progress = FALSE)
  lines <- clockpigeon:::job_charges(x$ledger, "review-1")
  rows <- as.data.frame(timings(x$ledger, job = "review-1"))
  expect_identical(nrow(rows), 6L)
  # 420 W for so long, 0.31 EUR a kWh, by the second.
  kwh <- ceiling(sum(rows$wall_s)) * 420 / 3.6e6
  expect_equal(lines$quantity[1], kwh, tolerance = 0.25)
  expect_equal(sum(lines$amount), round(0.31 * lines$quantity[1], 2))
  expect_identical(unique(lines[c("site", "currency", "basis", "source")]),
                   data.frame(site = "attic", currency = "EUR", basis = "priced",
                              source = "own pool"))
  # Placed again, with nothing left to do, nothing is charged twice.
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  expect_identical(clockpigeon:::job_charges(x$ledger, "review-1"), lines)
})

test_that("what a node waits between its frames is its own time, that of other nodes is not", {
  usage <- data.frame(node = c("a", "a", "b"), began = "2026-11-27 10:00")
  runs <- data.frame(node = c("a", "a", "b"), began = c(0, 20, 0), seconds = c(10, 5, 7))
  idle <- clockpigeon:::between_runs(usage, runs)
  expect_identical(idle$node, "a")
  expect_equal(idle$seconds, 10)
  expect_identical(unname(unlist(idle[c("activity", "status", "frames")])), c("idle", "ok", "0"))
})
