# Telling: a program of the user's is started when a job's alarm rings, or the job ends.

# `x` from watch_job(); `tell`: `run`, an argument vector, and `quiet`, seconds. Each alarm is told at most once in a
# job, whoever watches it: the one whose line in the ledger is new tells it. After something was told, nothing but what
# is due `now` is told for the quiet time; what still stands then is. Returns what was told, a data frame of `code`,
# `site` and `status` (of the program; NA: it could not be started, or took over half a minute).
tell_alarms <- function(x, ledger, tell, now = this_moment()) {
  due <- told_rows(x)
  before <- job_events(ledger, x$job)
  before <- before[before[["what"]] == "told", , drop = FALSE]
  key <- paste("told", due[["code"]], due[["site"]])
  due <- due[!key %in% before[["key"]], , drop = FALSE]
  last <- if (nrow(before)) max(as.numeric(as.POSIXct(before[["time"]], tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ")))
  quiet <- length(last) && as.numeric(now) - last < tell$quiet
  if (quiet) due <- due[due[["level"]] %in% c("now", "end"), , drop = FALSE]
  bind_tables(lapply(seq_len(nrow(due)), function(k) {
    row <- as.list(due[k, ])
    new <- add_events(ledger, x$job, data.frame(
      what = "told", time = utc_now(now), place = row$site, detail = row$code, source = "watch",
      key = paste("told", row$code, row$site)))
    if (new == 0) return(NULL)
    data.frame(code = row$code, site = row$site, status = run_told(tell$run, told_object(x, row)))
  }))
}

# What is worth telling: alarms that are due now or soon, and the end.
told_rows <- function(x) {
  alarms <- as_frame(x$alarms)
  alarms <- alarms[alarms[["level"]] %in% c("now", "soon"), , drop = FALSE]
  ended <- all(x$here)
  end <- alarm("ended", "end", NA, "all frames are there", "See them.")
  rbind(if (ended) end, alarms)
}

told_object <- function(x, row) {
  until <- if (!is.na(row$until_s)) utc_now(x$placed + row$until_s)
  to_json(Filter(length, list(job = x$job, code = row$code, level = row$level, site = null_if_na(row$site),
                              says = row$says, action = row$action, until = until, at = utc_now(x$placed + x$passed_s),
                              there = sum(x$here), frames = length(x$came))))
}

# The program is started from its argument vector, with the object on its standard input.
run_told <- function(run, object) {
  input <- tempfile("clockpigeon-told-")
  on.exit(unlink(input, expand = FALSE))
  writeLines(object, input, useBytes = TRUE)
  out <- tryCatch(processx::run(run[1], run[-1], stdin = input, timeout = 30, error_on_status = FALSE),
                  error = function(e) NULL)
  if (is.null(out) || isTRUE(out$timeout)) NA_integer_ else as.integer(out$status)
}
