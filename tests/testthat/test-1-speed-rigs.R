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

