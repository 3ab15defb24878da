test_that("what a request is answered with: a refusal in words, a cookie for the token, or the page", {
  skip_if_not_installed("shiny")
  skip_if_not_installed("bslib")
  guard <- clockpigeon:::page_guard(8123, token = "0a1b2c")
  req <- function(...)
    utils::modifyList(list(HTTP_HOST = "127.0.0.1:8123", QUERY_STRING = ""), list(...))
  refused <- clockpigeon:::page_answer(req(), guard, "A film")
  expect_identical(refused$status, 403L)
  expect_match(refused$content, "clockpigeon page")
  first <- clockpigeon:::page_answer(req(QUERY_STRING = "?token=0a1b2c&each=true"), guard, "A film")
  expect_identical(first$status, 303L)
  expect_identical(first$headers$Location, "/?each=true")
  expect_match(first$headers[["Set-Cookie"]], "HttpOnly; SameSite=Strict", fixed = TRUE)
  page <- as.character(clockpigeon:::page_answer(req(HTTP_COOKIE = "clockpigeon-8123=0a1b2c"),
                                                 guard, "<b>film</b>"))
  expect_match(page, "&lt;b&gt;film&lt;/b&gt;", fixed = TRUE)
  expect_no_match(page, "<b>film")
})

test_that("a browser is given no token that others could list, and an odd query is the first view", {
  skip_if_not_installed("shiny")
  given <- NULL
  path <- clockpigeon:::open_page("http://127.0.0.1:1/?token=0a1b2c",
                                  browse = function(url) given <<- url)
  expect_identical(given, path)
  expect_no_match(path, "0a1b2c")
  expect_match(readLines(path, warn = FALSE), "token=0a1b2c", fixed = TRUE)
  expect_identical(as.character(file.mode(path)), "600")
  for (odd in c("?view=%00", "?view=%ff", "?view=nowhere", "?%%%")) {
    expect_identical(clockpigeon:::asked_view(odd), "decide")
  }
})

test_that("a connection of another origin is closed before shiny hears of it, and so is one too many", {
  skip_if_not_installed("shiny")
  guard <- clockpigeon:::page_guard(8123, token = "0a1b2c")
  added <- list()
  manager <- list(addWSHandler = function(handler, key, tail) added[[key]] <<- handler)
  open <- clockpigeon:::guard_sockets(guard, manager)
  connect <- function(origin, cookie = "clockpigeon-8123=0a1b2c") {
    ws <- new.env()
    ws$closed <- FALSE
    ws$request <- list(HTTP_HOST = "127.0.0.1:8123", QUERY_STRING = "", HTTP_ORIGIN = origin,
                       HTTP_COOKIE = cookie)
    ws$close <- function() ws$closed <- TRUE
    ws$onClose <- function(f) ws$left <- f
    ws$onMessage <- function(f) ws$heard <- f
    ws$taken <- added[[1]](ws)
    ws
  }
  expect_true(connect("http://elsewhere.example")$closed)
  expect_true(connect("http://127.0.0.1:8123", "clockpigeon-8123=wrong")$closed)
  good <- connect("http://127.0.0.1:8123")
  expect_false(good$closed)
  expect_null(good$taken)
  for (k in 2:clockpigeon:::most_sockets) connect("http://127.0.0.1:8123")
  expect_true(connect("http://127.0.0.1:8123")$closed)
  good$left()
  expect_false(connect("http://127.0.0.1:8123")$closed)
  good$heard(FALSE, "{}")
  expect_false(good$closed)
  good$heard(FALSE, strrep("x", 2e6))
  expect_true(good$closed)
})

test_that("a port that is taken is refused", {
  skip_if_not_installed("httpuv")
  port <- httpuv::randomPort(20000, 60000, "127.0.0.1")
  expect_identical(clockpigeon:::free_port(port), port)
  server <- httpuv::startServer("127.0.0.1", port, list(call = function(req) NULL))
  withr::defer(server$stop())
  expect_refusal(clockpigeon:::free_port(port), "service", "Name another one")
})

test_that("a page that is begun again has the port and the token of the last time, and nobody else can read them", {
  skip_if_not_installed("httpuv")
  folder <- file.path(scratch(), "pages")
  root <- file.path(scratch(), "film")
  dir.create(root)
  door <- clockpigeon:::page_door(root, folder = folder)
  expect_match(door$token, "^[0-9a-f]{48}$")
  expect_identical(clockpigeon:::page_door(root, folder = folder), door)
  expect_identical(clockpigeon:::page_door(root, door$port, folder = folder), door)
  file <- list.files(folder, full.names = TRUE)
  expect_length(file, 1)
  expect_identical(as.character(file.mode(file)), "600")
  # Another project, another port or an old token: another one.
  other <- file.path(scratch(), "other")
  dir.create(other)
  expect_false(clockpigeon:::page_door(other, folder = folder)$token == door$token)
  server <- httpuv::startServer("127.0.0.1", door$port, list(call = function(req) NULL))
  elsewhere <- clockpigeon:::page_door(root, folder = folder)
  server$stop()
  expect_false(elsewhere$port == door$port || elsewhere$token == door$token)
  kept <- jsonlite::read_json(file)
  kept$made <- kept$made - 13 * 3600
  jsonlite::write_json(kept, file, auto_unbox = TRUE)
  expect_false(clockpigeon:::page_door(root, folder = folder)$token == elsewhere$token)
  writeLines("{", file)
  expect_match(clockpigeon:::page_door(root, folder = folder)$token, "^[0-9a-f]{48}$")
})
