# Hostile sites and clients: what they send, and that the answer is one sentence of ours, within
# bounds of time and memory, with nothing written where it should not be and nothing lost. A short
# form runs with the tests, all of it is
#
#   Rscript tests/hostile/hostile.R LIBRARY [PART]      prints `class attempts passed`, and each
#   that did not
#
# PART: of how many cases one runs, 1 for all.
here <- if (file.exists("tests/hostile")) "tests/hostile" else "../hostile"

# ---- sites that lie in their answers -------------------------------------------------------------

odd_values <- list(1e308, -1e308, -1, "x", list(), list(1, 2), TRUE, "http://127.0.0.1:1/x",
                   "\u001b[2J\u202e", 2.5)
odd_moments <- list("1969-07-20T20:17:00Z", "2999-01-01T00:00:00Z", "yesterday", 4, list())

# Modes: `at` (a pattern of the path), and what becomes of the answer as lists.
answer_modes <- function() {
  out <- list()
  add <- function(name, at, change) out[[name]] <<- list(at = at, change = change)
  for (field in c("state", "frames", "ready", "spent", "currency", "last_event")) {
    for (k in c(1, 3:5, 7:8)) local({
      field <- field
      value <- odd_values[[k]]
      add(paste("job", field, k), "/jobs/[^/]+$", function(x) {
        x[field] <- list(value)
        x
      })
    })
    local({
      field <- field
      add(paste("job without", field), "/jobs/[^/]+$", function(x) x[setdiff(names(x), field)])
    })
  }
  add("job currency ZZZ", "/jobs/[^/]+$", function(x) utils::modifyList(x, list(currency = "ZZZ")))
  for (k in c(1:4, 6)) local({
    value <- odd_values[[k]]
    add(paste("job left_s", k), "/jobs/[^/]+$", function(x) {
      x["left_s"] <- list(value)
      x
    })
  })
  for (field in c("shot", "frame", "state", "parts", "bytes", "sha256", "seconds", "charge",
                  "node")) {
    for (k in c(1, 3, 4, 6)) local({
      field <- field
      value <- odd_values[[k]]
      add(paste("frames", field, k), "/frames", function(x) {
        x$frames <- lapply(x$frames, function(row) {
          row[field] <- list(value)
          row
        })
        x
      })
    })
  }
  add("frames many parts", "/frames", function(x) {
    x$frames <- lapply(x$frames, function(row)
                       utils::modifyList(row, list(parts = 1e6, bytes = 4000)))
    x
  })
  add("frames large", "/frames", function(x) {
    x$frames <- lapply(x$frames, function(row)
                       utils::modifyList(row, list(parts = 9e6, bytes = 9e12)))
    x
  })
  add("frames climb", "/frames", function(x) {
    x$frames <- lapply(x$frames, function(row) utils::modifyList(row, list(shot = "../../evil")))
    x
  })
  add("frames no rows", "/frames", function(x) list(frames = list(1, "a", list())))
  add("frames no list", "/frames", function(x) list(frames = "all"))
  for (text in c("", "null", "[", "12", "[]", "\"x\"", "http://127.0.0.1:1/x", "/etc/passwd",
                 "{\"a\":")) local({
    text <- text
    add(paste("body", text), "/jobs/[^/]+$", function(x) charToRaw(text))
  })
  out
}

event_modes <- function() {
  out <- list()
  add <- function(name, change) out[[name]] <<- change
  for (at in odd_moments) local({
    at <- at
    add(paste("event at", format(at)), function(e) utils::modifyList(e, list(at = at)))
  })
  for (field in c("seconds", "amount", "frame", "shot", "what", "node")) for (k in c(1:4)) local({
    field <- field
    value <- odd_values[[k]]
    add(paste("event", field, k), function(e) {
      e[field] <- list(value)
      e
    })
  })
  out
}

bill_modes <- function() {
  lines <- function(field, value) function(x) {
    x$lines <- lapply(x$lines, function(row) {
      row[field] <- list(value)
      row
    })
    x
  }
  list(
    "bill amount 1e308" = lines("amount", 1e308), "bill amount -1e308" = lines("amount", -1e308),
    "bill no amount" = function(x) {
      x$lines <- lapply(x$lines, function(row) row[setdiff(names(row), "amount")])
      x
    },
    "bill amount text" = lines("amount", "much"), "bill price 1e308" = lines("price", 1e308),
    "bill quantity list" = lines("quantity", list(1)),
    "bill item 1e4" = lines("item", strrep("x", 1e4)),
    "bill currency" = function(x) utils::modifyList(x, list(currency = "ZZZ")),
    "bill total" = function(x) utils::modifyList(x, list(total = list())),
    "bill last" = function(x) utils::modifyList(x, list(last = "yes")),
    "bill many lines" = function(x)
    utils::modifyList(x, list(lines = rep(x$lines, length.out = 10001))),
    "bill lines text" = function(x) utils::modifyList(x, list(lines = "all"))
  )
}

# Every mode once, at one job that goes on: what the mode breaks must be whole when it is over.
# `keep`: which of the modes.
run_site_modes <- function(keep = function(k) TRUE, seed = 1) {
  env <- environment()
  x <- at_farm(frames = "1-40", seconds = 60, env = env)
  x$send()
  plain <- x$service$request
  rows <- list()
  record <- function(class, name, code) {
    began <- Sys.time()
    says <- tryCatch({
      code()
      ""
    }, error = function(e) paste0(class(e)[1], ": ", conditionMessage(e)),
                     warning = function(w) paste("WARNING", conditionMessage(w)))
    took <- as.numeric(Sys.time() - began, units = "secs")
    if (!nzchar(says) && took > 30) says <- sprintf("took %.0f s", took)
    rows[[length(rows) + 1]] <<- data.frame(class = class, name = name, says = says)
  }
  whole <- function() {
    x$service$request <- plain
    stopifnot(nrow(x$fetch()) == 1)
    seen <- x$watch()
    stopifnot(all(is.finite(seen$draws$cost)))
  }
  modes <- answer_modes()
  for (k in Filter(keep, seq_along(modes))) record("site answers", names(modes)[k], function() {
    x$pass(4)
    x$service$request <- function(service, method, url, ...) {
      answer <- plain(service, method, url, ...)
      if (method != "GET" || !grepl(modes[[k]]$at, sub("[?].*", "", url))) return(answer)
      made <- modes[[k]]$change(clockpigeon:::site_json(answer$body))
      answer$body <- if (is.raw(made)) made else charToRaw(clockpigeon:::to_json_line(made))
      answer
    }
    x$fetch()
    whole()
  })
  x$service$request <- plain
  changes <- event_modes()
  farm <- x$farm
  shown <- clockpigeon:::shown_event
  for (k in Filter(keep, seq_along(changes))) record("site events", names(changes)[k], function() {
    x$pass(4)
    local_value("shown_event", function(farm, event) changes[[k]](shown(farm, event)))
    x$fetch()
    local_value("shown_event", shown)
    whole()
  })
  x$pass(36000)
  bills <- bill_modes()
  for (k in Filter(keep, seq_along(bills))) record("site bills", names(bills)[k], function() {
    x$service$request <- function(service, method, url, ...) {
      answer <- plain(service, method, url, ...)
      if (!grepl("/bill$", url)) return(answer)
      answer$body <-
        charToRaw(clockpigeon:::to_json_line(bills[[k]](clockpigeon:::site_json(answer$body))))
      answer
    }
    x$fetch()
    whole()
  })
  record("site answers", "all frames are home, and the bill is settled", function() {
    whole()
    stopifnot(x$fetch()$here == 40, length(x$pictures()) == 40)
    settled <- settle_job(x$project, x$ledger, "review-1")
    stopifnot(is.finite(settled$billed), settled$billed >= 0)
    stopifnot(!length(list.files(dirname(x$folder), "evil", recursive = TRUE)))
  })
  do.call(rbind, rows)
}

# ---- sites that lie on the wire ------------------------------------------------------------------

run_wire_modes <- function(keep = function(k) TRUE, folder = tempfile("hostile-"), patience = 12) {
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  counts <- file.path(folder, "counts")
  port <- 20000L + as.integer(openssl::rand_num() * 20000)
  script <- normalizePath(file.path(here, "server.R"))
  server <- processx::process$new(file.path(R.home("bin"), "Rscript"),
                                  c("--no-init-file", script, port, counts),
                                  cleanup = TRUE, stderr = NULL, stdout = NULL)
  on.exit(server$kill(), add = TRUE, after = FALSE)
  wire <- new.env()
  sys.source(script, wire)
  service <- function(mode)
    list(site = "far", address = paste0("http://127.0.0.1:", port, "/", mode), token = "t",
         tries = 2, timeout_s = 3, until = clockpigeon:::steady_clock() + 6,
         most = clockpigeon:::json_bytes, sleep = Sys.sleep, clock = Sys.time,
         request = clockpigeon:::service_request)
  up <- FALSE
  for (k in 1:100) {
    up <- tryCatch({
      curl::curl_fetch_memory(paste0("http://127.0.0.1:", port, "/ready"))
      TRUE
    }, error = function(e) FALSE)
    if (up) break
    Sys.sleep(0.1)
  }
  stopifnot(up)
  memory <- function() ps::ps_memory_info()[["rss"]] / 1e6
  rows <- lapply(Filter(keep, seq_along(wire$modes)), function(k) {
    mode <- names(wire$modes)[k]
    gc()
    before <- memory()
    began <- Sys.time()
    says <- tryCatch({
      if (startsWith(mode, "event")) {
        stream <- clockpigeon:::open_site_events(service(mode), "j")
        clockpigeon:::expect_number(stream, 1e6)
        clockpigeon:::read_site_events(stream, 3)
        clockpigeon:::close_site_events(stream)
      } else clockpigeon:::site_job(service(mode), "j")
      ""
    }, clockpigeon_error_service = function(e) if (grepl("[[:cntrl:]]", conditionMessage(e)))
                     "control characters" else "",
    error = function(e) paste("foreign:", conditionMessage(e)),
                     warning = function(w) paste("WARNING", conditionMessage(w)))
    took <- as.numeric(Sys.time() - began, units = "secs")
    if (!nzchar(says) && took > patience) says <- sprintf("took %.0f s", took)
    if (!nzchar(says) && memory() - before > 300) says <- sprintf("took %.0f MB", memory() - before)
    data.frame(class = "site on the wire", name = mode, says = says)
  })
  rows <- do.call(rbind, rows)
  rbind(rows, data.frame(class = "site on the wire", name = "no address in an answer was asked",
                         says = if (file.exists(counts)) "it was" else ""))
}

# ---- clients of a stand-in -----------------------------------------------------------------------

client_requests <- function() {
  paths <- c("/site", "/engines", "/jobs", "/jobs/saltmill-1", "/jobs/%00", "/jobs/..%2f..",
             "/jobs/saltmill-1/frames", "/jobs/saltmill-1/pictures/gears/1/parts/1",
             "/jobs/saltmill-1/bill", "/files/0/parts/1", "/events/saltmill-1", "/nowhere",
             "/%ff%fe", paste0("/", strrep("x", 3000)))
  reads <- expand.grid(path = paths,
                       query = c("", "?after=-1", "?after=1e308&most=x", "?%00=%00&&&=",
                                 "?after=%ff"),
                       stringsAsFactors = FALSE)
  out <- lapply(seq_len(nrow(reads)),
                function(k) list(method = "GET", path = paste0(reads$path[k], reads$query[k])))
  for (id in c("-5", "1e308", "x", "", "2.5", "\u00e9", strrep("9", 400))) {
    out <- c(out, list(list(method = "GET", path = "/events/saltmill-1",
                            headers = list("Last-Event-ID" = id))))
  }
  bodies <- c("", "{", "null", "[]", "\"http://127.0.0.1:1/x\"", "http://127.0.0.1:1/x",
              "/etc/passwd", strrep("[", 1e5), "{\"order\":1e308}",
              "{\"order\":\"cap\",\"cap\":{\"amount\":-1e308,\"currency\":\"GBP\"}}")
  for (path in c("/jobs", "/quotes", "/files", "/jobs/saltmill-1/orders")) for (body in bodies) {
    out <- c(out, list(list(method = "POST", path = path, body = body,
                            headers = list("Idempotency-Key" = "key-of-the-test"))))
  }
  for (method in c("PUT", "DELETE", "PATCH", "TRACE", "BREW")) {
    out <- c(out, list(list(method = method, path = "/jobs/saltmill-1"),
                       list(method = method, path = "/files/x/parts/y", body = "x")))
  }
  for (token in c("", "Bearer ", "Basic x", paste("Bearer", strrep("x", 5000)),
                  "Bearer token-of-the-tes", "bearer token-of-the-test")) {
    out <- c(out, list(list(method = "GET", path = "/jobs", headers = list(Authorization = token))))
  }
  out
}

# Each request to a stand-in that runs: an answer of 4xx (or what was asked for), or none where its
# HTTP server refuses the address itself, and the stand-in answers the next.
run_client_requests <- function(url, token, keep = function(k) TRUE) {
  ask <- function(one) {
    handle <- curl::new_handle(customrequest = one$method, timeout = 5, noproxy = "*",
                               path_as_is = TRUE)
    if (length(one$body) && nzchar(one$body)) {
      bytes <- charToRaw(one$body)
      curl::handle_setopt(handle, postfields = bytes, postfieldsize = length(bytes))
    }
    headers <- utils::modifyList(list(Authorization = paste("Bearer", token),
                                      "Content-Type" = "application/json", Expect = ""),
                                 as.list(one$headers))
    curl::handle_setheaders(handle, .list = headers)
    if (grepl("^/events", one$path)) curl::handle_setopt(handle, timeout = 1)
    tryCatch(curl::curl_fetch_memory(paste0(url, "/saltmill", one$path), handle)$status_code,
             error = function(e) {
      structure(NA, why = conditionMessage(e))
    })
  }
  requests <- client_requests()
  rows <- lapply(Filter(keep, seq_along(requests)), function(k) {
    one <- requests[[k]]
    status <- ask(one)
    alive <- ask(list(method = "GET", path = "/site"))
    streams <- grepl("^/events", one$path)
    says <- if (!identical(as.integer(alive), 200L)) "the stand-in answers no more"
            else if (is.na(status) && !streams &&
                     !grepl("Empty reply|reset by peer", attr(status, "why")))
                       paste("no answer:",
                             attr(status, "why")) else if (!is.na(status) && status >= 500)
                               paste("status", status) else ""
    data.frame(class = "clients of a stand-in",
               name = paste(one$method, substr(one$path, 1, 60), substr(paste(one$body), 1, 20),
                            substr(paste(unlist(one$headers), collapse = " "), 1, 30)), says = says)
  })
  do.call(rbind, rows)
}

# ---- WebSockets of the page ----------------------------------------------------------------------

socket_cases <- function(port, token) {
  page <- paste0("http://127.0.0.1:", port)
  cookie <- paste0("clockpigeon-", port, "=", token)
  origins <- c(page, "http://elsewhere.example", "null", "", paste0("http://127.0.0.1:", port + 1),
               "https://127.0.0.1", paste0(page, ".elsewhere.example"))
  cookies <- c(cookie, "", sub(".$", "", cookie))
  out <- lapply(seq_len(21), function(k) {
    origin <- origins[(k - 1) %% 7 + 1]
    sent <- cookies[(k - 1) %/% 7 + 1]
    list(name = paste("origin", origin, "cookie", substr(sent, 1, 12), nchar(sent)),
         origin = origin, cookie = sent,
         path = "/websocket/", good = origin == page && sent == cookie)
  })
  c(out, list(list(name = "the token in the address alone", origin = page, cookie = "",
                   good = FALSE, path = paste0("/websocket/?token=", token)),
              list(name = "another host", origin = page, cookie = cookie,
                   host = "elsewhere.example", path = "/websocket/", good = FALSE)))
}

# A client's text frame (RFC 6455, section 5.2), masked with zeros.
text_frame <- function(text) {
  bytes <- charToRaw(text)
  n <- length(bytes)
  size <- if (n < 126) as.raw(0x80 + n) else if (n < 65536) as.raw(c(0xfe, n %/% 256, n %% 256))
          else as.raw(c(0xff, 0, 0, 0, 0, n %/% 2^24 %% 256, n %/% 2^16 %% 256, n %/% 2^8 %% 256,
                        n %% 256))
  c(as.raw(0x81), size, raw(4), bytes)
}

# Whether a connection is taken: an upload is begun on it, and it gets a session. Only the page
# itself with its token may.
run_sockets <- function(port, token, keep = function(k) TRUE) {
  upload <- "{\"method\":\"uploadInit\",\"args\":[[{\"name\":\"x\",\"size\":5000000,\"type\":\"\"}]],\"tag\":1}"
  rows <- lapply(Filter(keep, seq_along(socket_cases(port, token))), function(k) {
    case <- socket_cases(port, token)[[k]]
    con <- socketConnection("127.0.0.1", port, blocking = TRUE, open = "r+b", timeout = 3)
    on.exit(close(con))
    lines <- c(paste("GET", case$path, "HTTP/1.1"),
               paste0("Host: ", if (length(case$host)) case$host else paste0("127.0.0.1:", port)),
               "Upgrade: websocket", "Connection: Upgrade",
               "Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==", "Sec-WebSocket-Version: 13",
               if (nzchar(case$origin)) paste("Origin:", case$origin),
               if (nzchar(case$cookie)) paste("Cookie:", case$cookie))
    writeBin(charToRaw(paste0(paste(lines, collapse = "\r\n"), "\r\n\r\n")), con)
    answered <- tryCatch({
      writeBin(text_frame(upload), con)
      got <- raw()
      end <- Sys.time() + 2
      while (Sys.time() < end) {
        more <- if (isTRUE(socketSelect(list(con), FALSE, 0.2))) readBin(con, "raw", 4096) else NULL
        if (!is.null(more) && !length(more)) break
        got <- c(got, more)
        if (length(grepRaw("sessionId|response", got))) break
      }
      length(grepRaw("sessionId|response", got)) > 0
    }, error = function(e) FALSE, warning = function(w) FALSE)
    data.frame(class = "WebSockets of the page", name = case$name,
               says = if (answered == case$good) "" else if (answered) "its upload was taken" else
               "the page's own was refused")
  })
  do.call(rbind, rows)
}

hostile_table <- function(rows) {
  classes <- unique(rows$class)
  data.frame(class = classes,
             attempts = vapply(classes, function(class) sum(rows$class == class), 0L),
             passed = vapply(classes, function(class) sum(rows$class == class & !nzchar(rows$says)),
                             0L), row.names = NULL)
}

# All classes, of every `part` cases one.
run_hostile <- function(part = 1) {
  keep <- function(k) (k + part - 1) %% part == 0
  env <- environment()
  rows <- list(run_site_modes(keep), run_wire_modes(keep))
  folder <- local_project(env)
  farm <- local_standin(folder, "saltmill", "--for", "20min", env = env)
  rows <- c(rows, list(run_client_requests(farm$url, "token-of-the-test", keep)))
  page <- local_page(folder, env)
  rows <- c(rows, list(run_sockets(page$port, page$token, keep)))
  do.call(rbind, rows)
}

# The command `page` for a project; its port and token. Ends with `env`.
local_page <- function(folder, env) {
  log <- file.path(folder, "page.log")
  program <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "-e", "quit(save = 'no', status = clockpigeon::cli())", "page", "--shots",
      "gears", "--engine", "sundew", "--deadline", "30h", "--no-open", "--for", "10min"),
    wd = folder, stdout = "|", stderr = log, cleanup_tree = TRUE,
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"),
            R_USER_CACHE_DIR = file.path(folder, "cache"))
  )
  withr::defer(program$kill_tree(), envir = env)
  line <- character()
  end <- Sys.time() + 120
  while (!length(line) && Sys.time() < end && program$is_alive()) {
    program$poll_io(200)
    line <- program$read_output_lines()
  }
  if (!length(line)) stop("the page did not start: ", paste(readLines(log), collapse = " "))
  list(port = as.integer(sub(".*:([0-9]+)/.*", "\\1", line[1])),
       token = sub(".*token=", "", line[1]))
}

# These functions with the tests' helpers, in one environment under the package's own.
hostile_space <- function(helpers = "tests/testthat", script = file.path(here, "hostile.R")) {
  space <- new.env(parent = asNamespace("clockpigeon"))
  for (path in c(list.files(helpers, "^helper.*[.]R$", full.names = TRUE), script))
    sys.source(path, space)
  space
}

if (sys.nframe() == 0) {
  args <- commandArgs(trailingOnly = TRUE)
  .libPaths(c(normalizePath(args[1]), .libPaths()))
  Sys.setenv(NOT_CRAN = "true")
  library(clockpigeon)
  library(testthat)
  rows <- hostile_space()$run_hostile(if (length(args) > 1) as.integer(args[2]) else 1L)
  bad <- rows[nzchar(rows$says), ]
  for (k in seq_len(nrow(bad)))
    cat(bad$class[k], ": ", bad$name[k], ": ", bad$says[k], "\n", sep = "")
  print(hostile_table(rows), row.names = FALSE)
  if (nrow(bad)) quit("no", status = 1)
}
