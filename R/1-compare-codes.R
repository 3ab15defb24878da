# Rows that agree.

# One whole number a row from several columns, counted as they first occur; two rows agree in all
# columns exactly when their numbers are equal. For a million rows of few settings this takes a
# thirtieth of the time of row_key().
row_codes <- function(x, columns) {
  columns <- lapply(columns, function(column) {
    value <- x[[column]]
    if (is.character(value)) enc2utf8(value) else value
  })
  row_numbers(columns, nrow(x))
}
