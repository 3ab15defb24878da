# The page of a project: served on the loopback address, worked for by a process of its own.

# Serves the page until `stop_after` seconds have passed, or it is ended. `make(...)`: the question of the job, made in
# the background: a list of `asked` and `forecast`, as the command `choose` has them; `with`: its arguments;
# `opened(url)` is called once requests are answered.
serve_page <- function(title, make, with, port = 0L, opened = function(url) NULL, stop_after = Inf) {
  for (package in c("shiny", "bslib", "httpuv", "promises", "mirai")) need_package(package, "the page")
  port <- if (port > 0) free_port(port) else httpuv::randomPort(20000, 60000, "127.0.0.1")
  guard <- page_guard(port)
  work <- page_work(make, with)
  on.exit(close_page_work(work))
  shiny::addResourcePath("page", system.file("page", package = "clockpigeon"))
  if (is.finite(stop_after)) later::later(shiny::stopApp, stop_after)
  app <- shiny::shinyApp(function(req) page_answer(req, guard, title), page_server(guard, work),
                         enableBookmarking = "url")
  # Of what its pages say to the browser shiny sets nothing by itself.
  answered <- app$httpHandler
  app$httpHandler <- function(req) {
    answer <- answered(req)
    if (length(answer)) answer$headers <- c(answer$headers, page_headers(guard))
    answer
  }
  suppressPackageStartupMessages(shiny::runApp(app, port, launch.browser = function(url) {
    opened(paste0("http://127.0.0.1:", port, "/?token=", guard$token))
  }, host = "127.0.0.1", quiet = TRUE))
  invisible()
}

# A port, if it can be listened on.
free_port <- function(port) {
  tried <- tryCatch(suppressMessages(httpuv::startServer("127.0.0.1", port, list(call = function(req) NULL), TRUE)),
                    error = function(e) NULL)
  if (is.null(tried)) {
    stop_input("service", paste("port", port, "cannot be listened on"), "option --port", "Name another one.")
  }
  tried$stop()
  port
}

# What a request for the page is answered with. The token in an address is put into a cookie, and the address shown
# without it.
page_answer <- function(req, guard, title) {
  fault <- request_fault(req, guard)
  if (length(fault)) return(shiny::httpResponse(403L, "text/plain; charset=utf-8", refused_words[[fault]]))
  if (length(request_token(req))) {
    cookie <- paste0(guard$cookie, "=", guard$token, "; Path=/; HttpOnly; SameSite=Strict")
    return(shiny::httpResponse(303L, "text/plain", "", headers = list(Location = address_without_token(req),
                                                                      "Set-Cookie" = cookie)))
  }
  decide_page(title)
}

refused_words <- c(
  host = "This page is asked for by a name that is not its own. Open the address that `clockpigeon page` printed.",
  origin = "This page is not for other pages.",
  token = "This page needs its token. Open the address that `clockpigeon page` printed."
)

page_server <- function(guard, work) {
  force(work)
  function(input, output, session) {
    if (length(request_fault(session$request, guard, socket = TRUE))) return(session$close())
    decide_server(input, output, session, work)
  }
}
