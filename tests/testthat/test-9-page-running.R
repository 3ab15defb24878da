test_that("alarms say how grave they are in words, and the jobs of a project are those placed", {
  skip_if_not_installed("shiny")
  alarms <- data.frame(level = c("now", "note"), says = c("A <b>node</b> is gone.", "Late."),
                       action = c("Look.", "None."))
  html <- as.character(clockpigeon:::alarm_list(alarms))
  expect_match(html, "act now", fixed = TRUE)
  expect_match(html, "to know", fixed = TRUE)
  expect_no_match(html, "<b>", fixed = TRUE)
  expect_null(clockpigeon:::alarm_list(alarms[0, ]))
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  expect_identical(clockpigeon:::project_jobs(folder), character())
  expect_identical(clockpigeon:::project_jobs(demo_file()), character())
})
