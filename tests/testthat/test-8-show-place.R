test_that("what is placed, what is in the way and what may stand are told in 80 columns", {
  skip_if_not_installed("mirai")
  x <- decided()
  place <- plan_place(x$project, x$ledger, "review-1")
  text <- clockpigeon:::place_lines(place, width = 80)
  expect_lte(max(nchar(text)), 80)
  expect_match(text, "Ready to place", all = FALSE)
  expect_match(text, "rendered here, 1 slot", all = FALSE)
  place$findings <- rbind(place$findings, clockpigeon:::place_finding(
    "fewer", "stops", "attic", "the plan counts on 4 nodes at attic, and its pool has 1",
    "Name more in `pool`."))
  text <- paste(clockpigeon:::place_lines(place, width = 80), collapse = "\n")
  expect_match(text, "Not placed: ")
  expect_match(
    text, "Problems:\n- The plan counts on 4 nodes at attic, and its pool has 1. Name more in `pool`.\n  \\[fewer\\]")
  text <- paste(clockpigeon:::place_lines(place, "fewer", width = 80), collapse = "\n")
  expect_match(text, "Ready to place.*Accepted:\n- The plan counts")
})

test_that("what came of it is told: what is there, what failed, what is left, where the sheets are", {
  frames <- data.frame(shot = "s", frame = 1:6,
                       state = c("done", "done", "failed", "sent", "waiting", "done"))
  placed <- structure(list(job = "night", folder = "/p/placed/night", frames = frames,
                           sheets = c("/p/placed/night/sheet-far.md",
                                      "/p/placed/night/sheet-far.json")),
                      class = "cp_placed")
  place <- list(decision = list(plan = list(rescue = list(site = "far"))))
  text <- paste(clockpigeon:::placed_lines(placed, place, width = 400), collapse = "\n")
  expect_match(text, "3 of 6 frames received")
  expect_match(text, "1 failed: s 3")
  expect_match(text, "1 to be sent to far")
  expect_match(text, "1 remain. To continue: clockpigeon place night")
  expect_match(text, "sheet-far.md")
  expect_output(print(placed), "3 of 6")
})
