events_named <- function(x, what) {
  events <- as.data.frame(job_events(x$ledger, "review-1"))
  events[events$what %in% what, ]
}

test_that("what a site tells becomes events, pictures, evidence and bill lines, each once", {
  x <- at_farm()
  x$send()
  expect_identical(x$fetch()$state, "waiting")
  x$pass(75)
  half <- x$fetch()
  expect_identical(half$here, half$ready)
  x$pass(3600)
  done <- x$fetch()
  expect_identical(as.list(done[c("site", "state", "frames", "ready", "here")]),
                   list(site = "saltmill", state = "done", frames = 12L, ready = 12L, here = 12L))
  expect_identical(x$pictures(), sprintf("gears-review/gears-review-%04d.png", 1:12))
  expect_identical(nrow(events_named(x, "arrived")), 12L)
  rows <- timings(x$ledger)
  rows <- rows[rows$kind == "reported" & rows$site %in% "saltmill", ]
  expect_identical(sort(rows$frame), 1:12)
  expect_equal(sum(rows$billed), x$farm$jobs[[1]]$spent, tolerance = 0.01)
  expect_identical(unique(rows$currency), "GBP")
  lines <- clockpigeon:::job_charges(x$ledger, "review-1")
  expect_equal(sum(lines$amount), x$farm$jobs[[1]]$spent)
  events <- nrow(job_events(x$ledger, "review-1"))
  x$fetch()
  expect_identical(nrow(job_events(x$ledger, "review-1")), events)
  expect_identical(nrow(clockpigeon:::job_charges(x$ledger, "review-1")), nrow(lines))
  watched <- x$watch()
  expect_true(all(watched$here))
  # What was charged is what it costs, in the project's currency.
  rate <- clockpigeon:::rate_to(x$farm$card, "EUR", x$project$rates)$rate
  expect_equal(watched$mean, x$farm$jobs[[1]]$spent * rate, tolerance = 0.01)
  expect_identical(watched$unknown, 0L)
})

test_that("frames that are ready are done, though nobody fetched them for an hour", {
  x <- at_farm()
  x$send()
  x$pass(3600)
  x$fetch(0)
  expect_length(x$pictures(), 0)
  watched <- x$watch()
  expect_identical(watched$parts$there, 12)
  expect_identical(watched$parts$here, 0L)
  expect_lt(max(watched$came), 1800)
  expect_true("behind" %in% watched$alarms$code)
  expect_match(paste(clockpigeon:::watch_lines(watched), collapse = "\n"),
               "frames rendered.*, [0-9]+ downloaded")
  expect_identical(x$fetch()$here, 12L)
  expect_true(all(x$watch()$here))
})

test_that("a clock that is an hour off moves nothing", {
  for (skew in c("", "skew=1h", "skew=-1h")) {
    x <- at_farm(faults = skew)
    x$send()
    x$pass(3600)
    x$fetch()
    came <- x$watch()$came
    truth <- x$farm$jobs[[1]]$frames$ended - x$farm$jobs[[1]]$placed
    expect_equal(came, truth, tolerance = 0.02, label = skew)
  }
})

test_that("orders given here are passed on once, whether or not the site could be asked then", {
  x <- at_farm()
  x$send()
  x$pass(45)
  order <- function(what)
    clockpigeon:::add_events(x$ledger, "review-1", data.frame(what = what, source = "command"))
  order("paused")
  x$service$tries <- 1
  plain <- x$service$request
  x$service$request <- function(...) stop("the line is dead")
  row <- x$fetch()
  expect_match(row$trouble, "does not answer: the line is dead")
  expect_true(is.na(row$state))
  alarms <- as.data.frame(x$watch()$alarms)
  expect_match(alarms$says[alarms$code == "unreached"], "no answer from saltmill since")
  x$fetch()
  expect_identical(nrow(events_named(x, "unreached")), 1L)
  x$service$request <- plain
  expect_identical(x$fetch()$state, "paused")
  expect_identical(nrow(events_named(x, "reached")), 1L)
  expect_false("unreached" %in% x$watch()$alarms$code)
  x$fetch()
  expect_identical(nrow(events_named(x, "ordered")), 1L)
  order("resumed")
  expect_identical(x$fetch()$state, "running")
  order("stopped")
  expect_identical(x$fetch()$state, "stopped")
  expect_identical(x$farm$jobs[[1]]$by, "order")
  expect_identical(nrow(events_named(x, "ordered")), 3L)
})

test_that("a picture that is not whole is told of, tried again, and fetched when it is", {
  x <- at_farm()
  x$send()
  x$pass(3600)
  x$fetch(0)
  plain <- x$service$request
  x$service$request <- function(service, method, url, ...) {
    answer <- plain(service, method, url, ...)
    if (grepl("pictures/gears-review/5/", url)) answer$body[20] <- xor(answer$body[20], as.raw(1))
    answer
  }
  expect_identical(x$fetch()$here, 11L)
  x$fetch()
  expect_identical(events_named(x, "spoilt")$frame, 5L)
  expect_match(x$watch()$alarms$says[x$watch()$alarms$code == "spoilt"],
               "1 picture of saltmill arrived incomplete")
  expect_length(list.files(file.path(x$folder, "placed/review-1/frames/gears-review"), "0005"), 0)
  x$service$request <- plain
  expect_identical(x$fetch()$here, 12L)
  expect_false("spoilt" %in% x$watch()$alarms$code)
})

test_that("a folder that cannot be written is told of, and the frames are asked for again", {
  skip_on_os("windows")
  x <- at_farm()
  x$send()
  x$pass(3600)
  x$fetch(0)
  block <- file.path(x$folder, "placed/review-1/frames/gears-review")
  file.create(block)  # a file where the folder is to be
  row <- x$fetch()
  expect_identical(row$here, 0L)
  expect_match(row$trouble, "cannot be written")
  expect_identical(row$state, "done")
  expect_identical(nrow(events_named(x, "unreached")), 0L)
  expect_identical(nrow(events_named(x, c("spoilt", "failed"))), 0L)
  unlink(block)
  expect_identical(x$fetch()$here, 12L)
})

test_that("an event that cannot be true is quarantined with its reason, and odd ones are kept and do nothing", {
  remote <- list(site = "saltmill", id = "s-1", sent = "2026-11-24T12:00:00.000Z",
                 order = list(shots = list(list(shot = "s", frames = "1-9"))))
  bounds <- clockpigeon:::order_bounds(remote)
  event <- function(..., ahead = 0) clockpigeon:::received_event(utils::modifyList(list(
    number = 3, at = "2026-11-24T12:00:00.500Z", what = "ready", shot = "s", frame = 4, node = "n",
    seconds = 2
  ), list(...)), remote, bounds, ahead)
  expect_identical(event()$what, "ready")
  expect_identical(event()$node, "saltmill/n")
  expect_identical(event(what = "danced\u0007")$what, "site: danced\\x07")
  expect_identical(substr(event(ahead = 3600)$time, 1, 16), "2026-11-24T11:00")
  reason <- function(...) {
    row <- event(...)
    expect_identical(row$what, "quarantined")
    expect_identical(row$key, "site saltmill s-1 3")
    row$detail
  }
  expect_match(reason(what = 4), "has the what 4, which is no text")
  expect_match(reason(at = "yesterday"), "is no moment")
  expect_match(reason(at = "1969-07-20T20:17:00Z"), "no time of this job")
  expect_match(reason(at = "2999-01-01T00:00:00Z"), "no time of this job")
  expect_match(reason(frame = "four"), "has the frame 'four'")
  expect_match(reason(frame = 10), "frame 10 which was not ordered")
  expect_match(reason(seconds = list(1)), "has the seconds a list")
  expect_match(reason(seconds = 1e308), "has the seconds 1e\\+308")
  expect_match(reason(what = "charged", amount = -1e308), "which is no charge of 0 or more")
  expect_match(reason(what = "charged", amount = NULL), "lacks amount")
})

test_that("nothing is deleted there before all that is paid is here", {
  x <- at_farm()
  x$send()
  gone <- function()
    clockpigeon:::delete_remote(x$project, x$ledger, "review-1",
                                clockpigeon:::new_links(x$links$service))
  expect_refusal(gone(), "job", c("is not ended at saltmill", "clockpigeon stop review-1"))
  x$pass(3600)
  plain <- x$service$request
  x$service$request <- function(service, method, url, ...) {
    if (grepl("/pictures/gears-review/7/", url))
      return(list(status = 404L, body = charToRaw("{}"), headers = list()))
    plain(service, method, url, ...)
  }
  expect_refusal(gone(), "job", "saltmill")
  x$service$request <- plain
  expect_identical(unname(gone()), "saltmill-1")
  expect_length(x$farm$jobs, 0)
  expect_length(x$pictures(), 12)
  expect_refusal(gone(), "job", "nothing of job review-1")
})

test_that("events that come late, twice and out of order give the state of the ordered ones", {
  x <- at_farm(frames = "1-60")
  x$send()
  x$pass(3600)
  x$fetch()
  state <- x$watch()[c("frames", "nodes", "came", "mean")]
  for (seed in 1:3) {
    set.seed(seed)
    y <- at_farm(frames = "1-60")
    y$send()
    y$pass(3600)
    connect <- y$service$connect
    y$service$connect <- function(stream) {
      connect(stream)
      pull <- stream$pull
      stream$pull <- function(seconds) {
        before <- length(stream$pending)
        pull(seconds)
        new <- rawToChar(stream$pending[seq_along(stream$pending) > before])
        blocks <- paste0(strsplit(new, "\n\n", fixed = TRUE)[[1]], "\n\n")
        now <- blocks[grepl("event: now", blocks)]
        rest <- sample(rep(setdiff(blocks, now), 2))
        stream$pending <- c(stream$pending[seq_len(before)],
                            charToRaw(paste(c(now, rest), collapse = "")))
      }
    }
    y$fetch()
    expect_equal(y$watch()[c("frames", "nodes", "came", "mean")], state)
  }
})

test_that("whatever a site answers of its frames, nothing is written outside the job's folder, and nothing breaks", {
  odd <- list(
    list(shot = "../../evil", frame = 1, state = "ready", bytes = 1, parts = 1, sha256 = "a"),
    list(shot = "gears-review", frame = 99, state = "ready", bytes = 1, parts = 1, sha256 = "a"),
    list(shot = "gears-review", frame = "one", state = "ready"),
    list(shot = 3, frame = 1, state = "ready"),
    list(shot = "gears-review", frame = 1, state = 5), list(frame = 1), list(),
    list(shot = "gears-review", frame = 2, state = "ready", bytes = "many", parts = 1,
         sha256 = "a"),
    list(shot = "gears-review", frame = 2, state = "ready"),
    list(shot = "gears-review", frame = 3, state = "ready", bytes = 4, parts = 1e4,
         sha256 = list("a"), node = 4, seconds = "soon", version = list())
  )
  x <- at_farm()
  x$send()
  x$pass(3600)
  x$fetch(0)
  plain <- x$service$request
  x$service$request <- function(service, method, url, ...) {
    if (!grepl("/frames", url)) return(plain(service, method, url, ...))
    list(status = 200L, headers = list(),
         body = charToRaw(clockpigeon:::to_json_line(list(frames = odd, "next" = NULL))))
  }
  before <- list.files(x$folder, recursive = TRUE)
  row <- x$fetch()
  expect_identical(row$here, 0L)
  expect_identical(grep("evil", list.files(dirname(x$folder), recursive = TRUE), value = TRUE),
                   character())
  expect_identical(setdiff(list.files(x$folder, recursive = TRUE), before), character())
  expect_setequal(events_named(x, "spoilt")$frame, 2:3)
  x$service$request <- plain
  expect_identical(x$fetch()$here, 12L)
})
