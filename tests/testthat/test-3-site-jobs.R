test_that("what is asked of a site is the job, as the protocol has it", {
  project <- read_project(demo_file())
  job <- render_job(project$shots[c("gears", "basin")], c(sundew = "4.2"), example_timings(),
                    rates = project$rates)
  hashes <- data.frame(shot = "gears", path = "textures/a.png",
                       sha256 = paste(rep("a", 64), collapse = ""))
  work <- clockpigeon:::site_work(job, list(tier = "patient", hire = NA, nodes = 10L), "exr",
                                  hashes)
  expect_identical(work[c("engine", "version", "tier", "nodes")],
                   list(engine = "sundew", version = "4.2", tier = "patient", nodes = 10L))
  expect_null(work$hire)
  first <- work$shots[[1]]
  expect_identical(first[c("shot", "frames", "width", "output")],
                   list(shot = "gears", frames = "1-720", width = 1920L, output = "exr"))
  expect_identical(first$limit, list(samples = project$shots$gears$limit$samples))
  expect_identical(first$files[[1]]$path, "textures/a.png")
  expect_null(work$shots[[2]]$files)
  document <- clockpigeon:::protocol_document()
  said <- jsonlite::fromJSON(clockpigeon:::to_json_line(work), simplifyVector = FALSE)
  expect_null(clockpigeon:::schema_fault(said, list("$ref" = "#/components/schemas/Work"),
                                         document))
  any <- job
  any$version <- NA_character_
  expect_true("version" %in%
              names(clockpigeon:::site_work(any, list(tier = "a", hire = "big", nodes = 2L),
                                            "png")))
  expect_identical(clockpigeon:::site_work(any, list(tier = "a", hire = "big", nodes = 2L),
                                           "png")$hire, "big")
})

test_that("each question of a job is asked and answered, whichever connection is cut, and nothing is done twice", {
  skip_if_not_installed("png")
  ask_all <- function(service, farm) {
    clockpigeon:::ask_site(service)
    clockpigeon:::site_engines(service)
    order <- an_order()
    clockpigeon:::ask_quote(service, order[c("engine", "version", "tier", "nodes", "shots")])
    job <- clockpigeon:::place_at_site(service, order, "key-of-a-test")$job
    pass(farm, 5)
    clockpigeon:::order_at_site(service, job, "pause", "pause-it-once")
    clockpigeon:::order_at_site(service, job, "resume", "resume-it-once")
    clockpigeon:::order_at_site(service, job, "cap", "cap-it-once",
                                list(amount = 50, currency = "GBP"))
    pass(farm, 5000)
    state <- clockpigeon:::site_job(service, job)
    rows <- clockpigeon:::ask_pages(service, paste0("/jobs/", job, "/frames"), "frames")
    folder <- scratch()
    got <- vapply(rows, function(row)
                  clockpigeon:::fetch_picture(service, job, row, file.path(folder, row$frame)), NA)
    bill <- clockpigeon:::site_bill(service, job)
    clockpigeon:::delete_at_site(service, job)
    list(state = state[c("state", "ready", "spent", "last_event")], got = all(got),
         total = bill$total,
         files = unname(sort(clockpigeon:::file_hashes(list.files(folder, full.names = TRUE)))))
  }
  farm <- test_farm(seconds = 10)
  service <- farm_service(farm)
  whole <- ask_all(service, farm)
  expect_true(whole$got)
  asked <- service$asked$n
  expect_gt(asked, 20)
  for (how in c("before", "after")) {
    for (k in seq_len(asked)) {
      farm <- test_farm(seconds = 10)
      answer <- tryCatch(ask_all(farm_service(farm, function(n) if (n == k) how else ""), farm),
                         error = identity)
      # A deletion that was done before its answer was cut finds nothing to delete.
      if (how == "after" && k == asked) {
        expect_identical(answer$problem, "unknown")
        next
      }
      expect_identical(answer, whole, label = paste("request", k, "cut", how))
    }
  }
})
