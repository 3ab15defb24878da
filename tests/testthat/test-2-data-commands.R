test_that("argument vectors, environments and patterns are read, and what is odd in them refused", {
  read <- function(...)
    read_engine(write_file(scratch(), "e.yaml", "engine: a", "program: sh", "limits: [samples]",
                           ...))
  expect_identical(read("arguments: [a, [b, c]]")$arguments, list("a", c("b", "c")))
  expect_identical(read("arguments: [x]", "environment: {A: b, N: 4, E: ''}")$environment,
                   list(A = "b", N = "4", E = ""))
  expect_refusal(read("arguments: [x]", "environment: [A]"), "type", "`NAME: text`")
  expect_refusal(read("arguments: [x]", "environment: {A: '{nothing}'}"), "engine", "{nothing}")
  expect_refusal(read("arguments: [[a, '']]"), "type")
})
