# Does a value fit a schema? The parts of JSON Schema that ours use.
fits <- function(x, s) {
  if (!length(s)) return(TRUE)
  if (length(s$anyOf)) return(any(vapply(s$anyOf, fits, NA, x = x)))
  if (length(s$const)) return(identical(x, s$const))
  if (length(s$enum)) return(is.character(x) && length(x) == 1 && x %in% unlist(s$enum))
  switch(s$type,
         object = is.list(x) && !is.null(names(x)) && all(unlist(s$required) %in% names(x)) &&
           all(vapply(names(x), function(name) {
             of <- s$properties[[name]]
             if (!is.null(of)) fits(x[[name]], of)
               else if (is.list(s$additionalProperties)) fits(x[[name]], s$additionalProperties)
             else !identical(s$additionalProperties, FALSE)
           }, NA)),
         array = (is.list(x) && is.null(names(x)) || length(x) > 1 || is.atomic(x)) &&
           all(vapply(as.list(x), fits, NA, s = s$items)),
         string = is.character(x) && length(x) == 1 && (is.null(s$pattern) || grepl(s$pattern, x)),
         integer = is.numeric(x) && length(x) == 1 && x == round(x) && x >= c(s$minimum, -Inf)[1],
         number = is.numeric(x) && length(x) == 1 && x > c(s$exclusiveMinimum, -Inf)[1],
         boolean = is.logical(x) && length(x) == 1)
}
schema <- function(format) jsonlite::fromJSON(yaml_schema(format), simplifyVector = FALSE)
read <- function(path) clockpigeon:::read_yaml_file(path)

test_that("every file of the demo and every shipped engine fits the schema of its format", {
  folders <- c(shot = "shots", node = "nodes", site = "sites", plan = "plans", usage = "usages",
               manifest = "manifests")
  for (format in names(folders)) {
    files <- list.files(demo_file(folders[[format]]), "\\.yaml$", full.names = TRUE)
    expect_gt(length(files), 0)
    for (file in files) expect_true(fits(read(file), schema(format)), info = file)
  }
  expect_true(fits(read(demo_file("clockpigeon.yaml")), schema("project")))
  for (file in list.files(system.file("engines", package = "clockpigeon"), full.names = TRUE)) {
    expect_true(fits(read(file), schema("engine")), info = file)
  }
})

test_that("what the reader refuses of single values, the schema refuses too", {
  card <- read(demo_file("sites/highgarret.yaml"))
  site <- schema("site")
  with <- function(...) utils::modifyList(card, list(...))
  expect_true(fits(with(about = "x"), site))
  expect_false(fits(with(colour = "red"), site))
  expect_false(fits(with(kind = "borrowed"), site))
  expect_false(fits(with(as_of = "soon"), site))
  expect_false(fits(with(price = list(per = "hour")), site))
  expect_false(fits(with(tax = list(tax = "t", percent = "20")), site))
  expect_false(fits(card[setdiff(names(card), "currency")], site))
  expect_refusal(yaml_schema("poem"), "choice", "manifest")
})

test_that("the files that are shipped are those that are made", {
  for (format in names(clockpigeon:::yaml_formats())) {
    file <- system.file("schemas", paste0(format, ".json"), package = "clockpigeon")
    expect_identical(paste(readLines(file, encoding = "UTF-8"), collapse = "\n"),
                     yaml_schema(format), info = format)
  }
})
