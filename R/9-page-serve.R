# The page of a project: served on the loopback address, with a separate process for the work.

# Serves the page of a project until `stop_after` seconds have passed, or it is ended. `make(...)`:
# the question of the job, made in the background: a list of `asked` and `forecast`, as the command
# `choose` has them; `with`: its arguments; `here`: what is rendered on this machine, `measure(...,
# row)` a row of next_measures() and `limit(root, shot, engine)` the probes of a limit;
# `opened(url)` is called once requests are answered.
serve_page <- function(project, make, with, here, port = 0L, opened = function(url) NULL,
                       stop_after = Inf) {
  for (package in c("shiny", "bslib", "httpuv", "promises", "mirai", "DT"))
    need_package(package, "the page")
  door <- page_door(project$root, port)
  port <- door$port
  guard <- page_guard(port, door$token)
  work <- page_work(project$root, make, with, here)
  title <- project$name
  on.exit(close_page_work(work))
  shiny::addResourcePath("page", system.file("page", package = "clockpigeon"))
  if (is.finite(stop_after)) later::later(shiny::stopApp, stop_after)
  server <- page_server(guard, work, event_ear(project$ledger))
  app <- shiny::shinyApp(function(req) page_answer(req, guard, title), server,
                         enableBookmarking = "url")
  # Shiny sets no security headers itself.
  answered <- app$httpHandler
  guard_sockets(guard)
  options(shiny.maxRequestSize = page_post_bytes)
  app$httpHandler <- function(req) {
    answer <- tryCatch(answered(req), error = function(e) {
      shiny::httpResponse(400L, "text/plain; charset=utf-8", "This is no request of the page.")
    })
    if (length(answer)) {
      answer$headers <- c(answer$headers,
                          page_headers(guard, asked_view(req$QUERY_STRING) == "evidence"))
    }
    answer
  }
  suppressPackageStartupMessages(shiny::runApp(app, port, launch.browser = function(url) {
    opened(paste0("http://127.0.0.1:", port, "/?token=", guard$token))
  }, host = "127.0.0.1", quiet = TRUE))
  invisible()
}

# Open the page in the browser. Other users of this machine can list a browser's arguments, so it is
# given the path of a file that only we can read, which sends it on to the address with the token.
open_page <- function(url, browse = utils::browseURL) {
  path <- tempfile("clockpigeon-", fileext = ".html")
  old <- Sys.umask("077")
  on.exit(Sys.umask(old))
  write_text(paste0("<!doctype html><meta http-equiv=\"refresh\" content=\"0; url=", url, "\">"),
             path)
  browse(path)
  invisible(path)
}

# How long a page's token serves for the next time it is opened.
token_hours <- 12

# Port and token of a project's page: those of the last time, if the port is still free, so that an
# open page continues. They are kept in the user's private cache.
page_door <- function(root, port = 0L,
                      folder = file.path(tools::R_user_dir("clockpigeon", "cache"), "pages")) {
  path <- file.path(folder, paste0(substr(openssl::sha256(real_path(root)), 1, 24), ".json"))
  kept <- if (file.exists(path)) tryCatch(jsonlite::read_json(path), error = function(e) NULL)
  known <- length(kept) > 0 && is_young_door(kept)
  at <- if (port > 0) free_port(port) else if (known && can_listen(kept$port)) kept$port else
    httpuv::randomPort(20000, 60000, "127.0.0.1")
  same <- known && at == kept$port
  door <- list(port = as.integer(at), token = if (same) kept$token else page_token(),
               made = if (same) kept$made else as.integer(Sys.time()))
  dir.create(folder, FALSE, TRUE, "0700")
  old <- Sys.umask("077")
  on.exit(Sys.umask(old))
  write_whole(path, function(part) jsonlite::write_json(door, part, auto_unbox = TRUE))
  door
}

can_listen <- function(port) {
  tried <- tryCatch(suppressMessages(httpuv::startServer("127.0.0.1", port,
                                                         list(call = function(req) NULL), TRUE)),
                    error = function(e) NULL)
  if (length(tried)) tried$stop()
  length(tried) > 0
}

# A port, if it can be listened on.
free_port <- function(port) {
  if (!can_listen(port)) {
    stop_input("service", paste("port", port, "cannot be listened on"), "option --port",
               "Name another one.")
  }
  port
}

# Answer to a request for the page. The token in an address moves into a cookie, and the address is
# shown without it.
page_answer <- function(req, guard, title) {
  fault <- request_fault(req, guard)
  if (length(fault))
    return(shiny::httpResponse(403L, "text/plain; charset=utf-8", refused_words[[fault]]))
  if (length(request_token(req))) {
    cookie <- paste0(guard$cookie, "=", guard$token, "; Path=/; HttpOnly; SameSite=Strict")
    return(shiny::httpResponse(303L, "text/plain", "",
                               headers = list(Location = address_without_token(req),
                                              "Set-Cookie" = cookie)))
  }
  switch(asked_view(req$QUERY_STRING), decide = decide_page(title), running = running_page(title),
         after = after_page(title), sites = sites_page(title), evidence = evidence_page(title))
}

refused_words <- c(
  host = paste0("This page is asked for by a name that is not its own. Open the address that ",
                "`clockpigeon page` printed."),
  origin = "This page is not for other pages.",
  token = "This page needs its token. Open the address that `clockpigeon page` printed."
)

page_server <- function(guard, work, hear) {
  follower <- page_follower(function(job, first) ask_disk_process(work, compute_watch, job, first),
                            hear = hear)
  function(input, output, session) {
    if (length(request_fault(session$request, guard, socket = TRUE))) return(session$close())
    query <- shiny::isolate(session$clientData$url_search)
    switch(asked_view(query),
           decide = decide_server(input, output, session, work),
           running = running_server(input, output, session, work, follower, query),
           after = after_server(input, output, session, work, query),
           sites = sites_server(input, output, session, work, query),
           evidence = evidence_server(input, output, session, work, query))
  }
}

# Has a door that was kept all its parts, and a token that still holds?
is_young_door <- function(door) {
  whole <- grepl("^[0-9a-f]{48}$", or_else(door$token, "")) && is.numeric(door$port) &&
    is.numeric(door$made)
  whole && as.numeric(Sys.time()) - door$made < 3600 * token_hours
}
