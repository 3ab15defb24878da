test_that("frame sets are inclusive at both ends", {
  expect_identical(parse_frames("1-5"), 1:5)
  expect_identical(parse_frames("1-240 by 10"), seq(1L, 240L, 10L))
  expect_identical(parse_frames("1-3, 96-98, 200"), c(1:3, 96:98, 200L))
  expect_identical(parse_frames(c(3, 1)), c(3L, 1L))
})

test_that("what is no frame set is refused, with what to write", {
  expect_refusal(parse_frames("10-1", "shot a"), "frames",
                 c("shot a", "ends before it starts", "1-10"))
  expect_refusal(parse_frames("1-5, 3"), "frames", "frame 3 twice")
  for (bad in list("", "a-b", "1-", "1-5 by 0", "1..5", "1-5 by", NA_character_, 1.5,
                   TRUE)) expect_refusal(parse_frames(bad), "frames")
})

test_that("writing and reading go round", {
  sets <- clockpigeon:::with_seed(1, lapply(1:200, function(i)
                                            sort(sample.int(60, sample.int(40, 1)))))
  for (frames in sets) expect_identical(sort(parse_frames(format_frames(frames))), frames)
  expect_identical(format_frames(c(1:48, 96, 98, 100)), "1-48, 96-100 by 2")
})

test_that("spread frames are distinct, in the shot, and away from its ends", {
  expect_identical(clockpigeon:::spread_frames(1:720, 3), c(120L, 360L, 600L))
  expect_identical(clockpigeon:::spread_frames(1:2, 5), 1:2)
})
