render <- function(seed, size = c(96, 80, 3), sd = 0.02, mean = 0.5) {
  set.seed(seed)
  array(mean + rnorm(prod(size), sd = sd), size)
}

# The kernel's plain twin: a tile at a time, outliers one after the other.
plain_tiles <- function(a, b, tile, times) {
  d <- a - b
  size <- dim(a)
  out <- NULL
  for (top in seq(1, size[1], tile)) for (left in seq(1, size[2], tile)) {
    ys <- top:min(top + tile - 1, size[1])
    xs <- left:min(left + tile - 1, size[2])
    q <- d[ys, xs, , drop = FALSE]^2
    total <- sum(q)
    kept <- length(q)
    gone <- NULL
    worst <- 0
    for (i in head(order(-q), 24)) {
      at <- arrayInd(i, dim(q))
      if (!(q[i] * (kept - 1) > times^2 * (total - q[i]))) break
      y <- ys[at[1]] + -2:2
      x <- xs[at[2]] + -2:2
      ring <- expand.grid(y = y, x = x)
      ring <- ring[(abs(ring$y - ys[at[1]]) == 2 | abs(ring$x - xs[at[2]]) == 2) & ring$y >= 1 &
                   ring$y <= size[1] &
                     ring$x >= 1 & ring$x <= size[2], ]
      if (!(q[i] > times^2 * mean(d[cbind(ring$y, ring$x, at[3])]^2))) next
      total <- total - q[i]
      kept <- kept - 1
      gone <- rbind(gone, at[, 1:2])
      worst <- max(worst, q[i])
    }
    out <- rbind(out, data.frame(values = length(q), sum_a = sum(a[ys, xs, ]),
                                 sum_b = sum(b[ys, xs, ]), squares = sum(q), kept = kept,
                                 kept_squares = total, worst = worst,
                                 outliers = if (length(gone)) nrow(unique(gone)) else 0))
  }
  out
}

test_that("the kernel agrees with its plain twin, at any size, with outliers in quiet and loud tiles", {
  for (size in list(c(70, 45, 3), c(33, 64, 1), c(5, 3, 3), c(64, 64, 3))) {
    a <- render(1, size)
    b <- render(2, size)
    loud <- rep(seq(0.1, 3, length.out = size[2]), each = size[1])
    a <- 0.5 + (a - 0.5) * rev(loud)
    hit <- sample(length(a), min(6, length(a)))
    a[hit] <- a[hit] + c(5, 0.5, 2, 0.4, 8, 1)[seq_along(hit)]
    for (times in c(3, 8)) {
      ours <- clockpigeon:::tile_noise_sums(a, b, size[1], size[2], size[3], 16L, times)
      twin <- plain_tiles(a, b, 16, times)
      expect_equal(ours[names(twin)], twin, ignore_attr = TRUE, tolerance = 1e-10)
    }
  }
})

test_that("noise, brightness and their error are those that were put in", {
  found <- noise_between(render(1), render(2))
  expect_equal(found$noise, 0.04, tolerance = 0.02)
  expect_equal(found$brightness, 0.5, tolerance = 0.002)
  expect_identical(found$outliers, 0L)
  expect_lt(abs(found$correlation), 0.1)
  against <- noise_between(render(1), array(0.5, c(96, 80, 3)), against = "reference")
  expect_equal(against$noise, 0.04, tolerance = 0.02)
  # The error is that of repeated trials (independent channels make it cautious by up to their
  # root).
  many <- vapply(1:200, function(i)
                 noise_between(render(i, c(64, 64, 1)), render(1000 + i, c(64, 64, 1)))$noise, 0)
  said <- noise_between(render(1, c(64, 64, 1)), render(2, c(64, 64, 1)))$error
  expect_equal(sd(many) / mean(many), said, tolerance = 0.25)
})

test_that("bright single pixels are in the noise, counted, and out of the usual noise", {
  a <- render(1)
  bright <- a
  bright[cbind(c(10, 40, 90), c(10, 50, 70), 1)] <- 4
  found <- noise_between(bright, render(2))
  expect_identical(found$outliers, 3L)
  plain <- noise_between(a, render(2))
  expect_equal(found$noise_usual, plain$noise, tolerance = 1e-3)
  expect_gt(found$noise, 1.5 * found$noise_usual)
  expect_identical(found$noise_all, found$noise)
  expect_identical(plain$noise_usual, plain$noise)
  expect_equal(found$worst, 3.5 / found$brightness, tolerance = 0.02)
  # Noise at an edge alone, in tiles that are still elsewhere, is noise and no outlier.
  edge <- array(0.5, c(64, 64, 1))
  other <- edge
  set.seed(3)
  other[, 20, 1] <- 0.5 + rnorm(64, sd = 0.1)
  expect_lt(noise_between(edge, other)$outliers, 3)
})

test_that("a map names the worst tile and joins up to the frame", {
  a <- render(1)
  a[33:64, 33:64, ] <- 0.5 + 5 * (a[33:64, 33:64, ] - 0.5)
  map <- noise_map(a, render(2))
  worst <- map[which.max(map$seen), ]
  expect_identical(c(worst$row, worst$column, worst$top, worst$left), c(2L, 2L, 33L, 33L))
  expect_identical(range(map$right), c(32L, 80L))
  expect_equal(map$noise, map$sd / map$brightness)
  pixels <- (map$bottom - map$top + 1) * (map$right - map$left + 1)
  expect_equal(sqrt(sum(map$sd^2 * pixels) / sum(pixels)), noise_between(a, render(2))$sd,
               tolerance = 1e-6)
  # A dark tile of the same sd is noisier to the eye than a bright one, but by less than its own
  # brightness says.
  dark <- render(3)
  dark[1:32, 1:32, ] <- dark[1:32, 1:32, ] - 0.45
  still <- render(4)
  still[1:32, 1:32, ] <- still[1:32, 1:32, ] - 0.45
  both <- noise_map(dark, still)
  expect_gt(both$seen[1], 2 * both$seen[2])
  expect_lt(both$seen[1], both$noise[1])
})

test_that("what says nothing about noise is refused", {
  a <- render(1)
  expect_refusal(noise_between(a, a), "noise", "one seed twice")
  expect_refusal(noise_between(a, a[1:90, , ]), "picture", "80x96 with 3 channels and 80x90")
  expect_refusal(noise_between(a, a[, , 1]), "picture", "1 channel")
  expect_refusal(noise_between(0 * a, 0 * a), "picture", "all black")
  bad <- a
  bad[7, 5, 2] <- NaN
  expect_refusal(noise_between(a, bad), "picture", "NaN at row 7, column 5")
  bad[7, 5, 2] <- Inf
  expect_refusal(noise_map(bad, bad), "picture", "Inf at row 7, column 5")
  expect_refusal(noise_between("a", a), "picture", "an array")
  blur <- function(x) apply(x, 3, function(m) clockpigeon:::window_mean(m, 3), simplify = FALSE)
  smooth <- function(x) array(unlist(blur(x)), dim(x))
  expect_refusal(noise_between(smooth(a), smooth(render(2))), "noise", "denoised or blurred")
  expect_s3_class(noise_between(smooth(a), array(0.5, dim(a)), against = "reference"), "tbl_df")
  deep <- structure(a, depth = 8L)
  expect_refusal(noise_between(deep, structure(render(2), depth = 16L)), "picture",
                 "depth: 8 and 16")
  with_alpha <- function(x) array(c(x, rep(1, 96 * 80)), c(96, 80, 4))
  expect_equal(noise_between(with_alpha(a), with_alpha(render(2))), noise_between(a, render(2)))
})
