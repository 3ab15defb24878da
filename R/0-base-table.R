# Tables: what public functions return.

# A tibble by its class and shape. The tibble package is not loaded to make one (that would double
# the time of a short command); library(clockpigeon) loads it, so that tables print and subset as
# tibbles do. Inside the package columns are therefore always taken with [[ and rows with drop =
# FALSE, which mean the same either way. `x` is a data frame, or a list of columns of one length.
as_table <- function(x, class = NULL) {
  rows <- if (is.data.frame(x)) nrow(x) else length(x[[1]])
  structure(as.list(x), names = names(x), row.names = seq_len(rows),
            class = c(class, "tbl_df", "tbl", "data.frame"))
}

as_frame <- function(x) {
  class(x) <- "data.frame"
  x
}

# Rows of tables with the same columns, in order; NULLs are passed over.
bind_tables <- function(tables) {
  tables <- lapply(Filter(Negate(is.null), tables), as_frame)
  if (!length(tables)) return(NULL)
  as_table(do.call(rbind, c(tables, make.row.names = FALSE)))
}

# The same of rows that are lists of single values, which takes a fraction of the time where there
# are hundreds.
bind_lists <- function(rows) {
  columns <- names(rows[[1]])
  as_table(lapply(stats::setNames(nm = columns),
                  function(name) unlist(lapply(rows, `[[`, name), use.names = FALSE)))
}

# One key a row from several columns; two rows agree in all columns exactly when their keys are
# equal.
row_key <- function(x, columns) {
  if (!length(columns)) return(rep("", nrow(x)))
  do.call(paste, c(lapply(columns, function(column) as.character(x[[column]])), sep = "\x1f"))
}

or_else <- function(x, other) if (length(x)) x else other

null_if_na <- function(x) if (!is.na(x)) x

# The first of these that is given.
first_of <- function(...) Find(Negate(is.null), list(...))

# Quantiles of draws: always one of them.
quantile_of <- function(x, p) stats::quantile(x, p, names = FALSE, type = 1)
