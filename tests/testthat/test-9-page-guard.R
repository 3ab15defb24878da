guard <- clockpigeon:::page_guard(8123, token = "0a1b2c")
asked <- function(...)
  utils::modifyList(list(HTTP_HOST = "127.0.0.1:8123", QUERY_STRING = ""), list(...))
fault <- function(..., socket = FALSE) clockpigeon:::request_fault(asked(...), guard, socket)

test_that("a request needs the token, in its address or in its cookie", {
  expect_identical(fault(), "token")
  expect_identical(fault(QUERY_STRING = "?token=0a1b2d"), "token")
  expect_null(fault(QUERY_STRING = "?token=0a1b2c"))
  expect_null(fault(QUERY_STRING = "?a=1&token=0a1b2c"))
  expect_null(fault(HTTP_COOKIE = "x=y; clockpigeon-8123=0a1b2c"))
  # That of a page at another port is none.
  expect_identical(fault(HTTP_COOKIE = "clockpigeon-8124=0a1b2c"), "token")
  expect_identical(fault(HTTP_COOKIE = "clockpigeon-8123="), "token")
})

test_that("names and origins that are not the page's are refused, whatever token is given", {
  cookie <- "clockpigeon-8123=0a1b2c"
  expect_identical(fault(HTTP_COOKIE = cookie, HTTP_HOST = "elsewhere.example:8123"), "host")
  expect_identical(fault(HTTP_COOKIE = cookie, HTTP_HOST = NULL), "host")
  expect_null(fault(HTTP_COOKIE = cookie, HTTP_HOST = "localhost:8123",
                    HTTP_ORIGIN = "http://localhost:8123"))
  expect_identical(fault(HTTP_COOKIE = cookie, HTTP_ORIGIN = "http://elsewhere.example"), "origin")
  expect_identical(fault(HTTP_COOKIE = cookie, HTTP_ORIGIN = "null"), "origin")
})

test_that("a connection that stays open says where it comes from, and has the token in its cookie alone", {
  cookie <- "clockpigeon-8123=0a1b2c"
  origin <- "http://127.0.0.1:8123"
  expect_null(fault(HTTP_COOKIE = cookie, HTTP_ORIGIN = origin, socket = TRUE))
  expect_identical(fault(HTTP_COOKIE = cookie, socket = TRUE), "origin")
  expect_identical(fault(QUERY_STRING = "?token=0a1b2c", HTTP_ORIGIN = origin, socket = TRUE),
                   "token")
})

test_that("tokens differ, secrets are compared whole, and the address is shown without", {
  expect_false(clockpigeon:::page_token() == clockpigeon:::page_token())
  expect_identical(nchar(clockpigeon:::page_token()), 48L)
  expect_true(clockpigeon:::same_secret("abc", "abc"))
  expect_false(clockpigeon:::same_secret("ab", "abc"))
  expect_false(clockpigeon:::same_secret("", "abc"))
  expect_identical(clockpigeon:::address_without_token(asked(QUERY_STRING =
                                                             "?token=1&rule=%22best%22")),
                   "/?rule=%22best%22")
  expect_identical(clockpigeon:::address_without_token(asked(QUERY_STRING = "?token=1")), "/")
  policy <- clockpigeon:::page_headers(guard)[["Content-Security-Policy"]]
  expect_match(policy, "script-src 'self';", fixed = TRUE)
  expect_match(policy, "ws://127.0.0.1:8123", fixed = TRUE)
})
