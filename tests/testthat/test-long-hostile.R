skip_unless_long()

# A part of the hostile sites and clients in tests/hostile; all of them are `make fuzz`.
test_that("hostile sites and clients get one sentence, break nothing and are outlived", {
  skip_on_cran()
  skip_on_os("windows")
  for (package in c("curl", "nanonext", "later", "shiny", "bslib", "DT", "png"))
    skip_if_not_installed(package)
  script <- test_path("../hostile/hostile.R")
  skip_if(!file.exists(script), "the sources are not at hand")
  withr::local_envvar(CLOCKPIGEON_NOW = Sys.getenv("CLOCKPIGEON_NOW"))
  hostile <- new.env()
  sys.source(script, hostile)
  hostile$here <- normalizePath(dirname(script))
  space <- hostile$hostile_space(test_path(), normalizePath(script))
  space$here <- hostile$here
  part <- as.integer(Sys.getenv("CLOCKPIGEON_HOSTILE_PART", "12"))
  found <- space$run_hostile(part)
  expect_identical(paste(found$name, found$says)[nzchar(found$says)], character())
  expect_setequal(unique(found$class),
                  c("site answers", "site events", "site bills", "site on the wire",
                    "clients of a stand-in", "WebSockets of the page"))
})

test_that("the harness has the cases it is to have, and finds what it is to find", {
  script <- test_path("../hostile/hostile.R")
  skip_if(!file.exists(script), "the sources are not at hand")
  hostile <- new.env()
  sys.source(script, hostile)
  sites <- length(hostile$answer_modes()) + length(hostile$event_modes()) +
    length(hostile$bill_modes())
  expect_gte(sites, 97)
  expect_gte(length(hostile$client_requests()), 104)
  expect_gte(length(hostile$socket_cases(8000, "token")), 23)
  expect_identical(sum(vapply(hostile$socket_cases(8000, "token"), `[[`, NA, "good")), 1L)
  table <- hostile$hostile_table(data.frame(class = c("a", "a", "b"), name = "",
                                            says = c("", "took 40 s", "")))
  expect_identical(table$passed, c(1L, 1L))
})
