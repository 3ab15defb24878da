test_that("parcels are listed with the time that sending takes at each site", {
  x <- data.frame(shot = "s", parcel = "/x/s-0123.zip", version = "0123", files = 3L, bytes = 4e8,
                  parcel_bytes = 2.5e8, made = FALSE)
  text <- clockpigeon:::pack_lines(x, list(list(site = "far", link = 1e7), list(site = "here")), 80)
  expect_match(text, "s +0123 +3 +400 MB +250 MB +as before", all = FALSE)
  expect_match(text, "25.0s to far", all = FALSE)
})
