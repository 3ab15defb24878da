# A site that lies on the wire, one mode a path: `http://127.0.0.1:PORT/MODE/...`. Every mode is
# bounded in bytes and time.
#
#   Rscript server.R PORT COUNTS       COUNTS: a file to which a line is added for each request of
#   `/canary`
args <- if (sys.nframe() == 0) commandArgs(trailingOnly = TRUE) else c("0", "")
port <- as.integer(args[1])
count_file <- args[2]

put <- function(con, ...)
  writeBin(unlist(lapply(list(...), function(x) if (is.raw(x)) x else charToRaw(x))), con)
head_of <- function(status = "200 OK", type = "application/json", ...) {
  paste0("HTTP/1.1 ", status, "\r\nContent-Type: ", type, "\r\n",
         paste0(c(...), "\r\n", collapse = ""), "\r\n")
}
whole <- function(con, body, status = "200 OK", type = "application/json", ...) {
  bytes <- if (is.raw(body)) body else charToRaw(body)
  put(con, head_of(status, type, ..., paste0("Content-Length: ", length(bytes)),
                   "Connection: close"), bytes)
}
chunk <- function(con, bytes) put(con, sprintf("%x\r\n", length(bytes)), bytes, "\r\n")
chunked <- function(con, type, make, most) {
  put(con, head_of(type = type, "Transfer-Encoding: chunked"))
  for (k in seq_len(most)) chunk(con, make(k))
}
events <- "text/event-stream"
zeros <- memCompress(raw(2e8), "gzip")
until <- Sys.time() + 600

modes <- list(
  endless = function(con)
  chunked(con, "application/json", function(k) charToRaw(strrep("1", 1e6)), 300),
  long = function(con)
  put(con, head_of("200 OK", "application/json", "Content-Length: 4000000000"), strrep("[", 2e7)),
  gzip = function(con) whole(con, zeros, "200 OK", "application/json", "Content-Encoding: gzip"),
  deflate = function(con)
  whole(con, zeros, "200 OK", "application/json", "Content-Encoding: deflate"),
  address = function(con) whole(con, paste0("http://127.0.0.1:", port, "/canary")),
  quoted_address = function(con) whole(con, paste0("\"http://127.0.0.1:", port, "/canary\"")),
  path = function(con) whole(con, "/etc/passwd"),
  pipe = function(con) whole(con, "/tmp/hostile-fifo"),
  redirect = function(con)
  whole(con, "", "302 Found", "text/plain", paste0("Location: http://127.0.0.1:", port, "/canary")),
  deep = function(con) whole(con, paste0(strrep("[", 2e5), strrep("]", 2e5))),
  deep_objects = function(con) whole(con, paste0(strrep("{\"a\":", 2e4), "1", strrep("}", 2e4))),
  null_bytes = function(con) whole(con, as.raw(c(123, 0, 125))),
  latin = function(con) whole(con, as.raw(c(123, 34, 0xff, 34, 58, 49, 125))),
  surrogate = function(con) whole(con, "{\"state\":\"\\ud800\"}"),
  format = function(con) whole(con, "%s%s%n {"),
  many_keys = function(con)
  whole(con, paste0("{", paste0("\"k", 1:2e5, "\":1", collapse = ","), "}")),
  silence = function(con) Sys.sleep(4),
  slow = function(con) {
    put(con, head_of("200 OK", "application/json", "Content-Length: 1000"))
    for (k in 1:20) {
      put(con, " ")
      Sys.sleep(0.2)
    }
  },
  cut_head = function(con) put(con, "HTTP/1.1 200 OK\r\nContent-"),
  cut_body = function(con)
  put(con, head_of("200 OK", "application/json", "Content-Length: 100"), "{\"a\":"),
  no_http = function(con) put(con, "hello\r\n\r\n"),
  odd_status = function(con) put(con, "HTTP/1.1 999 What\r\nContent-Length: 0\r\n\r\n"),
  many_headers = function(con)
  put(con, paste0("HTTP/1.1 200 OK\r\n", paste0("X-", 1:20000, ": x\r\n", collapse = ""), "\r\n")),
  long_header = function(con)
  put(con, paste0("HTTP/1.1 200 OK\r\nX-A: ", strrep("x", 3e6), "\r\n\r\n")),
  two_lengths = function(con)
  put(con, head_of("200 OK", "application/json", "Content-Length: 2", "Content-Length: 5"), "{}"),
  negative_length = function(con)
  put(con, head_of("200 OK", "application/json", "Content-Length: -2"), "{}"),
  busy = function(con)
  whole(con, "{}", "429 Too Many Requests", "application/json", "Retry-After: 300"),
  busy_odd = function(con) whole(con, "{}", "503 Busy", "application/json", "Retry-After: soon"),
  busy_far = function(con) whole(con, "{}", "503 Busy", "application/json", "Retry-After: 1e308"),
  problem_odd = function(con)
  whole(con, "{\"detail\":[1],\"instead\":{},\"type\":4}", "400 Bad", "application/problem+json"),
  problem_escape = function(con)
  whole(con, "{\"detail\":\"\\u001b[2J\\u202egone\"}", "409 No", "application/problem+json"),
  error_html = function(con) whole(con, strrep("<html>", 1e5), "500 Broken", "text/html"),
  event_line = function(con) chunked(con, events, function(k) charToRaw(strrep("x", 1e6)), 60),
  event_many = function(con) chunked(con, events, function(k) {
    n <- (k - 1) * 1000 + 1:1000
    charToRaw(paste0("id: ", n, "\ndata: {\"what\":\"begun\",\"at\":\"2026-11-24T12:00:00Z\"}\n\n",
                     collapse = ""))
  }, 200),
  event_numbers = function(con)
  whole(con, paste0("id: ", c("-5", "1e400", "x", "", "999999999999"), "\ndata: {}\n\n",
                    collapse = ""), "200 OK", events),
  event_address = function(con)
  whole(con, paste0("id: 1\ndata: http://127.0.0.1:", port, "/canary\n\n"), "200 OK", events),
  event_now = function(con)
  whole(con, "event: now\ndata: {\"time\":[],\"last\":\"many\"}\n\n", "200 OK", events),
  event_deep = function(con)
  whole(con, paste0("id: 1\ndata: ", strrep("[", 60000), "\n\n"), "200 OK", events),
  event_null = function(con) whole(con, as.raw(c(105, 100, 58, 0, 10, 10)), "200 OK", events)
)

if (sys.nframe() == 0) {
  socket <- serverSocket(port)
  while (Sys.time() < until) {
    con <- tryCatch(socketAccept(socket, TRUE, "r+b", timeout = 5), error = function(e) NULL)
    if (is.null(con)) next
    try({
      asked <- character()
      repeat {
        line <- readLines(con, 1, warn = FALSE)
        if (!length(line) || !nzchar(line)) break
        asked <- c(asked, line)
      }
      mode <- sub("^[A-Z]+ /([a-z_]*).*", "\\1", asked[1])
      if (mode == "quit") quit("no")
      if (mode == "canary") cat("asked\n", file = count_file, append = TRUE)
      if (mode %in% names(modes)) modes[[mode]](con) else whole(con, "{}")
    }, silent = TRUE)
    try(close(con), silent = TRUE)
  }
}
