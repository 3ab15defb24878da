# Telling: a program of the user's is started when a job's alarm rings, or the job ends.

# `x` from watch_job(); `tell`: `run`, an argument vector, `post`, an address with its secret, and
# `quiet`, seconds. Each alarm is sent at most once per job, by any watcher: the one that adds the
# new line to the ledger sends it. After a message, only alarms due `now` are sent during the quiet
# time; the others follow if they still apply then. Returns the messages, a data frame of `code`,
# `site`, `status` (of the program; NA: it could not be started, or took over half a minute; 0
# without a program) and `posted` (why it could not be posted; NA: it was, or is not to be).
tell_alarms <- function(x, ledger, tell, now = this_moment()) {
  due <- alarm_rows(x)
  before <- job_events(ledger, x$job)
  before <- before[before[["what"]] == "told", , drop = FALSE]
  key <- paste("told", due[["code"]], due[["site"]])
  due <- due[!key %in% before[["key"]], , drop = FALSE]
  last <- if (nrow(before))
    max(as.numeric(as.POSIXct(before[["time"]], tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ")))
  quiet <- length(last) && as.numeric(now) - last < tell$quiet
  if (quiet) due <- due[due[["level"]] %in% c("now", "end"), , drop = FALSE]
  bind_tables(lapply(seq_len(nrow(due)), function(k) {
    row <- as.list(due[k, ])
    new <- add_events(ledger, x$job, data.frame(
      what = "told", time = utc_now(now), place = row$site, detail = row$code, source = "watch",
      key = paste("told", row$code, row$site)))
    if (new == 0) return(NULL)
    object <- alarm_object(x, row)
    data.frame(code = row$code, site = row$site,
               status = if (length(tell$run)) run_alarm_program(tell$run, object) else 0L,
               posted = if (length(tell$post))
               post_alarm(tell$post, object, paste(x$job, row$code, row$site))
                        else NA_character_)
  }))
}

# Alarms worth a message: those due now or soon, and the end.
alarm_rows <- function(x) {
  alarms <- as_frame(x$alarms)
  alarms <- alarms[alarms[["level"]] %in% c("now", "soon"), , drop = FALSE]
  ended <- all(x$here)
  end <- new_alarm("ended", "end", NA, "all frames received", "See them.")
  rbind(if (ended) end, alarms)
}

alarm_object <- function(x, row) {
  until <- if (!is.na(row$until_s)) utc_now(x$placed + row$until_s)
  to_json(Filter(length, list(job = x$job, code = row$code, level = row$level,
                              site = null_if_na(row$site), says = row$says, action = row$action,
                              until = until, at = utc_now(x$placed + x$passed_s),
                              there = sum(x$here), frames = length(x$came))))
}

# The program is started from its argument vector, with the object on its standard input.
run_alarm_program <- function(run, object) {
  input <- tempfile("clockpigeon-told-")
  on.exit(unlink(input, expand = FALSE))
  writeLines(object, input, useBytes = TRUE)
  out <- tryCatch(processx::run(run[1], run[-1], stdin = input, timeout = 30,
                                error_on_status = FALSE),
                  error = function(e) NULL)
  if (is.null(out) || isTRUE(out$timeout)) NA_integer_ else as.integer(out$status)
}

# Posts the object, signed: an HMAC (RFC 2104) with SHA-256 of the moment, a point and the body,
# under the shared secret, so that the receiver can check its origin and age. Passing faults are
# retried under one key. Returns why it did not arrive, or NA.
post_alarm <- function(post, object, key, service = NULL) {
  need_package("curl", "alarms that are posted")
  secret <- secret_text(post$secret, "clockpigeon.yaml, field `tell`, field `post`, field `secret`")
  body <- charToRaw(enc2utf8(object))
  at <- service_time(this_moment())
  service <- first_of(service, list(site = "tell", address = post$address, tries = 4,
                                    timeout_s = 10, sleep = Sys.sleep, clock = this_moment,
                                    request = service_request))
  key <- paste(openssl::sha256(charToRaw(enc2utf8(key))))
  signed <- list("Signature-Moment" = at, "Signature-SHA256" = alarm_signature(secret, at, body))
  said <- tryCatch(ask_service(service, "POST", "", body, key = key, headers = signed),
                   clockpigeon_error_service = identity)
  if (inherits(said, "error")) said$what else NA_character_
}

alarm_signature <- function(secret, at, body) {
  paste(openssl::sha256(c(charToRaw(paste0(at, ".")), body), key = charToRaw(secret)))
}
