# What a ledger answers, whatever of it is archived.
answers <- function(ledger) {
  list(all = timings(ledger), replaced = timings(ledger, replaced = TRUE),
       some = timings(ledger, scene = "basin"), near = timings_near(ledger, "gears", most = 500),
       newest = newest_timings(ledger), compared = compare_timings(ledger, "engine_version"),
       part = compare_timings(ledger_part(ledger, list(scene = "hall")), "engine_version"),
       nodes = seen_nodes(ledger))
}
odd_rows <- data.frame(
  activity = "render", scene = "stage", frame = 5, engine = "sundew", engine_version = "4.1",
  status = "ok", kind = "measured", wall_s = c(1 / 3, 1e-300, 0.1 + 0.2, NA),
  samples_done = c(NA, 2^53, 1, 1e15), warm = c(TRUE, NA, FALSE, TRUE),
  measured_at = "2026-01-01T00:00:00.000Z",
  note = c("a \"quoted\", text\nover lines", "NA", "", "\u00e9t\u00e9 \\n \t end"),
  features = "{\"bounces\": 4}",
  output = c(NA, "C:\\out\\f.png", "\\", " ")
)

check_archived <- function(ledger, folder) {
  withr::local_envvar(R_USER_CACHE_DIR = file.path(folder, "cache"))
  add_timings(ledger, odd_rows)
  rows <- long_history(ledger, 2)
  ids <- timings(ledger)$id
  fixed <- timings(ledger)[30, setdiff(names(timings(ledger)), "id")]
  fixed$measured_at <- "2026-02-20T00:00:00.000Z"
  add_timings(ledger, fixed, replaces = ids[30])
  before <- answers(ledger)
  made <- archive_timings(ledger, "2026-01-20", file.path(folder, "archive"), batch = 200)
  old <- sum(substr(before$replaced$measured_at, 1, 10) < "2026-01-20")
  expect_identical(sum(made$timings), old)
  expect_gt(nrow(made), 1)
  expect_setequal(list.files(file.path(folder, "archive")), made$file)
  expect_equal(as.numeric(ask_rows(ledger$con, "SELECT count(*) AS n FROM runs")$n),
               nrow(before$replaced) - old)
  expect_identical(answers(ledger), before)
  # Others open it anew, to read; the archives stand in a cache by now, or are read once more.
  unlink(file.path(folder, "cache"), recursive = TRUE)
  other <- open_ledger(ledger$path, read_only = TRUE)
  withr::defer(close_ledger(other))
  expect_identical(answers(other), before)
  expect_length(ledger_state(ledger)$faults, 0)
  expect_identical(sum(ledger_state(ledger)$archives$timings), old)
  # What is in an archive is corrected as anything is, and known by its id.
  fixed$wall_s <- 77
  add_timings(ledger, fixed, replaces = ids[50])
  expect_false(ids[50] %in% timings(ledger)$id)
  expect_false(ids[50] %in% timings(other)$id)
  fixed$id <- ids[51]
  expect_refusal(add_timings(ledger, fixed), "ledger", "two rows would have the id")
  expect_identical(nrow(archive_timings(ledger, "2026-01-20", file.path(folder, "archive"))), 0L)
  # The newest stays, and new ones are counted on.
  archive_timings(ledger, "2030-01-01", file.path(folder, "archive"))
  expect_equal(as.numeric(ask_rows(ledger$con, "SELECT count(*) AS n FROM runs")$n), 1)
  expect_identical(nrow(timings(ledger)), nrow(before$all))
  add_timings(ledger, fixed[setdiff(names(fixed), "id")])
  expect_identical(utils::tail(timings(ledger)$wall_s, 1), 77)
  expect_length(ledger_state(ledger)$faults, 0)
  expect_error(DBI::dbExecute(ledger$con, "DELETE FROM runs"), "append only")
}

test_that("what is archived is read as if it were in place, byte for byte", {
  folder <- scratch()
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  check_archived(ledger, folder)
})

test_that("a server's old timings are archived and read as a file's", {
  folder <- scratch()
  withr::local_dir(folder)
  check_archived(server_ledger(), folder)
})

test_that("an archive that is gone is said, one that was changed is refused, and a bad day is", {
  folder <- scratch()
  withr::local_envvar(R_USER_CACHE_DIR = file.path(folder, "cache"))
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  rows <- long_history(ledger)
  expect_refusal(archive_timings(ledger, "2026-02-30"), "type", "such as 2025-01-01")
  expect_refusal(archive_timings(ledger, "soon"), "type", "such as 2025-01-01")
  made <- archive_timings(ledger, "2026-01-20")
  path <- file.path(folder, "archive", made$file)
  again <- function(code) with_ledger(ledger$path, code)
  file.rename(path, file.path(folder, "elsewhere"))
  expect_message(n <- nrow(again(timings)),
                 paste("its", made$timings, "timings, 2026-01-01 to 2026-01-19, are not read"))
  expect_identical(n, nrow(rows) - made$timings)
  # It is said once, however much is asked.
  said <- testthat::capture_messages(again(function(ledger) {
    timings(ledger)
    compare_timings(ledger, "engine_version")
  }))
  expect_length(said, 1)
  writeLines("changed", path)
  expect_refusal(again(timings), "ledger", "an archive of it was changed")
  file.rename(file.path(folder, "elsewhere"), path)
  expect_identical(nrow(again(timings)), nrow(rows))
})

test_that("what another program does meanwhile, or a full disk, takes nothing out", {
  folder <- scratch()
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  long_history(ledger)
  before <- timings(ledger)
  file.create(file.path(folder, "archive"))
  expect_refusal(archive_timings(ledger, "2026-01-20"), "file", "no such folder")
  unlink(file.path(folder, "archive"))
  expect_refusal(remove_archived(ledger, "2026-01-20", c(1, 50),
                                 list(file = "f", timings = 49L, hash = "h")), "ledger",
                 "no timing was taken out")
  expect_identical(timings(ledger), before)
  expect_error(DBI::dbExecute(ledger$con, "DELETE FROM runs"), "append only")
})

test_that("an import whose rows are archived is withdrawn", {
  folder <- scratch()
  withr::local_envvar(R_USER_CACHE_DIR = file.path(folder, "cache"))
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  rows <- long_history(ledger)
  add_import(ledger, as_timings(rows[1:40, ]), "a.csv", "m1", 40L)
  add_timings(ledger, rows[1, ])
  archive_timings(ledger, "2026-01-20")
  expect_identical(withdraw_import(ledger, "m1"), 40L)
  expect_identical(nrow(timings(ledger)), nrow(rows) + 1L)
})
