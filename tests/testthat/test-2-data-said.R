test_that("words that come with a time say how sure it is", {
  cases <- list(list("about 15 min", 900, "about", "typed"),
                list("just under 2 h", 7200, "about", "typed"),
                list("~90 s", 90, "about", "typed"), list("1h20m", 4800, "exact", "typed"),
                list("2 h left", 7200, "exact", "estimated"),
                list("estimated 40 min", 2400, "exact", "estimated"),
                list("2 hours 5 minutes", 7500, "exact", "typed"),
                list("24 fps", 1 / 24, "exact", "typed"),
                list("about 12.5 frames per second", 0.08, "about", "typed"))
  for (case in cases) {
    x <- parse_typed_duration(case[[1]])
    expect_equal(unname(x[c("seconds", "precision", "kind")]), case[2:4])
    expect_identical(x$said, case[[1]])
  }
})

test_that("what can be read in two ways, or in none, is refused", {
  for (bad in c("8.20", "about 8.20", "2:75", "-3 s", "1,5 min", "soon", "0 fps", "15")) {
    expect_refusal(parse_typed_duration(bad), "duration")
  }
})
