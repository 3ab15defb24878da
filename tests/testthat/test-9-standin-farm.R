# Ten-second frames on two nodes of one speed, at once: the times follow by hand.
plain_card <- list(node_spread = 0, start = list(median_s = 0, p90_s = 0),
                   tiers = list(list(tier = "brisk", nodes = c(2, 10), factor = 1, wait = NULL)))
placed <- function(farm, ...) {
  id <- ask_farm(farm, "POST", "/jobs", an_order(...), "key-of-a-test")$body$job
  farm$jobs[[id]]
}
whats <- function(job, what) Filter(function(e) e$what == what, job$events)
at <- function(job, what) vapply(whats(job, what), `[[`, 0, "at") - job$placed

test_that("frames are rendered one after the other on each node, and charged by the card", {
  farm <- test_farm(card = plain_card, seconds = 10)
  job <- placed(farm, nodes = 2)
  pass(farm, 34)
  expect_identical(sum(job$frames$state == "ready"), 6L)
  expect_equal(at(job, "ready"), rep(c(10, 20, 30), each = 2))
  pass(farm, 100)
  expect_equal(at(job, "halted"), 60)
  expect_identical(job$by, "all frames")
  # 120 s of two devices at 1.15 GBP an hour, a fee of 0.40, 0.80 at least.
  own <- bill(data.frame(node = rep(c("a", "b"), each = 6), seconds = 10, frames = 1L), farm$card,
              "brisk")
  expect_equal(job$spent, sum(own$amount))
  numbers <- vapply(job$events, `[[`, 0L, "number")
  expect_identical(numbers, seq_along(numbers))
})

test_that("waits, slow, frozen and lost nodes are as they were asked for", {
  farm <- test_farm(card = plain_card, seconds = 10,
                    faults = "wait=100s,slow=2@100s:3,freeze=1@135s:60s")
  job <- placed(farm, nodes = 2)
  pass(farm, 1000)
  expect_equal(at(job, "begun"), 100)
  ready <- split(at(job, "ready"), vapply(whats(job, "ready"), `[[`, "", "node"))
  expect_equal(ready[["node-1"]], c(110, 120, 130))
  expect_equal(unname(diff(ready[["node-2"]])), rep(30, length(ready[["node-2"]]) - 1))
  expect_equal(at(job, "lost"), 195)
  expect_equal(at(job, "node gone"), 195)
  expect_identical(job$by, "all frames")
  lost <- test_farm(card = plain_card, seconds = 10, faults = "lose=1@15s,lose=2@25s")
  job <- placed(lost, nodes = 2)
  pass(lost, 1000)
  expect_equal(at(job, "lost"), c(15, 25))
  expect_identical(job$by, "no nodes")
})

test_that("a cap ends the job late, by its lag, and what is in flight is lost and paid", {
  card <- c(plain_card, list(price = list(fixed = 0, minimum = 0), cap = list(lag = 20)))
  farm <- test_farm(card = card, seconds = 10, faults = "late-cap=40s")
  job <- placed(farm, nodes = 2, cap = list(amount = 0.05, currency = "GBP"), frames = "1-100")
  pass(farm, 1000)
  expect_identical(job$by, "cap")
  reached <- vapply(whats(job, "charged"), `[[`, 0,
                    "at")[cumsum(vapply(whats(job, "charged"), `[[`, 0, "amount")) >= 0.05]
  expect_equal(at(job, "halted") + job$placed, reached[1] + 60)
  expect_gt(job$spent, 0.05)
  expect_identical(length(whats(job, "lost")), 2L)
  raised <- test_farm(card = card, seconds = 10)
  job <- placed(raised, nodes = 2, cap = list(amount = 0.05, currency = "GBP"))
  pass(raised, 31)
  ask_farm(raised, "POST", paste0("/jobs/", job$id, "/orders"), list(order = "cap",
                                                                     cap = list(
                                                                       amount = 9, currency =
                                                                       "GBP")), "raise-it")
  pass(raised, 1000)
  expect_identical(job$by, "all frames")
})

test_that("a frame that fails is rendered again as often as the card says, and a job goes on in pauses no further", {
  farm <- test_farm(card = c(plain_card, list(troubles = list(retries = 1))), seconds = 10,
                    faults = "fail=100%")
  job <- placed(farm, nodes = 2)
  pass(farm, 1000)
  expect_true(all(job$frames$state == "failed" & job$frames$runs == 2))
  expect_identical(job$by, "all frames")
  calm <- test_farm(card = plain_card, seconds = 10)
  job <- placed(calm, nodes = 2)
  pass(calm, 15)
  order <- function(what)
    ask_farm(calm, "POST", paste0("/jobs/", job$id, "/orders"), list(order = what),
             paste0("order-", what))
  order("pause")
  pass(calm, 100)
  expect_identical(sum(job$frames$state == "ready"), 4L)
  expect_identical(order("resume")$body$state, "running")
  pass(calm, 10)
  expect_identical(sum(job$frames$state == "ready"), 6L)
  pass(calm, 5)
  expect_identical(order("stop")$body$state, "stopped")
  expect_identical(sum(job$frames$state == "ready"), 6L)
})

test_that("a farm that was ended at any moment goes on as if it had not been", {
  faults <- "slow=2@30s:2,freeze=3@50s:40s,fail=20%"
  whole <- test_farm(seconds = 10, faults = faults)
  placed(whole, nodes = 10, frames = "1-60")
  pass(whole, 5000)
  told <- lapply(whole$jobs[[1]]$events, function(e) e[c("number", "at", "what", "frame", "node")])
  folder <- scratch()
  cut <- test_farm(folder, seconds = 10, faults = faults)
  placed(cut, nodes = 10, frames = "1-60")
  for (seconds in c(7, 33, 2, 61, 20, 5000)) {
    pass(cut, seconds)
    cut <- test_farm(folder, seconds = 10, faults = faults, at = cut$clock$at)
  }
  expect_identical(lapply(cut$jobs[[1]]$events,
                          function(e) e[c("number", "at", "what", "frame", "node")]), told)
})

test_that("a frame that failed or was lost is begun anew only after that, however long a node was idle", {
  farm <- test_farm(card = plain_card, seconds = c(10, 100), faults = "lose=2@50s")
  job <- placed(farm, nodes = 2, frames = "1-2")
  pass(farm, 1000)
  events <- job$events
  begun <- Filter(function(e) e$what == "rendering" && e$frame == 2, events)
  lost <- Filter(function(e) e$what == "lost", events)
  expect_length(begun, 2)
  # Node 1 was idle from 10 s on.
  expect_identical(begun[[2]]$node, "node-1")
  expect_gte(begun[[2]]$at, lost[[1]]$at)
  expect_false(is.unsorted(vapply(Filter(function(e) e$what != "charged", events), `[[`, 0, "at")))
})
