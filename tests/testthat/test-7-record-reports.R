# A job placed by hand at quayside, whose card names what it leaves behind.
by_hand <- function(reports, env = parent.frame(), frames = "1-12", ...) {
  x <- decided(env, frames, ..., only = "quayside,nodes=2", deadline = "3h", budget = "20 EUR")
  card <- file.path(x$folder, "sites/quayside.yaml")
  cat(reports, sep = "\n", file = card, append = TRUE)
  x$project <- read_project(x$folder)
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, "changed", progress = FALSE)
  x$at <- function(name) file.path(x$folder, "placed/review-1", name)
  x
}
table_report <- c(
  "reports:", "  - file: frames*.csv",
  "    map: {frame: Nr, wall_s: Took, finished: End, charge: Cost, node: Machine, state: How}",
  "    states: {ready: [Finished], failed: [Broken]}"
)
said_at <- function(s) format(Sys.time() + s, "%Y-%m-%d %H:%M:%S", tz = "UTC")

test_that("an export of frame times is taken in: frames ready there, failed, charged, and what they took as evidence", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- by_hand(table_report)
  expect_match(readLines(x$at("sheet-quayside.md")), "Put its reports.*`frames\\*.csv`",
               all = FALSE)
  expect_identical(jsonlite::fromJSON(x$at("sheet-quayside.json"))$reports, "frames*.csv")
  # Nothing is there yet.
  row <- as.list(as.data.frame(fetch_job(x$project, x$ledger, "review-1")))
  expect_identical(row[c("site", "state", "ready", "here")],
                   list(site = "quayside", state = "running", ready = 0L, here = 0L))
  write <- function(...) writeLines(c("Nr;Took;End;Cost;Machine;How", ...), x$at("frames-1.csv"))
  write(paste0("1;2,5;", said_at(1), ";0,10;a;Finished"),
        paste0("2;00:00:03;", said_at(1), ";0,11;b;finished"),
        paste0("3;1;", said_at(1), ";0,05;b;Broken"), "4;;;;a;Queued")
  rows <- fetch_job(x$project, x$ledger, "review-1")
  expect_identical(rows$ready, 2L)
  expect_equal(rows$spent, 0.26)
  events <- as.data.frame(job_events(x$ledger, "review-1"))
  expect_identical(sort(events$frame[events$what == "ready"]), 1:2)
  expect_identical(events$frame[events$what == "failed"], 3L)
  expect_setequal(unique(events$node[events$what == "rendering"]), c("quayside/a", "quayside/b"))
  found <- as.data.frame(timings(x$ledger, job = "review-1"))
  expect_equal(found$wall_s[order(found$frame)], c(2.5, 3))
  expect_identical(unique(found[c("site", "kind", "shot", "engine_version")]),
                   data.frame(site = "quayside", kind = "reported", shot = "gears-review",
                              engine_version = "1.1"))
  # Ready there is done, as at a site that is asked; what was charged is what is spent.
  now <- watch_job(x$project, x$ledger, "review-1", now = Sys.time() + 5)
  expect_identical(sum(is.finite(now$came)), 2L)
  expect_false(any(now$here))
  expect_equal(clockpigeon:::spent_so_far(now), 0.26)
  expect_identical(now$nodes$frames[order(now$nodes$node)], c(1L, 1L))
  # Hours after the last export nothing is known to be silent; by a new one without more frames it
  # is.
  late <- Sys.time() + 2 * 3600
  quiet <- watch_job(x$project, x$ledger, "review-1", now = late)
  expect_false("silent" %in% quiet$alarms$code)
  expect_gte(min(quiet$draws$finish_s), quiet$passed_s)
  Sys.setFileTime(x$at("frames-1.csv"), late - 1)
  fetch_job(x$project, x$ledger, "review-1")
  expect_true("silent" %in% watch_job(x$project, x$ledger, "review-1", now = late)$alarms$code)
  # Read again, and grown: only what is new is added, and of a charge that went up the difference.
  count <- function() nrow(job_events(x$ledger, "review-1"))
  before <- count()
  fetch_job(x$project, x$ledger, "review-1")
  expect_identical(count(), before)
  write(paste0("1;2,5;", said_at(0), ";0,15;a;Finished"),
        paste0("5;2;", said_at(0), ";0,10;a;Finished"))
  rows <- fetch_job(x$project, x$ledger, "review-1")
  expect_identical(rows$ready, 3L)
  expect_equal(rows$spent, 0.26 + 0.05 + 0.10)
  expect_identical(nrow(timings(x$ledger, job = "review-1")), 3L)
  # Pictures that come afterwards are here.
  dir.create(x$at("frames/home"), FALSE, TRUE)
  for (k in c(1, 5))
    file.copy(one_pixel(scratch()), x$at(sprintf("frames/home/gears-review.%04d.png", k)))
  expect_identical(fetch_job(x$project, x$ledger, "review-1")$here, 2L)
})

test_that("a report in JSON with moments of any zone, several shots told by what names them, and lines of no frame", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  card <- list(site = "far", currency = "EUR", time_zone = "Europe/Lisbon")
  decision <- list(asked = list(shots = list(list(shot = "gears"), list(shot = "gears-review"))),
                   evidence = list(engine = "pebble"))
  path <- file.path(scratch(), "all.json")
  read <- function(rows, map, ...) {
    writeLines(jsonlite::toJSON(rows, auto_unbox = TRUE), path)
    clockpigeon:::read_report(path, list(file = "all.json", map = map, ...), NULL, card, decision)
  }
  x <- read(data.frame(job = c("night_gears-review_v3", "night_gears_v3", "other", NA),
                       n = c(1:3, NA),
                       end = c("2026-07-01T12:00:00Z", "2026-07-01 13:00",
                               "2026-07-01T14:00:00+02:00", "1782907200"),
                       secs = c(5, 6, 7, NA), cost = c(NA, NA, NA, 2.5)),
            c(shot = "job", frame = "n", finished = "end", wall_s = "secs * 2", charge = "cost"))
  expect_identical(x$shot, c("gears-review", "gears", NA, NA))
  expect_identical(x$state, c("ready", "ready", "ready", "ready"))
  expect_equal(x$finished, rep(as.numeric(as.POSIXct("2026-07-01 12:00", tz = "UTC")), 4))
  expect_equal(x$wall_s, c(10, 12, 14, NA))
  expect_equal(x$begun[1], x$finished[1] - 10)
  # A line of no frame counts once, and twice where it stands twice.
  ledger <- ledger_of_job()
  charge <- function(x) clockpigeon:::add_events(ledger, "night", clockpigeon:::report_charges(
    x[!is.na(x$charge), ], ledger, "night", card, list(currency = "EUR", rates = NULL)))
  fees <- data.frame(what = c("fee", "fee", "disk"), cost = c(1, 1, 2))
  expect_equal(charge(read(fees, c(charge = "cost"))), 3)
  expect_equal(charge(read(rbind(fees, data.frame(what = "fee", cost = 1)), c(charge = "cost"))), 1)
  events <- job_events(ledger, "night")
  expect_equal(sum(events$amount[events$what == "charged"]), 5)
})

test_that("a log is followed by the engine's profile", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- by_hand(c("reports:", "  - {file: farm.log, as: log}"))
  lines <- unlist(lapply(1:3, function(k) processx::run(
    clockpigeon:::engine_program(x$project$engines$pebble),
    c("--scene", "gears", "--frame", k, "--size", "16x9", "--samples", "1", "--out",
      file.path(scratch(), "a.png")))$stdout))
  writeLines(unlist(strsplit(lines, "\n")), x$at("farm.log"))
  rows <- fetch_job(x$project, x$ledger, "review-1")
  expect_identical(rows$ready, 3L)
  expect_true(is.na(rows$spent))
  expect_true(all(timings(x$ledger, job = "review-1")$wall_s >= 0))
})

test_that("a report that cannot be read is told once and loses nothing; a card with a wrong mapping is refused", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- by_hand(table_report)
  writeLines(c("Nr;Took;End;Cost;Machine;How", "1;soon;;;a;Finished"), x$at("frames-1.csv"))
  row <- fetch_job(x$project, x$ledger, "review-1")
  expect_match(row$trouble, "frames-1.csv.*soon")
  expect_true(is.na(row$state))
  fetch_job(x$project, x$ledger, "review-1")
  events <- job_events(x$ledger, "review-1")
  expect_identical(sum(events$what == "unreached"), 1L)
  now <- watch_job(x$project, x$ledger, "review-1", now = Sys.time() + 1)
  expect_match(now$alarms$says[now$alarms$code == "unreached"], "has a report that cannot be read")
  writeLines(c("Nr;Took;End;Cost;Machine;How", "1;2;;1 EUR;a;Finished"), x$at("frames-1.csv"))
  expect_match(fetch_job(x$project, x$ledger, "review-1")$trouble,
               "1 EUR.*line 2, column for `charge`")
  writeLines(c("Frame;Time", "1;2"), x$at("frames-1.csv"))
  expect_match(fetch_job(x$project, x$ledger, "review-1")$trouble, "has no column 'Nr'")
  writeLines(c("Nr;Took;End;Cost;Machine;How", "1;2;yesterday;;a;Finished"), x$at("frames-1.csv"))
  expect_match(fetch_job(x$project, x$ledger, "review-1")$trouble,
               "yesterday.*column for `finished`")
  writeLines(c("Nr;Took;End;Cost;Machine;How", "1;2;;0,1;a;Finished", "99;2;;0,1;a;Finished"),
             x$at("frames-1.csv"))
  row <- fetch_job(x$project, x$ledger, "review-1")
  expect_true(is.na(row$trouble))
  now <- watch_job(x$project, x$ledger, "review-1", now = Sys.time() + 1)
  expect_false("unreached" %in% now$alarms$code)
  expect_identical(sum(is.finite(now$came)), 1L)
  site <- readLines(file.path(x$folder, "sites/quayside.yaml"))
  bad <- write_file(scratch(), "quayside.yaml", sub("frame: Nr", "picture: Nr", site))
  expect_refusal(read_site(bad), "choice", "picture")
  bad <- write_file(scratch(), "quayside.yaml", sub("map: .*", "map: Nr", site))
  expect_refusal(read_site(bad), "type", "our name, then theirs")
})
