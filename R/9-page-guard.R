# Access to the page: only with its token, from its own window; another site in the browser has no
# access.

# Allowed requests: the `token`, and the `hosts` by which the page is reached.
page_guard <- function(port, token = page_token(), host = "127.0.0.1") {
  list(token = token, cookie = paste0("clockpigeon-", port),
       hosts = paste0(unique(c(host, "127.0.0.1", "localhost", "[::1]")), ":", port))
}

page_token <- function() paste(openssl::rand_bytes(24), collapse = "")

# Why a request is refused: `host`, `origin` or `token`; NULL where it is not. `req`: as httpuv has
# it; `socket`: of a connection that stays open, which must say where it comes from and has the
# token in its cookie alone.
request_fault <- function(req, guard, socket = FALSE) {
  if (!isTRUE(tolower(or_else(req$HTTP_HOST, "")) %in% guard$hosts)) return("host")
  origin <- req$HTTP_ORIGIN
  if (!length(origin) && socket) return("origin")
  if (length(origin) && !isTRUE(tolower(origin) %in% paste0("http://", guard$hosts)))
    return("origin")
  given <- c(request_cookie(req, guard$cookie), if (!socket) request_token(req))
  if (any(vapply(given, same_secret, NA, secret = guard$token))) NULL else "token"
}

# Bytes of one message or body that the page takes: it has no uploads.
page_post_bytes <- 1e6
# Connections that stay open at once: a window has one.
most_sockets <- 40

# Refuse connections that stay open unless they come from the page itself and have its token. shiny
# takes messages of a connection before it calls the page's own code, so that it must be refused
# while it is opened.
guard_sockets <- function(guard, manager = utils::getFromNamespace("handlerManager", "shiny")) {
  open <- new.env(parent = emptyenv())
  open$count <- 0
  manager$addWSHandler(function(ws) {
    if (length(request_fault(ws$request, guard, socket = TRUE)) || open$count >= most_sockets) {
      ws$close()
      return(TRUE)
    }
    open$count <- open$count + 1
    ws$onClose(function(...) open$count <- open$count - 1)
    ws$onMessage(function(binary, message) {
      size <- if (is.raw(message)) length(message) else nchar(message, "bytes")
      if (size > page_post_bytes) ws$close()
    })
    NULL
  }, "clockpigeon-guard", tail = FALSE)
  invisible(open)
}

# The token in a request's address; NULL for none.
request_token <- function(req) {
  query <- sub("^\\?", "", or_else(req$QUERY_STRING, ""))
  given <- sub("^token=", "",
               grep("^token=", strsplit(query, "&", fixed = TRUE)[[1]], value = TRUE))
  if (length(given)) given[1]
}

request_cookie <- function(req, name) {
  each <- trimws(strsplit(or_else(req$HTTP_COOKIE, ""), ";", fixed = TRUE)[[1]])
  mine <- each[startsWith(each, paste0(name, "="))]
  if (length(mine)) substring(mine[1], nchar(name) + 2)
}

# An address without its token, as a path with its query.
address_without_token <- function(req) {
  query <- strsplit(sub("^\\?", "", or_else(req$QUERY_STRING, "")), "&", fixed = TRUE)[[1]]
  query <- query[nzchar(query) & !startsWith(query, "token=")]
  paste0("/", if (length(query)) paste0("?", paste(query, collapse = "&")))
}

# Headers of every answer. Styles may be in the page: those of the inputs are. The table of the
# ledger makes a function of a text (`evaluates`): only its view may.
page_headers <- function(guard, evaluates = FALSE) {
  # An address of numbers in brackets is no source of a policy.
  sockets <- paste0("ws://", grep("[", guard$hosts, fixed = TRUE, invert = TRUE, value = TRUE),
                    collapse = " ")
  list("Content-Security-Policy" = paste0(
    "default-src 'none'; script-src 'self'", if (evaluates) " 'unsafe-eval'",
    "; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; ",
    "font-src 'self'; connect-src 'self' ", sockets,
    "; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
  ), "X-Content-Type-Options" = "nosniff", "Referrer-Policy" = "no-referrer",
       "Cache-Control" = "no-store")
}
