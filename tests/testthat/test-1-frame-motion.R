looks_of_frames <- function(frames, bad = integer(), damage = NULL, shown = frames, ...) {
  folder <- scene_folder(frames, bad, damage, ...)
  sequence_findings(look_at_pictures(list.files(folder, full.names = TRUE)), frames)
}

test_that("a picture of another place, and a run of them, are jumps; other light and colours are light", {
  away <- function(x, f) 1 - scene_picture(f + 400)
  found <- looks_of_frames(1:26, c(5, 13, 14, 15), away)
  expect_equal(found$index, c(5, 13, 14, 15))
  expect_equal(unique(found$code), "jump")
  found <- looks_of_frames(1:26, 10, function(x, f) x^2.2)
  expect_equal(found[c("index", "code")], data.frame(index = 10L, code = "light"))
  found <- looks_of_frames(1:26, 10, function(x, f) x[, , 3:1])
  expect_equal(unique(found$index), 10)
})

test_that("a cut that is known is none, one that is not is a doubt", {
  folder <- scene_folder(1:24, 13:24, function(x, f) 1 - scene_picture(f + 400))
  looks <- look_at_pictures(list.files(folder, full.names = TRUE))
  expect_equal(nrow(sequence_findings(looks, 1:24, 13)), 0)
  found <- sequence_findings(looks, 1:24)
  expect_equal(found[c("index", "code", "weight")],
               data.frame(index = 13L, code = "cut", weight = "doubt"))
})

test_that("a picture that did not move on is frozen; a shot that stands, starts, ends or turns is not", {
  still <- function(x, f) scene_picture(f - 1)
  found <- looks_of_frames(1:24, 11, still)
  expect_equal(found[c("index", "code", "sure")],
               data.frame(index = 11L, code = "frozen", sure = 1))
  # With noise of its own as well.
  found <- looks_of_frames(1:24, 11, function(x, f) scene_picture(f - 1, noise = 0.004, seed = 99),
                           noise = 0.004)
  expect_equal(found[c("index", "code")], data.frame(index = 11L, code = "frozen"))
  hold <- function(x, f) scene_picture(min(f, 12))
  expect_equal(nrow(looks_of_frames(1:24, 13:24, hold)), 0)
  # A pendulum that turns: its pictures before and behind the turn are alike.
  turn <- function(x, f) scene_picture(12 + abs(f - 12.5), noise = 0)
  expect_equal(nrow(looks_of_frames(1:24, 1:24, turn)), 0)
})
