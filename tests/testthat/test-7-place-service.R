events_named <- function(x, what) {
  events <- as.data.frame(job_events(x$ledger, "review-1"))
  events[events$what == what, ]
}

test_that("a part is sent with its files, frames, settings and the cap to keep, once", {
  x <- at_farm()
  id <- x$send()
  expect_identical(id, "saltmill-1")
  order <- x$farm$jobs[[id]]$request
  expect_identical(order$shots[[1]]$frames, "1-12")
  expect_identical(order[c("engine", "version", "tier", "nodes", "trial")],
                   list(engine = "pebble", version = "1.1", tier = "brisk", nodes = 10L,
                        trial = FALSE))
  # The fee and the minimum of a job are no frame's: the cap leaves room for them.
  expect_gte(order$cap$amount, x$farm$card$price$fixed + x$farm$card$price$minimum)
  expect_identical(order$cap$currency, "GBP")
  # A job that costs just what was forecast is not ended by it.
  rate <- clockpigeon:::rate_to(x$farm$card, "EUR", x$project$rates)$rate
  expect_gt(order$cap$amount * rate, 1.05 * x$place()$parts$cost_p99)
  expect_identical(nrow(events_named(x, "placed")), 1L)
  expect_null(x$send())
  expect_length(x$farm$jobs, 1)
  expect_identical(events_named(x, "sent")$detail, "saltmill-1")
})

test_that("whichever request is cut, and wherever the placing ends, it is placed once", {
  x <- at_farm()
  x$send()
  asked <- x$service$asked$n
  for (how in c("before", "after")) {
    for (k in seq_len(asked)) {
      cut <- at_farm(cut = function(n) if (n == k) how else "")
      cut$service$tries <- 1
      # Ended there, and run again.
      expect_s3_class(tryCatch(cut$send(), error = identity), "clockpigeon_error_service")
      cut$service$request <- farm_service(cut$farm)$request
      cut$send()
      expect_length(cut$farm$jobs, 1)
      expect_identical(nrow(events_named(cut, "sent")), 1L)
      expect_null(cut$send())
    }
  }
})

test_that("what is left after a halt is placed anew, and its cap is what is left of the money", {
  x <- at_farm(faults = "lose=1@45s",
               card = list(tiers = list(list(tier = "brisk", nodes = c(1, 10), factor = 2.2,
                                                                   wait = NULL))), seconds = 15)
  place <- x$place()
  part <- as.list(as.data.frame(place$parts)[1, ])
  part$nodes <- 1
  send <- function() clockpigeon:::place_remote(place, part, place$split$runs[[1]], x$ledger,
                                                clockpigeon:::placed_folder(place), FALSE,
                                                x$service)
  send()
  x$pass(3600)
  x$fetch()
  first <- x$farm$jobs[[1]]
  expect_identical(first$by, "no nodes")
  here <- length(x$pictures())
  expect_gt(here, 0)
  expect_lt(here, 12)
  alarms <- as.data.frame(x$watch()$alarms)
  expect_match(alarms$says[alarms$code == "halted"], paste(12 - here, "frames not rendered"))
  # A part that a site has ended cannot be resumed: its paid frames are what can be had.
  halted <- x$watch()
  halted$alarms <- halted$alarms[halted$alarms$code == "halted", ]
  expect_match(clockpigeon:::next_action(halted, 0), "\n  clockpigeon fetch ", fixed = TRUE)
  expect_identical(x$watch()$p_deadline, 0)
  # Where the rest could go is told; the site itself can be given it again.
  expect_match(alarms$action[alarms$code == "late"], "Send the rest to ")
  expect_true("saltmill" %in% clockpigeon:::rest_alternatives(x$watch())$site)
  x$farm$faults$lose <- NULL
  expect_identical(send(), "saltmill-2")
  again <- x$farm$jobs[["saltmill-2"]]
  expect_identical(nrow(again$frames), 12L - here)
  x$pass(3600)
  x$fetch()
  expect_length(x$pictures(), 12)
  expect_false("halted" %in% x$watch()$alarms$code)
  expect_identical(sum(vapply(x$farm$jobs, function(job) sum(job$frames$state == "ready"), 0L)),
                   12L)
})

test_that("a trial sends the frames that say most, and the rest is sent without them", {
  x <- at_farm(frames = "1-60")
  x$send(trial = TRUE)
  trial <- x$farm$jobs[[1]]
  expect_true(trial$request$trial)
  expect_identical(nrow(trial$frames), 3L)
  expect_identical(nrow(events_named(x, "placed")), 0L)
  x$pass(3600)
  x$fetch()
  expect_length(x$pictures(), 3)
  rows <- timings(x$ledger)
  rows <- rows[rows$site %in% "saltmill" & rows$kind == "reported", ]
  expect_identical(sort(rows$frame), sort(trial$frames$frame))
  expect_equal(rows$wall_s[order(rows$frame)], trial$frames$took[order(trial$frames$frame)],
               tolerance = 1e-3)
  x$send()
  rest <- x$farm$jobs[[2]]
  expect_identical(nrow(rest$frames), 57L)
  expect_length(intersect(rest$frames$frame, trial$frames$frame), 0)
})

test_that("an order that is refused for good is not asked again as it was; the next one has a key of its own", {
  x <- at_farm()
  plain <- x$service$request
  x$service$request <- function(service, method, url, ...) {
    if (method != "POST" || !grepl("/jobs$", url)) return(plain(service, method, url, ...))
    list(status = 422L,
         body = charToRaw('{"type":"/problems/cap","title":"No","detail":"the cap is too low"}'),
         headers = list())
  }
  expect_refusal(x$send(), "service", "the cap is too low")
  expect_identical(events_named(x, "refused")$detail, "refused POST /jobs: the cap is too low")
  expect_identical(nrow(as.data.frame(fetch_job(x$project, x$ledger, "review-1"))), 0L)
  x$service$request <- plain
  expect_identical(x$send(), "saltmill-1")
  expect_identical(events_named(x, "asked")$key,
                   paste0("asked ", clockpigeon:::job_id(x$ledger, "review-1"), "/saltmill/", 1:2))
  # A token that is wrong may be right the next time: the same is asked again.
  y <- at_farm()
  y$service$token <- "wrong"
  expect_refusal(y$send(), "service", "token")
  expect_identical(nrow(events_named(y, "refused")), 0L)
})

test_that("jobs at a site are told apart, whatever their ids begin with", {
  ledger <- ledger_of_job()
  add <- function(...) clockpigeon:::add_events(ledger, "night", data.frame(place = "far", ...))
  order <- clockpigeon:::to_json_line(list(key = "k", order = an_order()))
  for (id in c("s-1", "s-10")) {
    add(what = "asked", detail = order, key = paste("asked", id))
    add(what = "sent", detail = id, key = paste("sent", id))
  }
  add(what = "halted", detail = "cap", key = "halted far s-10 7")
  remotes <- clockpigeon:::remote_jobs(ledger, "night")
  expect_identical(vapply(remotes, `[[`, "", "id"), c("s-1", "s-10"))
  expect_identical(vapply(remotes, `[[`, NA, "halted"), c(FALSE, TRUE))
  add(what = "begun", key = "site far s-1 3")
  expect_identical(clockpigeon:::remote_numbers(job_events(ledger, "night"), remotes[[1]]), 3)
  expect_identical(clockpigeon:::remote_numbers(job_events(ledger, "night"), remotes[[2]]), 7)
  for (id in list(NULL, 3, "", "a b", "a\u0007", c("a", "b")))
    expect_refusal(clockpigeon:::check_remote_id(id), "service", "id")
})

test_that("the cap that a site is told has room for what a gift pays", {
  x <- decided(frames = "1-12", only = "saltmill,brisk,nodes=10", deadline = "3h",
               budget = "20 EUR", seconds = c(30, 31))
  place <- plan_place(x$project, x$ledger, "review-1")
  part <- as.list(as.data.frame(place$parts)[1, ])
  site <- x$project$sites$saltmill
  plain <- clockpigeon:::remote_cap(place, part, site, 1, FALSE, x$ledger)
  site$balances <- list(list(balance = "welcome", kind = "gift", amount = 7),
                        list(balance = "ahead", kind = "prepaid", amount = 9))
  expect_equal(clockpigeon:::remote_cap(place, part, site, 1, FALSE, x$ledger)$amount,
               plain$amount + 7, tolerance = 0.05)
  site$balances[[1]]$until <- as.Date("2020-01-01")
  expect_identical(clockpigeon:::remote_cap(place, part, site, 1, FALSE, x$ledger), plain)
})
