test_that("a plan is run by one process at a time, and who has it is said", {
  ledger <- open_ledger(file.path(scratch(), "l.sqlite"))
  withr::defer(close_ledger(ledger))
  claim <- claim_plan(ledger, "p1")
  expect_refusal(claim_plan(ledger, "p1"), "plan",
                 c("being run by process", Sys.getpid(), "Wait for it"))
  other <- claim_plan(ledger, "p2")
  release_plan(claim)
  expect_identical(claim_plan(ledger, "p1"), claim)
  in_memory <- open_ledger(":memory:")
  expect_null(claim_plan(in_memory, "p1"))
  close_ledger(in_memory)
})

test_that("a claim whose process is gone, or whose number another has, counts for nothing", {
  ledger <- open_ledger(file.path(scratch(), "l.sqlite"))
  withr::defer(close_ledger(ledger))
  folder <- paste0(ledger$path, "-run-p")
  for (who in list(list(pid = 999999L, began = 1), list(pid = Sys.getpid(), began = 1))) {
    dir.create(folder)
    who$host <- Sys.info()[["nodename"]]
    writeLines(clockpigeon:::to_json(who), file.path(folder, "who.json"))
    expect_identical(claim_plan(ledger, "p"), folder)
    release_plan(folder)
  }
  dir.create(folder)
  writeLines(clockpigeon:::to_json(list(pid = 1, began = 1, host = "elsewhere", since = "today")),
             file.path(folder, "who.json"))
  expect_refusal(claim_plan(ledger, "p"), "plan", "on elsewhere, since today")
})
