test_that("an honest bill leaves nothing to find, and the steps from promised to billed add up", {
  x <- rendered_job("fail=0.2,lose=2@3min")
  s <- x$settle()
  expect_identical(nrow(s$findings), 0L)
  expect_identical(s$billed, round(sum(clockpigeon:::job_charges(x$ledger, "review-1")$amount), 2))
  expect_equal(sum(s$metered$amount), s$billed)
  expect_true(s$measured)
  adds_up(s)
  steps <- as.data.frame(s$steps)
  expect_identical(steps$step[c(1, nrow(steps))], c("promised", "exchange"))
  after <- stats::setNames(steps$after, steps$step)
  # What lies behind the meter is nothing; 1.1485 EUR are a pound.
  expect_identical(unname(after["start, load and idle"]), unname(after["exchange"]))
  expect_equal(unname(after["exchange"]), round(s$billed * s$rate[["now"]], 2))
  expect_equal(unname(after["promised"]),
               round(clockpigeon:::job_decision(x$ledger, "review-1")$plan$cost_mean, 2))
  # The middle frame took 60 s, and three times that at home was forecast as 180 to 186.
  expect_equal(s$ratio, 60 / mean(clockpigeon:::site_promise(s$watched, x$ledger, "review-1",
                                                            "saltmill")$frames$seconds),
               tolerance = 0.1)
})

test_that("the same bill as a file of lines, each rounded, differs by rounding alone", {
  x <- rendered_job("fail=0.2")
  s <- x$settle(farm_lines(x, digits = 2))
  expect_identical(nrow(s$findings), 0L)
  adds_up(s)
  steps <- stats::setNames(s$steps$difference, s$steps$step)
  others <- setdiff(names(steps)[13:24], c("rounding", "exchange"))
  expect_lte(max(abs(steps[intersect(others, names(steps))]), na.rm = TRUE), 0.011)
  expect_gt(abs(steps[["rounding"]]), 0.01)
})

test_that("each thing that is asked too much is found with its sum, and nothing else", {
  x <- rendered_job("lose=2@3min")
  honest <- farm_lines(x)
  n <- nrow(honest)
  total <- sum(honest$Cost)
  later <- function(lines, k, seconds) {
    at <- as.POSIXct(lines$To[k], tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ") + seconds
    format(at, "%Y-%m-%dT%H:%M:%OS3Z")
  }
  expect_length(found_of(x$settle(honest)), 0)
  # Each on a ledger of its own: what was settled stays.
  settle <- function(lines, ...) {
    y <- rendered_job("lose=2@3min", env = environment(), ...)
    s <- y$settle(lines)
    adds_up(s)
    s
  }
  twice <- settle(rbind(honest, honest[5, ]))
  expect_equal(found_of(twice), c(doubled = round(honest$Cost[5], 2)))
  expect_identical(twice$findings$detail, "line 6 of bill.csv")
  expect_identical(twice$findings$label, paste("line", n + 2, "of bill.csv"))
  # A frame of another number was never asked for.
  lost <- honest
  lost$Frame[7] <- "77"
  expect_equal(found_of(settle(lost)), c(undelivered = round(honest$Cost[7], 2)))
  dearer <- honest
  dearer$Rate[3:12] <- 3.1
  dearer$Cost[3:12] <- round(dearer$Hours[3:12] * 3.1, 4)
  found <- settle(dearer)
  expect_equal(found_of(found), c(price = round(sum(dearer$Cost) - total, 2)))
  expect_identical(found$findings$lines, 10L)
  class <- honest
  class$Rate[1:n - 1] <- 1.15
  class$Cost <- round(class$Hours * class$Rate, 4)
  expect_length(found_of(settle(class)), 0)
  wrong <- honest
  wrong$Cost[4] <- wrong$Cost[4] + 0.5
  expect_equal(found_of(settle(wrong)), c(sum = 0.5))
  longer <- honest
  longer$Hours[9] <- longer$Hours[9] + 4
  longer$Cost[9] <- round(longer$Hours[9] * 2.53, 4)
  found <- settle(longer)
  expect_identical(found$findings$code[1], "beyond")
  expect_identical(found$findings$detail[1], honest$Machine[9])
  expect_equal(found$too_much, 4 * 2.53, tolerance = 0.01)
  more <- honest
  more$Hours[2] <- more$Hours[2] + 0.05
  more$Cost[2] <- round(more$Hours[2] * 2.53, 4)
  # Some of it is more than its node can have worked, and all of it more than the runs took.
  expect_equal(settle(more)$too_much, round(0.05 * 2.53, 2), tolerance = 0.1)
  expect_true(all(settle(more)$findings$code %in% c("beyond", "meter")))
  other <- rbind(honest, transform(honest[n, ], What = "Care", Per = "care", Rate = 3, Cost = 3))
  found <- settle(other)
  expect_equal(found_of(found), c(unknown = 3))
  expect_identical(found$too_much, 0)
  sum <- rbind(honest, transform(honest[n, ], Sort = "sum", Cost = round(total + 2, 2), Frame = NA))
  expect_equal(found_of(settle(sum)), c(total = 2), tolerance = 0.01)
})

test_that("several at once are told apart, and what is asked back is what a site took beyond its own bill", {
  set.seed(4)
  x <- rendered_job("fail=0.1")
  honest <- farm_lines(x)
  for (turn in 1:6) {
    y <- rendered_job("fail=0.1", env = environment())
    lines <- honest
    dear <- sample(nrow(lines) - 1, sample(1:6, 1))
    lines$Rate[dear] <- round(2.53 * stats::runif(1, 1.3, 2), 2)
    lines$Cost <- round(lines$Hours * lines$Rate, 4)
    twice <- sample(nrow(lines) - 1, sample(1:4, 1))
    lines <- rbind(lines, lines[twice, ])
    s <- y$settle(lines)
    adds_up(s)
    expect_true(all(s$findings$code %in% c("doubled", "price", "tier")))
    expect_lte(abs(s$too_much - (sum(lines$Cost) - sum(honest$Cost))), 0.0151)
  }
})

test_that("without times there is no meter, and what lies between is told as use", {
  x <- decided(frames = "1-12", only = "saltmill,brisk,nodes=10", deadline = "3h",
               budget = "20 EUR", seconds = c(30, 31))
  x$project$sites$saltmill$bill <- bill_map
  place <- plan_place(x$project, x$ledger, "review-1")
  placed <- place_job(place, x$ledger, despite = unique(place$findings$code), progress = FALSE)
  folder <- file.path(placed$folder, "frames", "gears-review")
  dir.create(folder, FALSE, TRUE)
  for (frame in 1:12)
    writeLines("picture", file.path(folder, sprintf("gears-review-%04d.png", frame)))
  lines <- data.frame(Sort = "use", What = "Rendering", Hours = 0.5, Per = "device hours",
                      Rate = 2.53, Cost = 1.27, Cur = "GBP", Machine = NA, From = NA, To = NA,
                      Frame = NA, Job = NA)
  s <- settle_job(x$project, x$ledger, "review-1", write_bill(lines))
  expect_false(s$measured)
  adds_up(s)
  expect_true("use" %in% s$steps$step)
  expect_false("speed" %in% s$steps$step)
  expect_equal(s$steps$after[nrow(s$steps)], round(1.27 * s$rate[["now"]], 2))
})

test_that("an own pool is settled by what its runs come to", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-6")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  s <- settle_job(x$project, x$ledger, "review-1")
  expect_identical(unique(s$lines$basis), "priced")
  expect_identical(nrow(s$findings), 0L)
  adds_up(s)
  expect_match(paste(clockpigeon:::settle_lines(s), collapse = " "),
               "sent no bill; by the rate card the runs cost")
})

test_that("a rescue is held against what was forecast of it when the rest was sent", {
  x <- pair_of_sites("500 s", se = c(0.4, 0), draws = 300)
  moment <- format(placed_at + x$plan$look$at_s, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
  sent <- data.frame(time = moment, what = "looked", shot = "s", frame = NA_integer_, node = "n",
                     detail = "send")
  w <- watched(x, list(slow = some_frames(scratch(), 1:5, 30 * (1:5))), x$plan$look$at_s + 1,
               events = sent)
  w$placed <- placed_at
  promise <- clockpigeon:::rescue_promise(w, 2L, x$plan, "night", "quick")
  expect_identical(promise$part$site, "quick")
  expect_identical(nrow(promise$frames), 60L - sum(30 * (1:5) <= x$plan$look$at_s))
  expect_equal(promise$mean, mean(w$going$draws[[2]]$cost))
  expect_lte(promise$p10, promise$p90)
  expect_equal(as.numeric(as.POSIXct(promise$made_at, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OS")),
               as.numeric(placed_at) + x$plan$look$at_s, tolerance = 1)
  expect_refusal(clockpigeon:::rescue_promise(w, integer(), list(parts = list(list(site = "slow"))),
                                              "night", "attic"), "job",
                 "Its parts are at slow")
})
