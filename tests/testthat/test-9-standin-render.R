test_that("times are replayed from what the ledger knows of the shot", {
  farm <- test_farm()
  order <- an_order(engine = "sundew", version = "4.2")
  order$shots[[1]] <- list(shot = "gears", scene = "gears", frames = "1-720", width = 1920,
                           height = 1080, limit = list(samples = 512), output = "png")
  shot <- farm$project$shots$gears
  order$shots[[1]]$width <- shot$size[[1]]
  order$shots[[1]]$height <- shot$size[[2]]
  order$shots[[1]]$limit <- list(samples = shot$limit$samples)
  seconds <- farm$seconds(order)
  expect_length(seconds, 720)
  expect_identical(farm$seconds(order), seconds)
  job <- render_job(list(shot), c(sundew = "4.2"), example_timings(), rates = farm$project$rates)
  draws <- clockpigeon:::frame_draws(job, 400, 2)
  # Within what the forecast itself has for these frames there.
  option <- as.data.frame(plan_options(job, list(farm$card))$options)[1, ]
  expect_gt(mean(seconds), mean(draws) / exp(option$log_speed + 4 * option$speed_se) / 2)
  expect_lt(mean(seconds), mean(draws) / exp(option$log_speed - 4 * option$speed_se) * 2)
  unknown <- an_order(engine = "millrace", version = "2.0")
  refused <- ask_farm(farm, "POST", "/quotes",
                      unknown[c("engine", "version", "tier", "nodes", "shots")])
  expect_identical(refused$body$title, "Nothing is known of these frames here")
})

test_that("black and corrupt pictures are black and corrupt, and stay as they are", {
  skip_if_not_installed("png")
  job_of <- function(faults) {
    farm <- test_farm(seconds = 1, faults = faults)
    id <- ask_farm(farm, "POST", "/jobs", an_order(), "key-of-a-test")$body$job
    job <- farm$jobs[[id]]
    pass(farm, 5000)
    job
  }
  black <- job_of("black=100%")
  path <- clockpigeon:::farm_picture(black, 2)
  expect_identical(max(png::readPNG(path)), 0)
  corrupt <- job_of("corrupt=100%")
  path <- clockpigeon:::farm_picture(corrupt, 2)
  expect_match(clockpigeon:::picture_fault(path, "png"), "cut off")
  before <- clockpigeon:::file_hashes(path)
  expect_identical(clockpigeon:::file_hashes(clockpigeon:::farm_picture(corrupt, 2)), before)
  fine <- job_of("")
  expect_null(clockpigeon:::picture_fault(clockpigeon:::farm_picture(fine, 2), "png"))
})

test_that("a shot of the protocol is a shot of ours", {
  shot <- clockpigeon:::request_shot(utils::modifyList(an_order()$shots[[1]],
                                                       list(limit = list(samples = 6,
                                                                                            time_s =
                                                                         12.5))))
  expect_identical(shot$frames, 1:12)
  expect_equal(shot$limit$time, 12.5)
  expect_identical(unname(unlist(shot$size)), c(32L, 18L))
})
