# The stand-in as a service: requests in, answers and events out, on the loopback address.

# Settings of serve_standin(). `speed`: how many seconds pass at the farm in one of ours; `faults`:
# from parse_faults(); `real`: frames are rendered, by `slots` of this machine; `seed`: of all
# random parts.
standin_options <- function(port = 8470L, token = NULL, speed = 1, faults = list(), real = FALSE,
                            slots = 2L, seed = 1L) {
  list(port = check_count(port, argument("port"), least = 0, most = 65535), token = token,
       speed = check_number(speed, argument("speed"), above = 0), faults = faults,
       real = check_flag(real, argument("real")),
       slots = check_count(slots, argument("slots"), most = 64),
       seed = check_count(seed, argument("seed"), least = 0))
}

# Serves the rate cards of a project until `done()` says so. `rows`: timings that frames are
# replayed from; `ready(farms, url)` is called once requests are answered.
serve_standin <- function(project, rows, sites, folder, options = standin_options(),
                          ready = function(...) NULL, done = function() FALSE) {
  need_package("nanonext", "stand-ins")
  need_package("later", "stand-ins")
  if (options$real && options$speed != 1) {
    stop_input("usage", "frames that are rendered take the time they take", "option --speed",
               "Leave out one of the two.")
  }
  con <- open_farm_store(folder)
  on.exit(DBI::dbDisconnect(con))
  now <- farm_clock(con, options$speed)
  document <- protocol_document()
  renders <- if (options$real) farm_slots(project, options$slots, paste0("standin-", Sys.getpid()))
  if (options$real) on.exit(close_renders(renders), add = TRUE)
  farms <- lapply(stats::setNames(nm = sites), function(site) {
    made_farm(project, rows, site, folder, con, now, document, options)
  })
  streams <- list2env(list(open = list()), parent = emptyenv())
  handlers <- lapply(farms, function(farm) {
    nanonext::handler_stream(paste0("/", farm$card$site),
                             function(conn, req) answer_request(farm, streams, conn, req),
                             on_close = function(conn)
                             streams$open[[as.character(conn$id)]] <- NULL, prefix = TRUE)
  })
  server <- listening_server(unname(handlers), options$port)
  on.exit(server$close(), add = TRUE)
  ready(farms, server$url)
  while (!done()) {
    nanonext::run_event_loop(20)
    step_farms(farms, renders, streams)
  }
}

# A server on a port of the loopback address; of 0 on one that is free.
listening_server <- function(handlers, port) {
  ports <- if (port > 0) port else 20000L + as.integer(openssl::rand_num(20) * 40000)
  for (one in ports) {
    server <- nanonext::http_server(paste0("http://127.0.0.1:", one), handlers)
    started <- tryCatch({
      server$start()
      TRUE
    }, error = function(e) FALSE)
    if (started) return(server)
  }
  stop_input("service", paste("port", port, "cannot be listened on"), "option --port",
             "Name another one.")
}

# A farm of one rate card, its jobs as its store has them.
made_farm <- function(project, rows, site, folder, con, now, document, options) {
  farm <- list2env(list(
    project = project, card = project_entry(project$sites, site, "site"),
    folder = file.path(folder, site), con = con, now = now, document = document,
    routes = protocol_routes(document), part_bytes = 2^20 - 2^10, jobs = list(),
    token = options$token, began = now(), faults = options$faults, seed = options$seed,
    real = options$real, requests = 0L, charge_every = 30, keep = function(job, event) {
      store_put(con, "events", list(job = job, number = event$number, event = to_json_line(event)))
    }
  ), parent = emptyenv())
  farm$seconds <- function(work) replayed_seconds(project, rows, farm$card, work, options$seed)
  dir.create(farm$folder, FALSE, TRUE)
  kept <- DBI::dbGetQuery(
    con, "SELECT * FROM jobs WHERE site = ? AND deleted IS NULL ORDER BY rowid",
    params = list(site))
  for (k in seq_len(nrow(kept))) {
    said <- jsonlite::parse_json(kept[["request"]][k])
    job <- farm_job(kept[["id"]][k], said$order, kept[["placed"]][k], unlist(said$seconds), farm)
    events <- DBI::dbGetQuery(con, "SELECT event FROM events WHERE job = ? ORDER BY number",
                              params = list(job$id))
    for (text in events[["event"]]) {
      event <- jsonlite::parse_json(text)
      event$at <- as.numeric(event$at)
      apply_farm_event(job, event)
    }
    # Frames that were rendering when the stand-in ended are rendered again.
    if (farm$real) for (node in which(job$nodes[["state"]] == "busy")) {
      tell_farm(job, now(), "lost", job$nodes[["frame"]][node], node)
      job$nodes[node, c("free_at", "ends_at")] <- list(now(), Inf)
      job$nodes$state[node] <- "idle"
    }
    farm$jobs[[job$id]] <- job
  }
  farm
}

# All that happened since: at the farms, in the slots, and then on the streams.
step_farms <- function(farms, renders, streams) {
  for (farm in farms) {
    running <- run_farm(farm)
    if (farm$real && length(running)) step_renders(renders, running, farm$now())
  }
  # A stream whose client is gone must not end the others.
  for (stream in streams$open) tryCatch(send_new_events(stream), error = function(e) NULL)
}

# Run a farm's jobs up to now, and return the running jobs. Requests call this first, so that an
# answer depends on the clock alone.
run_farm <- function(farm) {
  running <- Filter(function(job) is.na(job$halted), farm$jobs)
  if (length(running)) {
    DBI::dbWithTransaction(farm$con, for (job in running) run_farm_job(job, farm$now()))
  }
  running
}

# ---- requests ------------------------------------------------------------------------------------

# One request: an answer, a problem, or a stream that stays open. A connection that is to be cut is,
# before anything was done or after.
answer_request <- function(farm, streams, conn, req) {
  farm$requests <- farm$requests + 1L
  cut <- fault_happens(farm$faults, "cut", farm$seed, paste("request", farm$requests))
  before <- cut &&
    with_seed(stream_seed(farm$seed, paste("before", farm$requests)), stats::runif(1)) < 0.5
  if (before) return(conn$close())
  answer <- kept_answer(farm_reply(farm, req))
  if (cut) return(conn$close())
  if (length(answer$follow)) {
    failed <- kept_answer(open_stream(farm, streams, conn, req, answer$follow))
    if (is.null(failed)) return(invisible())
    answer <- failed
  }
  kind <- if (length(answer$bytes)) "application/octet-stream"
          else if (answer$status >= 400) "application/problem+json" else "application/json"
  conn$set_status(as.integer(answer$status))
  conn$set_header("Content-Type", kind)
  for (name in names(answer$headers)) conn$set_header(name, answer$headers[[name]])
  conn$send(if (length(answer$bytes)) answer$bytes else to_json_line(answer$body))
  conn$close()
}

# An answer, or a problem in its place, so that no request ends the stand-in.
kept_answer <- function(code) {
  tryCatch(code, standin_problem = identity, error = function(e) {
    list(status = 500L,
         body = list(type = "/problems/fault", title = "The stand-in failed", status = 500L,
                     detail = shown_text(conditionMessage(e), 300)))
  })
}

# Answer one request: route, token, body, handler; every error becomes a problem document.
farm_reply <- function(farm, req) {
  run_farm(farm)
  headers <- stats::setNames(as.list(req$headers), tolower(names(req$headers)))
  uri <- strsplit(req$uri, "?", fixed = TRUE)[[1]]
  plain <- !grepl("%00", req$uri, fixed = TRUE) &&
    all(validUTF8(c(uri, utils::URLdecode(req$uri), unlist(headers))))
  if (!plain) farm_problem(400L, "body", "The request is not in UTF-8, or has a null byte")
  path <- substring(uri[1], nchar(farm$card$site) + 2)
  route <- route_of(farm$routes, req$method, path)
  if (is.null(route)) farm_problem(404L, "unknown", "There is no such path", show_value(path))
  if (is.null(route$id))
    farm_problem(405L, "unknown", "This cannot be done here", paste(req$method, show_value(path)))
  if (!route$public) check_farm_token(farm, headers[["authorization"]])
  if (route$id == "follow_job") return(list(follow = needed_job(farm, list(values = route$values))))
  ask <- list(values = route$values, query = parse_query(uri[2]), headers = headers,
              bytes = req$body)
  if (length(route$body)) ask$body <- farm_body(farm, req$body, route$body)
  answer <- farm_answers[[route$id]]
  if (!route$keyed) return(answer(farm, ask))
  said <- paste(req$method, path, rawToChar(req$body))
  farm_once(farm, headers[["idempotency-key"]], said, function() answer(farm, ask))
}

check_farm_token <- function(farm, said) {
  if (is.null(said)) farm_problem(401L, "no-token", "A token is needed", where = "Authorization",
                                  instead = "Send Authorization: Bearer TOKEN.")
  if (!same_secret(said, paste("Bearer", farm$token))) {
    farm_problem(401L, "wrong-token", "The token is not known", where = "Authorization")
  }
  lasts <- farm$faults[["old-token"]]
  if (length(lasts) && farm$now() - farm$began > lasts) {
    farm_problem(401L, "old-token", "The token has expired", where = "Authorization",
                 instead = "Ask for a new one.")
  }
}

parse_query <- function(text) {
  if (is.null(text) || is.na(text)) return(list())
  pairs <- strsplit(strsplit(text, "&", fixed = TRUE)[[1]], "=", fixed = TRUE)
  value <- lapply(pairs, function(pair) utils::URLdecode(or_else(pair[2], "")))
  stats::setNames(value, vapply(pairs, `[`, "", 1))
}

# A body as lists, checked against its schema.
farm_body <- function(farm, bytes, schema) {
  body <- tryCatch(site_json(bytes), error = function(e) NULL)
  if (!is.list(body))
    farm_problem(400L, "body", "The body is no JSON", instead = "Send a JSON object in UTF-8.")
  fault <- schema_fault(body, schema, farm$document)
  if (length(fault))
    farm_problem(422L, "body", "The body is not as it has to be", paste(fault$where, fault$what),
                 fault$where)
  body
}

# A request with a key runs once: repeated, it returns the same answer and does no work.
farm_once <- function(farm, key, said, does) {
  if (is.null(key) || nchar(key) < 8 || nchar(key) > 200) {
    farm_problem(400L, "key", "A key is needed", where = "Idempotency-Key",
                 instead = "Send 8 to 200 characters.")
  }
  site <- farm$card$site
  hash <- paste(openssl::sha256(charToRaw(said)))
  kept <- DBI::dbGetQuery(farm$con, "SELECT * FROM keys WHERE site = ? AND key = ?",
                          params = list(site, key))
  if (nrow(kept)) {
    if (kept[["body"]][1] != hash) farm_problem(422L, "key", "The key was used with another body",
                                                where = "Idempotency-Key",
                                                instead = "Send another key.")
    return(list(status = kept[["status"]][1], body = jsonlite::parse_json(kept[["answer"]][1]),
                headers = c("Idempotent-Replay" = "true")))
  }
  DBI::dbWithTransaction(farm$con, {
    answer <- does()
    store_put(farm$con, "keys", list(site = site, key = key, body = hash, status = answer$status,
                                     answer = to_json_line(answer$body)))
  })
  answer
}

# ---- events --------------------------------------------------------------------------------------

# Open a stream of a job's events for a client.
open_stream <- function(farm, streams, conn, req, job) {
  headers <- stats::setNames(as.list(req$headers), tolower(names(req$headers)))
  after <- suppressWarnings(as.numeric(or_else(headers[["last-event-id"]], "0")))
  if (is.na(after) || after < 0 || after != round(after)) {
    farm_problem(400L, "body", "This is no number of an event",
                 paste("got", show_value(headers[["last-event-id"]])), "Last-Event-ID",
                 "Send the number of the last event that was read, or 0.")
  }
  if (length(streams$open) >= most_streams) {
    farm_problem(503L, "busy", "Too many streams are open", instead = "Close one.")
  }
  stream <- list2env(list(conn = conn, farm = farm, job = job, sent = after, held = list(),
                          quiet = steady_clock()), parent = emptyenv())
  conn$set_header("Content-Type", "text/event-stream")
  conn$set_header("Cache-Control", "no-store")
  conn$send(nanonext::format_sse(to_json_line(list(time = farm_time(farm, farm$now()),
                                                   last = length(job$events))),
                                 event = "now", retry = 1000L))
  streams$open[[as.character(conn$id)]] <- stream
  send_new_events(stream)
  NULL
}

# Streams that may be open at once; each costs a turn of the stand-in's loop.
most_streams <- 100

# Events that a stream has not sent; by its faults some come late, after others, or twice.
send_new_events <- function(stream) {
  wall <- steady_clock()
  farm <- stream$farm
  happens <- function(kind, event)
    fault_happens(farm$faults, kind, farm$seed, paste(stream$job$id, event$number))
  while (stream$sent < length(stream$job$events)) {
    event <- stream$job$events[[stream$sent + 1]]
    stream$sent <- stream$sent + 1
    late <- if (happens("delayed", event)) 3 else if (happens("disordered", event)) 0.2 else 0
    stream$held[[length(stream$held) + 1]] <- list(event = event, due = wall + late)
  }
  due <- vapply(stream$held, `[[`, 0, "due") <= wall
  for (held in stream$held[due]) {
    text <- nanonext::format_sse(to_json_line(shown_event(farm, held$event)),
                                 id = paste(held$event$number))
    stream$conn$send(text)
    if (happens("doubled", held$event)) stream$conn$send(text)
    stream$quiet <- wall
  }
  stream$held <- stream$held[!due]
  if (wall - stream$quiet > 15) {
    stream$conn$send(": still here\n\n")
    stream$quiet <- wall
  }
}

shown_event <- function(farm, event) {
  event$at <- farm_time(farm, event$at)
  event
}
