test_that("what is said of a question is what the terminal says, with and without sites", {
  forecast <- forecast_job(plan_options(x_job(), read_project(demo_file())$sites), draws = 200)
  asked <- clockpigeon:::question_of(forecast, "30 h", "60 EUR", 0.9, "cheapest", TRUE)
  said <- clockpigeon:::page_said(forecast, asked, plans = TRUE)
  choice <- clockpigeon:::decide(forecast, asked, TRUE, FALSE)
  expect_identical(unname(said$says), unname(clockpigeon:::answer_words(choice)))
  expect_identical(said$pick, choice$pick)
  site <- choice$options$site[choice$options$option == choice$pick]
  other <- clockpigeon:::page_said(forecast, asked, site)
  expect_false(startsWith(other$pick, paste0(site, " ")))
  all <- unique(forecast$scenario$options$site)
  expect_null(clockpigeon:::page_said(forecast, asked, all))
  # The sites that are left are judged by the same draws.
  part <- clockpigeon:::without_sites(forecast, site)
  kept <- forecast$draws$option %in% part$scenario$options$option
  expect_equal(as.data.frame(part$draws), as.data.frame(forecast$draws)[kept, ], ignore_attr = TRUE)
})

test_that("one search runs at a time, and of those asked meanwhile only the newest", {
  skip_if_not_installed("promises")
  skip_if_not_installed("later")
  begun <- ended <- broken <- character()
  begin <- function(x) {
    begun <<- c(begun, x)
    promises::promise(function(resolve, reject) {
      later::later(function() if (x == "bad") reject("no") else resolve(toupper(x)), 0.01)
    })
  }
  go <- clockpigeon:::one_at_a_time(begin, function(x, value) ended <<- c(ended, value),
                                    function(x, e) broken <<- c(broken, x))
  go("a")
  go("b")
  go("c")
  for (turn in 1:200) if (!length(ended) || length(ended) < 2) later::run_now(0.02)
  expect_identical(begun, c("a", "c"))
  expect_identical(ended, c("A", "C"))
  go("bad")
  for (turn in 1:200) if (!length(broken)) later::run_now(0.02)
  expect_identical(broken, "bad")
  go("d")
  for (turn in 1:200) if (length(ended) < 3) later::run_now(0.02)
  expect_identical(ended[3], "D")
})
