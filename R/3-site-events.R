# A site's stream of events, read as far as it has come.

# Opens the stream of a remote job behind event `after`; read_site_events() then gives what has
# come. Nothing is lost when it is cut: it is opened again behind the last event that was read.
open_site_events <- function(service, job, after = 0) {
  list2env(list(service = service, job = job, last = after, early = numeric(), known = NULL,
                pending = raw(), pool = NULL, status = 0L, ahead_s = NULL, ended = TRUE, tried = 0),
           parent = emptyenv())
}

# New events as a list, waiting `seconds` at most for events that the site already has. Fails if the
# site refuses; returns the events received so far if it cannot be reached.
read_site_events <- function(stream, seconds = 5) {
  until <- steady_clock() + seconds
  found <- list()
  repeat {
    if (stream$ended) or_else(stream$service$connect, connect_stream)(stream)
    stream$pull(min(0.1, max(0.01, until - steady_clock())))
    found <- c(found, take_events(stream))
    if (stream$status >= 400) stream_refused(stream)
    if (is_caught_up(stream) || steady_clock() >= until) return(found)
    if (stream$ended) stream$service$sleep(min(1, 0.1 * stream$tried))
  }
}

# Opens the stream after the last known event; `pull` then takes the events of a number of seconds.
connect_stream <- function(stream) {
  stream$tried <- stream$tried + 1
  stream$ended <- FALSE
  stream$status <- 0L
  stream$pending <- raw()
  stream$full <- FALSE
  stream$asked <- stream$service$clock()
  handle <- service_handle(stream$service, "GET", NULL, list(
    Authorization = paste("Bearer", stream$service$token), Accept = "text/event-stream",
    "Last-Event-ID" = sprintf("%.0f", stream$last)
  ), Inf)
  stream$pool <- curl::new_pool()
  stream$pull <- function(seconds) wait_for_bytes(stream, seconds)
  curl::handle_setopt(handle, url = service_url(stream$service,
                                                paste0("/events/", path_piece(stream$job))))
  curl::multi_add(handle, pool = stream$pool, done = function(answer) {
    stream$status <- answer$status_code
    stream$ended <- TRUE
  }, fail = function(message) stream$ended <- TRUE, data = function(bytes, ...) {
    if (length(stream$pending) <= pending_bytes) stream$pending <- c(stream$pending, bytes)
    else stream$full <- TRUE
  })
}

# Bytes of events that wait to be read, and of one event at most.
pending_bytes <- 2^20
event_bytes <- 65536

# Take bytes as they come, until some are here, the stream ends or the time is over. Polling without
# a timeout: with one, curl 5.0 counts whole seconds and spins meanwhile.
wait_for_bytes <- function(stream, seconds) {
  until <- steady_clock() + seconds
  had <- length(stream$pending)
  repeat {
    curl::multi_run(timeout = 0, pool = stream$pool)
    if (length(stream$pending) > had || stream$ended || steady_clock() >= until) break
    Sys.sleep(0.005)
  }
  # Read a large backlog in turns: the next request continues after the last event that was read.
  if (stream$full) {
    lapply(curl::multi_list(stream$pool), curl::multi_cancel)
    stream$ended <- TRUE
  }
}

# Whole events among the bytes that came; the rest waits for more. An error for an event that is
# longer than any of the protocol's can be.
take_events <- function(stream) {
  found <- split_events(stream$pending)
  stream$pending <- found$rest
  if (length(found$rest) > event_bytes) {
    stream$ended <- TRUE
    stop_input("service", paste("sent an event of more than", format_size(event_bytes)),
               paste0(stream$service$site, ", ", stream$service$address),
               "It may speak another protocol than this one.")
  }
  events <- list()
  for (event in found$events) {
    x <- event_content(event)
    if (is.null(x)) next
    if (identical(event$event, "now")) {
      note_present(stream, x)
      next
    }
    x$number <- event_number(event, x)
    if (!answer_types$count(x$number) || x$number < 1) next
    events[[length(events) + 1]] <- x
    note_number(stream, x$number)
  }
  if (length(events) || is_caught_up(stream)) stream$tried <- 0
  events
}

# The number up to which no event is missing: a later one that overtook another does not hide it.
note_number <- function(stream, number) {
  stream$early <- union(stream$early[stream$early > stream$last], number[number > stream$last])
  while ((stream$last + 1) %in% stream$early) stream$last <- stream$last + 1
}

# That the site has an event of this number: reading waits for it.
expect_number <- function(stream, number) stream$known <- max(stream$known, as.numeric(number))

# Have all events that the site knew of at the request arrived?
is_caught_up <- function(stream) length(stream$known) > 0 && stream$last >= stream$known

# Server-sent events among bytes (HTML standard, section 9.2): a list of `events`, each `event`,
# `id` and `data`, and the bytes of what is not whole yet. Lines end with CR, LF or both; comments
# and unknown fields are passed over.
split_events <- function(bytes) {
  cr <- as.raw(13)
  lf <- as.raw(10)
  bytes <- bytes[bytes != as.raw(0)]
  # A CR that stands last may be half of a line's end; a letter of several bytes may be cut
  # anywhere.
  half <- utils::tail(bytes, 1)[utils::tail(bytes, 1) == cr]
  if (length(half)) bytes <- utils::head(bytes, -1)
  bytes <- bytes[!(bytes == cr & c(bytes[-1], as.raw(0)) == lf)]
  bytes[bytes == cr] <- lf
  ends <- which(bytes[-length(bytes)] == lf & bytes[-1] == lf)
  if (!length(ends)) return(list(events = list(), rest = c(bytes, half)))
  cut <- ends[length(ends)] + 1
  whole <- rawToChar(bytes[seq_len(cut)])
  rest <- c(bytes[-seq_len(cut)], half)
  blocks <- strsplit(whole, "\n\n+", useBytes = TRUE)[[1]]
  events <- lapply(blocks[nzchar(blocks)], function(block) {
    lines <- strsplit(block, "\n", fixed = TRUE, useBytes = TRUE)[[1]]
    lines <- lines[!startsWith(lines, ":")]
    if (!length(lines)) return(NULL)
    name <- sub(":.*", "", lines)
    value <- ifelse(grepl(":", lines, fixed = TRUE), sub("^[^:]*: ?", "", lines), "")
    Encoding(value) <- "UTF-8"
    data <- value[name == "data"]
    if (!length(data)) return(NULL)
    list(event = or_else(utils::tail(value[name == "event"], 1), "message"),
         id = null_last(value[name == "id"]),
         data = paste(data, collapse = "\n"))
  })
  list(events = Filter(length, events), rest = rest)
}

null_last <- function(x) if (length(x)) x[length(x)]

stream_refused <- function(stream) {
  status <- stream$status
  refuse_answer(stream$service, list(status = status, body = stream$pending), "GET",
                paste0("/events/", stream$job))
}

close_site_events <- function(stream) {
  if (length(stream$pool)) lapply(curl::multi_list(stream$pool), curl::multi_cancel)
  stream$ended <- TRUE
  invisible()
}

# Connections that stay open from one question to the next: services, streams and reports of sites.
# `service` makes the service of a site; `patience_s`: how long to wait for events that the site
# already has.
new_links <- function(service = site_service, patience_s = 3) {
  list2env(list(service = service, streams = list(), reports = list(), patience_s = patience_s),
           parent = emptyenv())
}

close_links <- function(links) {
  lapply(links$streams, close_site_events)
  links$streams <- list()
  invisible()
}

# The fields of an event, or NULL for what is too long or no object.
event_content <- function(event) {
  if (nchar(event$data, "bytes") > event_bytes) return(NULL)
  x <- tryCatch(site_json(charToRaw(event$data)), error = function(e) NULL)
  if (is.list(x) && !is.null(names(x))) x
}

# The number of an event, from its id or else its own field; NA if neither is one.
event_number <- function(event, x) {
  own <- if (answer_types$count(x$number)) x$number else NA
  suppressWarnings(as.numeric(or_else(event$id, own)))
}

# A site's clock, and the number of its last event.
note_present <- function(stream, x) {
  if (answer_types$moment(x$time))
    stream$ahead_s <- clock_ahead(x$time, stream$asked, stream$service$clock())
  stream$known <- if (answer_types$count(x$last)) as.numeric(x$last) else 0
}
