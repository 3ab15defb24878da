# Classes of records: the lists and tables that pass from one part of the package to another. Each
# class is declared once, with the fields it must have, and made by its constructor alone.

# Declares a class of lists: `...` names each field with a test that its value must pass. Returns
# the constructor, which takes a list and refuses a missing field, an unknown one and a value that
# fails its test. Who gets such a record need not check it again.
record_type <- function(class, ...) {
  tests <- list(...)
  optional <- vapply(tests, function(test) isTRUE(attr(test, "optional")), NA)
  needed <- names(tests)[!optional]
  function(record) {
    validate_record(record, class, tests, needed)
    structure(record, class = class)
  }
}

# A field that may be absent or NULL.
maybe <- function(test) structure(function(x) is.null(x) || test(x), optional = TRUE)

# A field that may hold anything.
anything <- maybe(function(x) TRUE)

is_moment <- function(x) inherits(x, "POSIXct")

# Refuses a list that is no record of its class: that is a fault of the package, and says so.
validate_record <- function(record, class, tests, needed) {
  fields <- names(record)
  lost <- setdiff(needed, fields)
  if (length(lost)) refuse_record(class, "lacks", lost)
  odd <- setdiff(fields, names(tests))
  if (length(odd)) refuse_record(class, "has no field", odd)
  passed <- vapply(fields, function(field) isTRUE(tests[[field]](record[[field]])), NA)
  if (!all(passed)) refuse_record(class, "has a value of the wrong type in", fields[!passed])
}

# Declares a class of tables by the columns that each must have, among others and in any order.
table_type <- function(class, columns) {
  function(table) {
    lost <- setdiff(columns, names(table))
    if (length(lost)) refuse_record(class, "lacks", lost)
    as_table(table, class = class)
  }
}

refuse_record <- function(class, how, fields) {
  stop_input("record", paste0("an object of class ", class, " ", how, " `",
                              paste(fields, collapse = "`, `"), "`"),
             instead = "This is a fault of clockpigeon: please report it with the command.")
}
