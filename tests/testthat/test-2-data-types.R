test_that("a type reads, says its schema and its default; a field may say another", {
  count <- a_count(least = 2, most = 5)
  expect_identical(count$read(3, "w"), 3L)
  expect_refusal(count$read(6, "w"), "type", "from 2 to 5")
  expect_identical(count$schema, list(type = "integer", minimum = 2, maximum = 5))
  expect_null(field(count)$default)
  expect_identical(field(count, default = 4L)$default, 4L)
  filled <- record_of(list(a = field(a_count(), default = 1L), b = field(a_text())), filled = TRUE)
  expect_identical(field(filled)$default, list(a = 1L, b = NULL))
  expect_identical(filled$schema()$properties$a$type, "integer")
  expect_identical(records_of(list(a = field(a_text())))$read(list(list(a = "x")), "w"),
                   list(list(a = "x")))
})

test_that("every field of every format is made of a type with a schema", {
  every <- function(fields) {
    for (name in names(fields)) {
      f <- fields[[name]]
      expect_true(is.function(f$read), info = name)
      schema <- if (is.function(f$schema)) f$schema() else f$schema
      expect_true(length(c(schema$type, schema$enum, schema$anyOf)) > 0, info = name)
    }
  }
  for (fields in yaml_formats()) every(fields)
})
