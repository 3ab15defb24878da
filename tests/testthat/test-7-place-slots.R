test_that("a site's pool becomes slots; a machine in two pools has slots of both", {
  project <- read_project(demo_file())
  project$sites$attic$pool <- c("here", "loft-1", "here")
  slots <- clockpigeon:::site_slots(project, "attic")
  expect_named(slots, c("here/1", "loft-1", "here/2"))
  expect_identical(vapply(slots, `[[`, 0L, "share", USE.NAMES = FALSE), c(2L, 1L, 2L))
  profiles <- vapply(slots, function(s) clockpigeon:::node_profile(s$node), "")
  expect_identical(anyDuplicated(profiles), 0L)
  expect_identical(slots[[2]]$node$node, "loft-1")
  project$sites$loftnights$pool <- "loft-1"
  all <- clockpigeon:::all_slots(project, c("attic", "loftnights"))
  expect_named(all, c("here/1", "loft-1 (attic)", "here/2", "loft-1 (loftnights)"))
  expect_length(clockpigeon:::pool_slots(project, "quayside"), 0)
  project$sites$attic$pool <- "loft-9"
  expect_refusal(clockpigeon:::site_slots(project, "attic"), "choice", "loft-9")
})
