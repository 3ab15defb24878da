ns <- asNamespace("clockpigeon")

test_that("islands are named, and forecasts across them refused", {
  rows <- data.frame(scene = c("a", "a", "b", "x", "x"), rig = c("p", "q", "p", "v", "w"),
                     wall_s = c(10, 5, 20, 3, 4))
  fit <- fit_speeds(rows)
  expect_match(fit$says, "2 islands", all = FALSE)
  expect_refusal(predict(fit, "a", "v"), "speeds",
                 c("nothing connects scene a with rig v", "Run a on it"))
  expect_identical(summary(fit, "p")$rig, c("q", "p"))
  # A claim is a bridge, if a weak one.
  bridge <- fit_speeds(rows, data.frame(rig = "v", relative_to = "p", factor = 2))
  across <- predict(bridge, "b", "v")
  expect_gt(across$upper / across$lower,
            predict(bridge, "b", "q")$upper / predict(bridge, "b", "q")$lower)
})

test_that("claims weigh by how claims have compared", {
  set.seed(6)
  x <- a_table(8, 6, 1)$rows
  shown <- function(factor) data.frame(rig = paste0("r", 2:6), relative_to = "r1", factor = factor)
  measured <- summary(fit_speeds(x), "r1")
  right <- measured$ratio[match(paste0("r", 2:6), measured$rig)]
  expect_lt(claim_sd_of(fit_speeds(x, shown(right))), 0.22)
  expect_gt(claim_sd_of(fit_speeds(x, shown(right * 2))), 0.4)
  claimed <- summary(fit_speeds(x, data.frame(rig = "new", relative_to = "r1", factor = 3)), "r1")
  new <- claimed[claimed$rig == "new", ]
  expect_identical(new$evidence, "claimed")
  expect_true(new$ratio > 1.5 && new$ratio < 3.2 && new$upper / new$lower > 1.5)
})


test_that("times of the same frames at several numbers are brought to one frame, and give the law back", {
  serial <- 0.1
  cost <- c(`1` = 40, `50` = 90, `100` = 20, `150` = 60)
  at <- rbind(expand.grid(frame = c(1, 50), threads = c(1, 2, 4, 8)),
              expand.grid(frame = 100, threads = c(2, 8)),
              data.frame(frame = 150, threads = 4))
  seconds <- cost[paste(at$frame)] * (serial + (1 - serial) / at$threads)
  rows <- some_timings(unname(seconds), frame = at$frame, threads = at$threads)
  got <- counted_times(rows, "threads")
  expect_length(got, 1)
  # Frame 150 was timed at one number only.
  expect_identical(c(length(got[[1]]$n), got[[1]]$frames), c(10L, 3L))
  usual <- exp(mean(log(cost[1:3])))
  expect_equal(got[[1]]$seconds, usual * (serial + (1 - serial) / got[[1]]$n))
  fit <- fit_scaling(got[[1]]$n, got[[1]]$seconds, unit = "threads")
  law <- as.data.frame(fit$laws)
  expect_equal(law$serial[law$law == "amdahl"], serial, tolerance = 0.05)
})

test_that("groups are apart by all else, and what failed or has no number is left out", {
  rows <- some_timings(c(10, 6, 20, 12, 1, 3), frame = 1, threads = c(1, 2, 1, 2, 4, NA),
                       node = c("a", "a", "b", "b", "b", "b"),
                       status = c(rep("ok", 4), "failed", "ok"))
  got <- counted_times(rows, "threads")
  expect_length(got, 2)
  expect_identical(sort(vapply(got, function(g) g$of$node, "")), c("a", "b"))
  expect_identical(got[[2]]$n, c(1L, 2L))
  expect_length(counted_times(rows, "device_count"), 0)
  expect_length(counted_times(rows, "threads", most = 1), 1)
  expect_refusal(counted_times(rows, "frames"), "choice", "threads")
})
