# A job of an own pool whose frames all came, one of them bad.
refusing <- function(env = parent.frame()) {
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger), envir = env)
  root <- withr::local_tempdir(.local_envir = env)
  folder <- file.path(root, "placed", "night", "frames")
  dir.create(folder, recursive = TRUE)
  add_job(ledger, list(name = "night"))
  for (f in 1:12) {
    x <- if (f == 7) array(0, c(40, 60, 3)) else scene_picture(f, 40, 60)
    png::writePNG(x, file.path(folder, sprintf("tide-%04d.png", f)))
  }
  add_events(ledger, "night",
             data.frame(what = "arrived", time = "2026-11-26T20:00:00Z", place = "attic",
                        node = "oak", shot = "tide", frame = 1:12, source = "place"))
  list(ledger = ledger, project = list(root = root), folder = folder, look = function() {
    x <- verify_frames(folder, frames = 1:12, threads = 1)
    x$job <- "night"
    x$frames$shot <- x$findings$shot <- "tide"
    x
  })
}

test_that("a frame that is not usable is set aside and told of once, and what is usable is written down", {
  r <- refusing()
  gone <- refuse_frames(r$look(), r$project, r$ledger)
  expect_equal(gone$frame, 7)
  expect_false(file.exists(file.path(r$folder, "tide-0007.png")))
  expect_equal(list.files(file.path(r$project$root, "placed", "night", "refused")),
               "tide-0007-1.png")
  events <- job_events(r$ledger, "night")
  told <- events[events$what == "failed", ]
  expect_equal(told$frame, 7)
  expect_equal(told$place, "attic")
  expect_match(told$detail, "^is black: ")
  expect_equal(sum(events$what == "usable"), 11)
  state <- fold_events(data.frame(events[setdiff(names(events), "time")],
                                  time = seq_len(nrow(events))),
                       data.frame(shot = "tide", frame = 1:12))
  expect_equal(state$frames$state[7], "failed")
  expect_equal(unique(state$frames$state[-7]), "usable")
  # Asked again of what is there now it tells nothing twice.
  refuse_frames(r$look(), r$project, r$ledger)
  expect_equal(nrow(job_events(r$ledger, "night")), nrow(events))
})

test_that("a frame that was rendered again is usable, and can be refused once more", {
  r <- refusing()
  refuse_frames(r$look(), r$project, r$ledger)
  again <- function(picture) {
    png::writePNG(picture, file.path(r$folder, "tide-0007.png"))
    add_events(r$ledger, "night",
               data.frame(what = "arrived", time = utc_now(), place = "attic", node = "elm",
                          shot = "tide", frame = 7L, source = "place"))
  }
  again(array(0.5, c(40, 60, 3)))
  expect_equal(refuse_frames(r$look(), r$project, r$ledger)$frame, 7)
  expect_equal(list.files(file.path(r$project$root, "placed", "night", "refused")),
               c("tide-0007-1.png", "tide-0007-2.png"))
  Sys.sleep(1.1)
  again(scene_picture(7, 40, 60))
  expect_equal(nrow(refuse_frames(r$look(), r$project, r$ledger)), 0)
  events <- job_events(r$ledger, "night")
  expect_equal(sum(events$what == "failed"), 2)
  expect_equal(nrow(refused_frames(events)), 0)
  expect_equal(sum(events$what == "usable" & events$frame == 7), 1)
})

test_that("a site renders a frame that was refused in a job of its own, and it comes home anew", {
  x <- at_farm()
  x$send()
  x$pass(3600)
  x$fetch()
  names <- x$pictures()
  verified <- list(job = "review-1",
                   folders = file.path(x$project$root, "placed", "review-1", "frames"))
  verified$frames <- data.frame(sequence = "gears-review", shot = "gears-review", frame = 1:12,
                                path = names, verdict = ifelse(1:12 == 5, "black", "usable"))
  verified$findings <- file_finding(verified$frames[5, ], "black", "unusable", "is black", "it is")
  expect_equal(refuse_frames(verified, x$project, x$ledger)$frame, 5)
  expect_equal(x$pictures(), names[-5])
  expect_equal(which(!x$watch()$here), 5)
  # The site has nothing more of the first job, and is asked for that frame alone.
  x$fetch()
  expect_equal(which(!x$watch()$here), 5)
  expect_equal(x$send(), "saltmill-2")
  expect_equal(x$farm$jobs[["saltmill-2"]]$request$shots[[1]]$frames, "5")
  expect_null(x$send())
  x$pass(3600)
  rows <- x$fetch()
  expect_equal(rows$frames, c(12, 1))
  expect_equal(rows$here, c(12, 1))
  expect_equal(x$pictures(), names)
  expect_true(all(x$watch()$here))
})
