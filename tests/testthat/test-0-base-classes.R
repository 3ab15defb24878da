lamp <- record_type("cp_lamp", name = is.character, watts = is.numeric, note = maybe(is.character))

test_that("a record has the fields of its class, each of its type", {
  x <- lamp(list(name = "desk", watts = 40L))
  expect_s3_class(x, "cp_lamp")
  expect_identical(unclass(x), list(name = "desk", watts = 40L))
  expect_identical(names(lamp(list(note = NULL, watts = 2.5, name = "door"))),
                   c("note", "watts", "name"))
  expect_refusal(lamp(list(name = "desk")), "record", c("cp_lamp", "lacks `watts`", "report it"))
  expect_refusal(lamp(list(name = "desk", watts = 40, colour = "red")), "record",
                 "has no field `colour`")
  expect_refusal(lamp(list(name = "desk", watts = "40 W")), "record", "wrong type in `watts`")
  expect_refusal(lamp(list(name = NULL, watts = 40)), "record", "wrong type in `name`")
  expect_refusal(lamp(list(name = "desk", watts = 40, note = 3)), "record", "`note`")
})

test_that("a table has the columns of its class", {
  shelf <- table_type("cp_shelf", c("a", "b"))
  x <- shelf(data.frame(b = 1:2, a = c("x", "y"), more = TRUE))
  expect_s3_class(x, c("cp_shelf", "tbl_df"), exact = FALSE)
  expect_identical(names(x), c("b", "a", "more"))
  expect_refusal(shelf(data.frame(a = 1)), "record", c("cp_shelf", "lacks `b`"))
})

test_that("a record that is made in code has the defaults of its file's fields", {
  fields <- list(name = field(a_text(), required = TRUE), count = field(a_count(), default = 3L))
  x <- filled_record("cp_shelf", fields, name = "top")
  expect_identical(unclass(x), list(name = "top", count = 3L))
  expect_refusal(filled_record("cp_shelf", fields, nmae = "top"), "record", "`nmae`")
  node <- this_node()
  expect_identical(names(node), names(node_fields()))
})

test_that("an error names the function that was called, and keeps its cause", {
  error <- local(tryCatch(clockpigeon::samples_for(1, 0.02), error = identity), globalenv())
  expect_identical(conditionCall(error), quote(samples_for()))
  typed <- local(tryCatch(clockpigeon:::cli_run("nonsense"), error = identity), globalenv())
  expect_s3_class(typed, "clockpigeon_error")
  folder <- scratch()
  broken <- write_file(folder, "notes.sqlite", "these are notes and no ledger at all")
  error <- tryCatch(open_ledger(broken), error = identity)
  expect_s3_class(error, "clockpigeon_error_ledger")
  expect_s3_class(error$parent, "error")
  expect_match(conditionMessage(error), conditionMessage(error$parent), fixed = TRUE)
})
