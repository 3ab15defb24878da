site_at <- function(token = list(env = "CP_TEST_TOKEN")) {
  list(site = "saltmill", service = list(address = "http://127.0.0.1:9/saltmill/", token = token))
}
service_of <- function(answers, tries = 5) {
  withr::local_envvar(CP_TEST_TOKEN = "t")
  service <- clockpigeon:::site_service(site_at(), tries, sleep = function(s) waits <<- c(waits, s))
  waits <<- numeric()
  asked <<- 0
  service$request <- function(service, method, url, body, headers) {
    asked <<- asked + 1
    last <<- list(method = method, url = url, body = body, headers = headers)
    answer <- answers[[min(asked, length(answers))]]
    if (is.character(answer)) stop(answer)
    utils::modifyList(list(status = 200L, body = charToRaw("{}"), headers = list(), replay = FALSE),
                      answer)
  }
  service
}
waits <- numeric()
asked <- 0
last <- NULL

test_that("a token is read from where the site's file says, and is asked for where it is not", {
  skip_if_not_installed("curl")
  withr::local_envvar(CP_TEST_TOKEN = "abc")
  expect_identical(clockpigeon:::site_service(site_at())$token, "abc")
  expect_identical(clockpigeon:::site_service(site_at())$address, "http://127.0.0.1:9/saltmill")
  path <- write_file(scratch(), "token", "  def ", "more")
  expect_identical(clockpigeon:::site_service(site_at(list(file = path)))$token, "def")
  withr::local_envvar(CP_TEST_TOKEN = NA)
  expect_refusal(clockpigeon:::site_service(site_at()), "service",
                 c("CP_TEST_TOKEN is not set", "sites/saltmill.yaml"))
  expect_refusal(clockpigeon:::site_service(site_at(list(file = "/no/such"))), "service", "no file")
  expect_refusal(clockpigeon:::site_service(site_at(list(file = write_file(scratch(), "token",
                                                                           "")))), "service",
                 "empty")
})

test_that("an address is of this machine or encrypted, and a site says where its token is", {
  folder <- local_project(sample = FALSE)
  card <- file.path(folder, "sites/quayside.yaml")
  text <- readLines(card)
  with <- function(line) {
    writeLines(c(text, line), card)
    read_site(card)
  }
  ok <- with("service: {address: 'https://render.example/q', token: {env: T}}")
  expect_identical(ok$service$address, "https://render.example/q")
  expect_identical(
    with("service: {address: 'http://[::1]:80/q', token: {file: ~/t}}")$service$token$file, "~/t")
  for (address in c("http://render.example/q", "ftp://localhost", "https://user@render.example/",
                    "http://localhost/q?a=1", "http://127.0.0.1.evil.example/", "localhost:80")) {
    expect_refusal(with(paste0("service: {address: '", address, "', token: {env: T}}")), "site",
                   "Write https://")
  }
  expect_refusal(with("service: {address: 'https://a.example', token: {}}"), "site",
                 "token: {env: NAME}")
  expect_refusal(with("service: {address: 'https://a.example', token: {env: A, file: B}}"), "site",
                 "token")
  expect_refusal(with("service: {address: 'https://a.example'}"), "field", "token")
})

test_that("what can pass is asked again, after waits that grow; what cannot is not", {
  skip_if_not_installed("curl")
  busy <- list(status = 503L)
  expect_identical(clockpigeon:::ask_service(service_of(list("cut", busy, list())), "GET",
                                             "/site")$status, 200L)
  expect_identical(asked, 3)
  expect_true(all(waits >= c(0.125, 0.25) & waits <= c(0.25, 0.5)))
  expect_refusal(clockpigeon:::ask_service(service_of(list("no route to it")), "GET", "/site"),
                 "service",
                 c("does not answer: no route to it", "saltmill"))
  expect_identical(asked, 5)
  expect_length(waits, 4)
  refused <- expect_refusal(clockpigeon:::ask_service(service_of(list(list(
    status = 422L,
    body = charToRaw('{"type":"/problems/cap","title":"No","detail":"too expensive","instead":"Pay."}')
  ))), "POST", "/jobs", list(), "key-of-a-test"), "service",
                            c("refused POST /jobs: too expensive. Pay."))
  expect_identical(asked, 1)
  expect_identical(refused$problem, "cap")
  expect_identical(refused$status, 422L)
  # How long to wait is the site's to say, five minutes at most.
  clockpigeon:::ask_service(service_of(list(list(status = 429L,
                                                 headers = list("retry-after" = "7")), list())),
                            "GET", "/")
  expect_identical(waits, 7)
  expect_identical(clockpigeon:::retry_wait(list(status = 503L,
                                                 headers = list("retry-after" = "86400")), 1), 300)
  expect_identical(clockpigeon:::retry_wait(list(status = 404L, headers = list()), 1), NA_real_)
  each <- vapply(1:12, function(k) clockpigeon:::retry_wait(simpleError("x"), k, jitter = 1), 0)
  expect_identical(each[1:4], c(0.25, 0.5, 1, 2))
  expect_identical(max(each), 30)
})

test_that("a question carries its token, its key and its body; an answer must have what is needed of it", {
  skip_if_not_installed("curl")
  clockpigeon:::ask_service(service_of(list(list())), "POST", "/jobs",
                            list(a = 1, b = NULL, c = list()), "key-of-a-test",
                            query = list(after = 3, most = NULL))
  expect_identical(last$url, "http://127.0.0.1:9/saltmill/jobs?after=3")
  expect_identical(last$headers$Authorization, "Bearer t")
  expect_identical(last$headers[["Idempotency-Key"]], "key-of-a-test")
  expect_identical(rawToChar(last$body), '{"a":1,"b":null,"c":[]}')
  answer <- function(text) service_of(list(list(body = charToRaw(text))))
  expect_identical(clockpigeon:::ask_json(answer('{"a":[1],"b":null}'), "GET", "/",
                                          needed = c(a = "rows"))$a, list(1L))
  expect_refusal(clockpigeon:::ask_json(answer('{"a":1}'), "GET", "/x",
                                        needed = c(a = "count", b = "text")), "service",
                 "answered GET /x with a record that lacks b")
  expect_refusal(clockpigeon:::ask_json(answer('{"a":1e308}'), "GET", "/x",
                                        needed = c(a = "amount")), "service",
                 "has the a 1e+308, which is no amount")
  deep <- paste0(strrep("[", 1e5), strrep("]", 1e5))
  for (text in c("<html>", "", "{\"a\":", deep)) {
    expect_refusal(clockpigeon:::ask_json(answer(text), "GET", "/x"), "service", "no JSON")
  }
  for (text in c("12", "\"text\"", "[1, 2]")) {
    expect_refusal(clockpigeon:::ask_json(answer(text), "GET", "/x"), "service", "is no record")
  }
  refused <- list(status = 403L, body = charToRaw("<html>go away</html>"))
  expect_refusal(clockpigeon:::ask_service(service_of(list(refused)), "GET", "/x"), "service",
                 "status 403")
})

test_that("pages are read to their end, and no further when they have none", {
  farm <- test_farm(seconds = 10)
  service <- farm_service(farm)
  expect_length(clockpigeon:::ask_pages(service, "/engines", "engines", most = 1), 3)
  expect_identical(service$asked$n, 3)
  loop <- service_of(list(list(body = charToRaw('{"jobs":[1],"next":1}'))))
  expect_refusal(clockpigeon:::ask_pages(loop, "/jobs", "jobs"), "service", "do not end")
})

test_that("a clock that is off is told from one that answered late", {
  moment <- as.POSIXct(1e9, origin = "1970-01-01", tz = "UTC")
  told <- function(ahead) clockpigeon:::service_time(moment + ahead)
  expect_equal(clockpigeon:::clock_ahead(told(3600), moment - 0.1, moment + 0.1), 3600)
  expect_equal(clockpigeon:::clock_ahead(told(-3600), moment, moment), -3600)
  expect_identical(clockpigeon:::clock_ahead(told(0.4), moment, moment), 0)
  expect_identical(clockpigeon:::clock_ahead(told(4), moment - 5, moment + 5), 0)
  expect_identical(clockpigeon:::clock_ahead("soon", moment, moment), 0)
  farm <- test_farm(faults = "skew=1h")
  expect_equal(clockpigeon:::ask_site(farm_service(farm))$ahead_s, 3600)
})

test_that("a site whose card lost its service is one error, whoever asks", {
  skip_if_not_installed("curl")
  site <- list(site = "saltmill", service = NULL)
  expect_refusal(clockpigeon:::site_service(site), "service", "has no address any more")
})

test_that("one deadline holds for a whole exchange, and a site that asks to wait longer is left", {
  skip_if_not_installed("curl")
  waited <- 0
  busy <- list(status = 429L, headers = list("retry-after" = "300"), body = raw())
  service <- list(site = "s", address = "http://127.0.0.1:9", tries = 5, timeout_s = 1,
                  until = clockpigeon:::steady_clock() + 60, most = 1e6,
                  sleep = function(s) waited <<- waited + s, request = function(...) busy)
  expect_refusal(clockpigeon:::ask_service(service, "GET", "/x"), "service",
                 "asks to wait 5m00s (status 429)")
  expect_identical(waited, 0)
  expect_gt(clockpigeon:::service_within(service, 10)$until, clockpigeon:::steady_clock() + 5)
})
