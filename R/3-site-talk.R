# Talking to a site over our protocol (inst/protocol/site.yaml): one question, asked again where
# that can help.

# Access to a service: `address` (of the site's service), `token`, the number of attempts (`tries`),
# the time limit of one answer (`timeout_s`), the end of all requests (`until`, by the steady
# clock), the largest answer in bytes (`most`), and the parts that tests replace: the clocks and the
# request (`request`; `connect`, if given, reads its events). Fails if the token cannot be read.
site_service <- function(site, tries = 5, timeout_s = 60, sleep = Sys.sleep, clock = this_moment) {
  need_package("curl", "sites that are reached by an address")
  if (is.null(site$service$address)) {
    stop_input("service", "has no address any more",
               paste0("sites/", site$site, ".yaml, field `service`"),
               "Write `service` there again: jobs were sent to it.")
  }
  list(site = site$site, address = sub("/+$", "", site$service$address),
       token = service_token(site), tries = tries, timeout_s = timeout_s, until = Inf,
       most = json_bytes, sleep = sleep, clock = clock, request = service_request)
}

# An answer in JSON is a page of rows, a bill or a state: 8 MB hold 20,000 lines of a bill.
json_bytes <- 8e6

# The same service with one deadline for all requests from now on.
service_within <- function(service, seconds) {
  service$until <- steady_clock() + seconds
  service
}

# The bearer token of a site.
service_token <- function(site) {
  secret_text(site$service$token,
              paste0("sites/", site$site, ".yaml, field `service`, field `token`"))
}

# A secret, from a variable of the environment or the first line of a file.
secret_text <- function(from, where) {
  if (length(from$env)) {
    token <- Sys.getenv(from$env)
    if (!nzchar(token)) {
      stop_input("service", paste0("the variable ", from$env, " is not set"), where,
                 paste0("Write export ", from$env, "=TOKEN before the command."))
    }
    return(token)
  }
  path <- path.expand(from$file)
  if (!file.exists(path))
    stop_input("service", paste("there is no file", show_value(from$file)), where, "Write it.")
  token <- trimws(c(readLines(path, 1, warn = FALSE), "")[1])
  if (!nzchar(token))
    stop_input("service", paste(show_value(from$file), "is empty"), where, "Write the token in it.")
  token
}

# Are two texts equal? The time it takes does not reveal where they differ.
same_secret <- function(given, secret) {
  digest <- function(x) as.integer(openssl::sha256(charToRaw(enc2utf8(paste(x)))))
  sum(bitwXor(digest(given), digest(secret))) == 0
}

# One request and its answer: a list of `status`, `body` (raw), `headers` (names in small letters),
# `replay`. Passing faults (no connection, a cut one, 429, 500 and above) are retried after a wait
# that doubles, with jitter: half to all of it (Brooker 2015, "Exponential backoff and jitter"), or
# after the wait that the site requests. Every request may be repeated: POSTs carry `key`, which
# makes the site act once.
ask_service <- function(service, method, path, body = NULL, key = NULL, type = "application/json",
                        headers = list(), query = list()) {
  if (is.list(body)) body <- charToRaw(enc2utf8(to_json_line(body)))
  url <- service_url(service, path, query)
  headers <- c(request_headers(service, body, key, type), headers)
  for (try in seq_len(service$tries)) {
    answer <- tryCatch(service$request(service, method, url, body, headers), error = identity)
    wait <- retry_wait(answer, try)
    if (is.na(wait) || try == service$tries) break
    if (steady_clock() + wait >= or_else(service$until, Inf)) {
      if (inherits(answer, "error")) break
      stop_input("service", paste0("asks to wait ", format_duration(wait), " (status ",
                                   answer$status, ")"),
                 paste0(service$site, ", ", service$address), "Ask again later.")
    }
    service$sleep(wait)
  }
  if (inherits(answer, "error")) stop_unanswered(service, answer)
  if (answer$status >= 400) refuse_answer(service, answer, method, path)
  answer
}

# The answer's JSON as lists, with what it must have: `needed`, a type (3-site-answers.R) by the
# name of its field.
ask_json <- function(service, method, path, ..., needed = character()) {
  answer <- ask_service(service, method, path, ...)
  x <- tryCatch(site_json(answer$body), error = identity)
  refuse <- function(why) {
    stop_input("service", paste0("answered ", method, " ", path, " ", why),
               paste0(service$site, ", ", service$address),
               "It may speak another protocol than this one.")
  }
  if (inherits(x, "error")) refuse(paste("with no JSON:", conditionMessage(x)))
  fault <- answer_fault(x, needed)
  if (length(fault)) refuse(paste("with a record that", fault))
  x
}

# JSON of a site as lists. The text is never taken for an address or a path, and its depth is
# counted before it is parsed: the parser calls itself for each level.
site_json <- function(bytes) {
  if (!length(bytes)) stop("it is empty", call. = FALSE)
  if (any(bytes == as.raw(0))) stop("it has null bytes", call. = FALSE)
  text <- rawToChar(bytes)
  if (!validUTF8(text)) stop("it is not in UTF-8", call. = FALSE)
  if (json_depth(bytes) > 64) stop("it is nested more than 64 deep", call. = FALSE)
  parse_json(text, simplifyVector = FALSE)
}

to_json_line <- function(x) {
  as.character(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, null = "null", na = "null"))
}

service_url <- function(service, path, query = list()) {
  query <- Filter(length, query)
  more <- vapply(names(query), function(name) paste0(name, "=", curl::curl_escape(query[[name]])),
                 "")
  paste0(service$address, path, if (length(more)) paste0("?", paste(more, collapse = "&")))
}

# Part of a path, with any characters in it.
path_piece <- function(x) curl::curl_escape(as.character(x))

# A handle for one request. Nothing is decompressed, since a small body could become a very large
# one; no redirect is followed; a minute of silence ends it.
service_handle <- function(service, method, body, headers, timeout_s = service$timeout_s) {
  handle <- curl::new_handle()
  curl::handle_setopt(handle, customrequest = method, connecttimeout = 10,
                      noproxy = "localhost,127.0.0.1,[::1]", followlocation = FALSE,
                      useragent = "clockpigeon", accept_encoding = NULL, low_speed_limit = 1,
                      low_speed_time = 60)
  if (is.finite(timeout_s))
    curl::handle_setopt(handle, timeout_ms = max(1, round(1000 * timeout_s)))
  if (length(body)) curl::handle_setopt(handle, postfieldsize = length(body), postfields = body)
  # Without `Expect:` a body waits a second for an answer that few servers give.
  curl::handle_setheaders(handle, .list = c(headers, list(Expect = "")))
  handle
}

# One request and its answer, which is read piece by piece and given up when it is longer than
# `service$most`.
service_request <- function(service, method, url, body, headers) {
  left <- min(service$timeout_s, service$until - steady_clock())
  if (left <= 0) stop("the time is over", call. = FALSE)
  got <- new.env(parent = emptyenv())
  got$pieces <- list()
  got$size <- 0
  pool <- curl::new_pool()
  handle <- service_handle(service, method, body, headers, left)
  curl::handle_setopt(handle, url = url)
  curl::multi_add(handle, pool = pool, done = function(answer) got$answer <- answer,
                  fail = function(message) got$failed <- message, data = function(bytes, ...) {
    got$size <- got$size + length(bytes)
    if (got$size <= service$most) got$pieces[[length(got$pieces) + 1]] <- bytes
  })
  on.exit(lapply(curl::multi_list(pool), curl::multi_cancel))
  # With a timeout, curl 5.0 counts whole seconds and spins meanwhile.
  waits <- function() is.null(got$answer) && is.null(got$failed) && got$size <= service$most
  while (waits()) {
    tryCatch(curl::multi_run(timeout = 0, pool = pool),
             error = function(e) got$failed <- conditionMessage(e))
    if (waits()) Sys.sleep(0.002)
  }
  refuse <- function(what) {
    stop_input("service", what, paste0(service$site, ", ", service$address),
               "It may speak another protocol than this one.")
  }
  if (got$size > service$most)
    refuse(paste("sent more than", format_size(service$most), "as one answer"))
  if (length(got$failed)) stop(got$failed, call. = FALSE)
  lines <- curl::parse_headers_list(got$answer$headers)
  coded <- or_else(lines[["content-encoding"]], "identity")
  if (!identical(tolower(coded), "identity")) {
    refuse(paste("sent an answer in the encoding", show_value(coded), "that was not requested"))
  }
  list(status = got$answer$status_code, body = as.raw(unlist(got$pieces)), headers = lines,
       replay = identical(lines[["idempotent-replay"]], "true"))
}

# Seconds until the next attempt; NA: none. Uses the wait that a site requests, up to five minutes.
retry_wait <- function(answer, try, jitter = openssl::rand_num(1)) {
  passing <- inherits(answer, "error") || answer$status %in% c(408, 425, 429) ||
    answer$status >= 500
  if (!passing) return(NA_real_)
  said <- if (!inherits(answer, "error"))
    suppressWarnings(as.numeric(answer$headers[["retry-after"]]))
  if (length(said) && !is.na(said)) return(min(300, max(0, said)))
  min(30, 0.25 * 2^(try - 1)) * (1 + jitter) / 2
}

# A refusal as the error it is: what the site says of it, and what to do.
refuse_answer <- function(service, answer, method, path) {
  x <- tryCatch(site_json(answer$body), error = function(e) NULL)
  if (!is.list(x) || is.null(names(x))) x <- list()
  said <- function(name) if (is.character(x[[name]]) && length(x[[name]]) == 1)
    shown_text(x[[name]], 300)
  text <- first_of(said("detail"), said("title"), paste("status", answer$status))
  instead <- first_of(said("instead"),
                      if (answer$status == 401) "See the token that the site's file names.")
  error <- tryCatch(
    stop_input("service", paste0("refused ", method, " ", path, ": ", sub("[.]$", "", text)),
               paste0(service$site, ", ", service$address), instead),
    error = identity
  )
  error$status <- answer$status
  error$problem <- sub("^.*/", "", or_else(said("type"), ""))
  stop(error)
}

# Seconds by which the site's clock is ahead of ours, from its time and the time of the request
# (`before`, `after`: the midpoint, as NTP does, RFC 5905). Differences below the duration of the
# answer are not significant.
clock_ahead <- function(told, before, after) {
  told <- as.numeric(service_moment(told))
  ahead <- told - (as.numeric(before) + as.numeric(after)) / 2
  if (is.na(ahead) || abs(ahead) <= max(1, as.numeric(after) - as.numeric(before))) 0 else ahead
}

# Self-description of a site, and how far ahead its clock is.
ask_site <- function(service) {
  before <- service$clock()
  x <- ask_json(service, "GET", "/site", needed = c(
    site = "text", protocol = "text", time = "moment", currency = "currency",
    part_bytes = "part_bytes", tiers = "rows"
  ))
  if (!identical(x$protocol, "1")) {
    stop_input("service", paste("speaks protocol", show_value(x$protocol), "and this is 1"),
               paste0(service$site, ", ", service$address), "Use a release that speaks it.")
  }
  c(x, list(ahead_s = clock_ahead(x$time, before, service$clock())))
}

# All rows of a paged list.
ask_pages <- function(service, path, field, most = 100) {
  rows <- list()
  after <- 0
  for (page in seq_len(1000)) {
    x <- ask_json(service, "GET", path, query = list(after = after, most = most),
                  needed = stats::setNames("rows", field))
    rows <- c(rows, x[[field]])
    if (is.null(x[["next"]])) return(rows)
    if (!answer_types$count(x[["next"]]) || x[["next"]] <= after) break
    after <- x[["next"]]
  }
  stop_input("service", paste("pages of", path, "do not end"),
             paste0(service$site, ", ", service$address),
             "It may speak another protocol than this one.")
}

stop_unanswered <- function(service, error) {
  if (inherits(error, "clockpigeon_error")) stop(error)
  stop_input("service",
             paste0("does not answer: ", sub("[.]$", "", trimws(conditionMessage(error)))),
             paste0(service$site, ", ", service$address),
             "See whether the site is up, and its address in the file.")
}

request_headers <- function(service, body, key, type) {
  c(if (length(service$token)) list(Authorization = paste("Bearer", service$token)),
    list(Accept = "application/json"),
    if (length(body)) list("Content-Type" = type),
    if (length(key)) list("Idempotency-Key" = key))
}
