test_that("a new project can be read at once, and nothing is written over", {
  folder <- file.path(scratch(), "film")
  made <- new_project(folder, "A \"film\"", "SEK")
  expect_setequal(made, c("clockpigeon.yaml", "nodes/here.yaml", "plans/first.yaml",
                          "shots/first.yaml"))
  project <- read_project(folder)
  expect_identical(project$currency, "SEK")
  expect_identical(nrow(project_plan(project)$trials), 7L)
  expect_refusal(new_project(folder), "project", "a project already")
  other <- scratch()
  write_file(other, "shots/first.yaml", "mine")
  new_project(other)
  expect_identical(readLines(file.path(other, "shots/first.yaml")), "mine")
  expect_refusal(new_project("/proc/film"), "file", "no such folder")
  expect_refusal(new_project(scratch(), currency = "euro"), "currency")
})

test_that("the zone is one that R knows", {
  withr::with_envvar(c(TZ = "Europe/Lisbon"), expect_identical(own_zone(), "Europe/Lisbon"))
  withr::with_envvar(c(TZ = "No/Where"), expect_true(own_zone() %in% OlsonNames()))
})

test_that("a command is split as a shell would, and options keep their values", {
  expect_identical(split_command("a 'b c' \"d\" e'f'g", "w"), c("a", "b c", "d", "efg"))
  expect_identical(split_command("a ''", "w"), c("a", ""))
  expect_refusal(split_command("a 'b", "w"), "usage", "not closed")
  expect_identical(command_groups(c("{scene}", "-o", "{output}", "-fast", "-n", "3", "+W{width}")),
                   list("{scene}", c("-o", "{output}"), "-fast", "-n", "3", "+W{width}"))
})

test_that("a profile written from a command is read as it was meant", {
  read <- function(...) read_engine(write_file(scratch(), "e.yaml", profile_lines("odd", ...)))
  engine <- read("mill {scene} -q {log2(samples)} -z \"it's\" -o {output}", "--about now", "pfm")
  expect_identical(engine$arguments,
                   list("{scene}", c("-q", "{samples}"), "-z", "it's", c("-o", "{output}")))
  expect_identical(engine$version$ask, list("--about", "now"))
  expect_identical(utils::head(possible_values(engine, "samples"), 4), c(1, 2, 4, 8))
  expect_identical(engine$output, "pfm")
  expect_identical(read("m -n {noise} -t {time_s} {output}")$limits, c("noise", "time"))
  expect_refusal(profile_lines("odd", "m {sampels} {output}"), "engine", "{sampels}")
  expect_refusal(profile_lines("odd", "m {scene}"), "engine", "which picture to write")
  expect_s3_class(read("m {scene}", output_as = "out{frame:04}.png"), "cp_engine")
})
