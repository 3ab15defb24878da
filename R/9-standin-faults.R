# Requested faults of a stand-in: target, time and rate.

fault_kinds <- c("wait", "slow", "freeze", "lose", "fail", "corrupt", "black", "version",
                 "late-cap", "cut", "doubled", "delayed", "disordered", "skew", "prices",
                 "old-token")

# Faults as they are written: `freeze=2@5min:1h, fail=5%, late-cap=20min`. Returns a list by kind.
# Of nodes: a data frame of `node` (its number), `at_s` (after the job was placed), `value` (how
# many times slower; how long until it is noticed).
parse_faults <- function(text, where = argument("misbehave")) {
  out <- list()
  for (one in trimws(strsplit(or_else(text, ""), ",", fixed = TRUE)[[1]])) {
    kind <- sub("=.*", "", one)
    check_choice(kind, where, fault_kinds)
    value <- if (grepl("=", one, fixed = TRUE)) trimws(sub("^[^=]*=", "", one)) else ""
    refuse <- function(like) {
      stop_input("usage", paste("got", show_value(one)), where,
                 paste0("Write it like ", kind, "=", like, "."))
    }
    read <- switch(
      kind, slow = , freeze = , lose = node_fault(kind, value, refuse, where),
      fail = , corrupt = , black = , cut = , doubled = , delayed = ,
      disordered = share_fault(value, refuse), wait = , "late-cap" = , skew = , "old-token" = {
        sign <- if (startsWith(value, "-")) -1 else 1
        if (!nzchar(value)) refuse("20min")
        sign * parse_duration(sub("^-", "", value), where)
      },
      prices = {
        x <- suppressWarnings(as.numeric(value))
        if (is.na(x) || x <= 0) refuse("1.3")
        x
      },
      version = if (nzchar(value)) value else refuse("1.0")
    )
    out[[kind]] <- if (is.data.frame(read)) rbind(out[[kind]], read) else read
  }
  out
}

# NODE@WHEN:VALUE, the last two where they are not said at once, and for what a node usually does.
node_fault <- function(kind, value, refuse, where) {
  like <- c(slow = "3@5min:2.5", freeze = "2@5min:1h", lose = "1@5min")[[kind]]
  hit <- regmatches(value, regexec("^([0-9]+)(@([^:]+))?(:(.+))?$", value))[[1]]
  if (!length(hit)) refuse(like)
  more <- if (nzchar(hit[6])) hit[6]
  number <- if (kind == "slow") suppressWarnings(as.numeric(or_else(more, "2")))
            else if (kind == "freeze") parse_duration(or_else(more, "1h"), where) else NA_real_
  if (kind == "slow" && (is.na(number) || number <= 0)) refuse(like)
  data.frame(node = as.integer(hit[2]),
             at_s = if (nzchar(hit[4])) parse_duration(hit[4], where) else 0, value = number)
}

share_fault <- function(value, refuse) {
  percent <- grepl("%$", value)
  x <- suppressWarnings(as.numeric(sub(" *%$", "", value))) / if (percent) 100 else 1
  if (is.na(x) || x < 0 || x > 1) refuse("5%")
  x
}

# Does a fault with a share apply to a labelled thing? The answer is the same each time.
fault_happens <- function(faults, kind, seed, label) {
  share <- or_else(faults[[kind]], 0)
  share > 0 && with_seed(stream_seed(seed, paste(kind, label)), stats::runif(1)) < share
}
