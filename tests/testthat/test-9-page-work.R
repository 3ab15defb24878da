test_that("what is said of a question is what the terminal says, with and without sites", {
  forecast <- forecast_job(plan_options(x_job(), read_project(demo_file())$sites), draws = 200)
  asked <- clockpigeon:::question_of(forecast, "30 h", "60 EUR", 0.9, "cheapest", TRUE)
  said <- clockpigeon:::page_forecast_answer(forecast, asked, plans = TRUE)
  choice <- clockpigeon:::make_decision(forecast, asked, TRUE, FALSE)
  expect_identical(unname(said$says), unname(clockpigeon:::answer_words(choice)))
  expect_identical(said$pick, choice$pick)
  site <- choice$options$site[choice$options$option == choice$pick]
  other <- clockpigeon:::page_forecast_answer(forecast, asked, list(without = site))
  expect_false(startsWith(other$pick, paste0(site, " ")))
  all <- unique(forecast$scenario$options$site)
  expect_null(clockpigeon:::page_forecast_answer(forecast, asked, list(without = all)))
  # The sites that are left are judged by the same draws.
  part <- clockpigeon:::forecast_of(forecast, list(without = site))
  kept <- forecast$draws$option %in% part$scenario$options$option
  expect_equal(as.data.frame(part$draws), as.data.frame(forecast$draws)[kept, ], ignore_attr = TRUE)
})

test_that("options are pinned as the terminal pins them, and by their noise", {
  sites <- read_project(demo_file())$sites
  all <- forecast_job(plan_options(x_job(), sites), draws = 50)
  some <- clockpigeon:::forecast_of(all, list(only = c("saltmill", "nodes=10")))
  alone <- forecast_job(plan_options(x_job(), sites, only = c("saltmill", "nodes=10")), draws = 50)
  rows <- function(x) x$scenario$options[c("site", "tier", "nodes", "start")]
  expect_identical(rows(some), rows(alone))
  expect_equal(some$draws$finish_s, alone$draws$finish_s)
  expect_null(clockpigeon:::forecast_of(all, list(only = c("attic", "nodes=20"))))
  expect_null(clockpigeon:::forecast_of(all, list(only = "nowhere")))
  all$scenario$options$noise <- rep(c(1, 1.4, NA), length.out = nrow(all$scenario$options))
  clean <- clockpigeon:::forecast_of(all, list(noise = 1.2))
  expect_identical(clean$scenario$options$option,
                   all$scenario$options$option[which(all$scenario$options$noise == 1)])
})

test_that("what is under way is left when something newer is asked for, and only the newest is told of", {
  skip_if_not_installed("promises")
  skip_if_not_installed("later")
  begun <- ended <- broken <- character()
  begin <- function(x) {
    begun <<- c(begun, x)
    promises::promise(function(resolve, reject) {
      later::later(function() if (x == "bad") reject("no") else resolve(toupper(x)), 0.01)
    })
  }
  search <- clockpigeon:::newest_alone(begin, function(x, value) ended <<- c(ended, value),
                                       function(x, e) broken <<- c(broken, x))
  until <- function(code) for (turn in 1:200) if (!code()) later::run_now(0.02)
  for (x in c("a", "b", "c")) search$ask(x)
  until(function() length(ended) > 0)
  later::run_now(0.05)
  expect_identical(begun, c("a", "b", "c"))
  expect_identical(ended, "C")
  search$ask("bad")
  until(function() length(broken) > 0)
  expect_identical(broken, "bad")
  search$ask("d")
  until(function() length(ended) > 1)
  expect_identical(ended, c("C", "D"))
})

test_that("work beside says how far it is, can be left, and its process goes on with what it has", {
  skip_if_not_installed("mirai")
  skip_if_not_installed("promises")
  profile <- clockpigeon:::start_work_process("work-test")
  on.exit(mirai::daemons(0, .compute = profile))
  said <- tempfile()
  slow <- function(times) {
    for (k in seq_len(times)) {
      message("step ", k)
      Sys.sleep(0.02)
    }
    "done"
  }
  environment(slow) <- globalenv()
  expect_identical(mirai::call_mirai(clockpigeon:::ask_process(profile, slow, 1, said = said))$data,
                   "done")
  expect_false(file.exists(said))
  task <- clockpigeon:::ask_process(profile, slow, 1e5, said = said)
  until <- Sys.time() + 60
  while (Sys.time() < until && !length(clockpigeon:::last_message(said))) Sys.sleep(0.05)
  expect_match(clockpigeon:::last_message(said), "^step [0-9]+$")
  broken <- NULL
  promises::then(promises::as.promise(task), NULL,
                 function(e) broken <<- clockpigeon:::work_trouble(e))
  clockpigeon:::leave_work(task)
  while (Sys.time() < until && is.null(broken)) later::run_now(0.05)
  expect_match(broken, "left before it was done")
  expect_identical(mirai::call_mirai(clockpigeon:::ask_process(profile, slow, 1))$data, "done")
})
