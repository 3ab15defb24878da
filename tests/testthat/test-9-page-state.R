test_that("what is sent of a job is how it stands, and then what changed", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-8")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  clockpigeon:::add_events(x$ledger, "review-1",
                           data.frame(what = "failed", shot = "gears-review", frame = 3L,
                                      node = "here", source = "verify", detail = "black"))
  w <- watch_job(x$project, x$ledger, "review-1")
  state <- clockpigeon:::page_state(w, clockpigeon:::belief_of(w, 5))
  expect_identical(state$says, clockpigeon:::watch_words(w))
  expect_identical(sum(state$frames$state == 3), 7L)
  expect_identical(state$frames$state[3], 5L)
  expect_true(all(state$frames$ended[-3] > state$frames$begun[-3]))
  expect_identical(unique(state$frames$node), 0L)
  first <- clockpigeon:::changed_frames(state, NULL)
  expect_true(first$fresh)
  expect_identical(dim(first$frames), c(8L, 6L))
  expect_identical(names(first$shots), "gears-review")
  again <- clockpigeon:::changed_frames(state, state$frames)
  expect_identical(nrow(again$frames), 0L)
  later <- state
  later$frames[2, c("state", "ended")] <- list(2L, NA)
  changed <- clockpigeon:::changed_frames(later, state$frames)
  expect_identical(changed$frames[, 1:2], c(1, 2))
  expect_true(is.na(changed$frames[6]))
  expect_false(changed$fresh)
  expect_identical(as.character(clockpigeon:::changed_frames(list(trouble = "no ledger"),
                                                             NULL)$trouble), "no ledger")
  # JSON as the browser takes it: one row of six numbers.
  expect_match(as.character(jsonlite::toJSON(changed$frames, digits = NA, na = "null")),
               "^\\[\\[1,2,.*,null\\]\\]$")
})
