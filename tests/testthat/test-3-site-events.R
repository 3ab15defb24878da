split <- function(text) clockpigeon:::split_events(charToRaw(text))

test_that("events are read as they are written, whatever ends their lines, and only whole ones", {
  x <- split(
    "event: now\ndata: {}\n\nid: 1\ndata: a\ndata: b\n\n: comment\n\nid: 2\ndata:c\nretry: 9\n\nid: 3\ndata: d")
  expect_identical(vapply(x$events, `[[`, "", "event"), c("now", "message", "message"))
  expect_identical(vapply(x$events, `[[`, "", "data"), c("{}", "a\nb", "c"))
  expect_identical(x$events[[2]]$id, "1")
  expect_null(x$events[[1]]$id)
  expect_identical(rawToChar(x$rest), "id: 3\ndata: d")
  expect_identical(split("id: 1\r\ndata: a\r\n\r\n")$events[[1]]$data, "a")
  expect_identical(split("")$events, list())
  expect_identical(split(": only\n\n")$events, list())
  expect_identical(split("data: \u00e9\u20ac\n\n")$events[[1]]$data, "\u00e9\u20ac")
})

test_that("wherever a stream is cut into pieces, the same events come of it", {
  text <- paste0(": hello\r\n\r\n",
                 paste0("id: ", 1:6, "\r\nevent: e\r\ndata: \u00e4", 1:6, "\r\n\r\n",
                        collapse = ""))
  bytes <- charToRaw(enc2utf8(text))
  whole <- clockpigeon:::split_events(bytes)$events
  expect_length(whole, 6)
  for (seed in 1:60) {
    set.seed(seed)
    cuts <- sort(sample(length(bytes) - 1, sample(1:12, 1)))
    pending <- raw()
    got <- list()
    for (k in seq_len(length(cuts) + 1)) {
      pending <- c(pending, bytes[(c(0, cuts)[k] + 1):c(cuts, length(bytes))[k]])
      found <- clockpigeon:::split_events(pending)
      pending <- found$rest
      got <- c(got, found$events)
    }
    expect_identical(got, whole)
  }
})

test_that("an event that another overtook is not passed over", {
  stream <- clockpigeon:::open_site_events(NULL, "s-1")
  for (number in c(1, 2, 5, 4)) clockpigeon:::note_number(stream, number)
  expect_identical(stream$last, 2)
  clockpigeon:::note_number(stream, 3)
  expect_identical(stream$last, 5)
  clockpigeon:::note_number(stream, 3)
  expect_identical(stream$last, 5)
  expect_false(clockpigeon:::is_caught_up(stream))
  clockpigeon:::expect_number(stream, 6)
  expect_false(clockpigeon:::is_caught_up(stream))
  clockpigeon:::note_number(stream, 6)
  expect_true(clockpigeon:::is_caught_up(stream))
})

test_that("a stream is read to what the site has, and goes on where it was", {
  farm <- test_farm(seconds = 10, faults = "skew=30min")
  service <- farm_service(farm)
  job <- ask_farm(farm, "POST", "/jobs", an_order(), "key-of-a-test")$body$job
  stream <- clockpigeon:::open_site_events(service, job)
  pass(farm, 60)
  first <- clockpigeon:::read_site_events(stream)
  expect_identical(length(first), length(farm$jobs[[job]]$events))
  expect_equal(stream$ahead_s, 1800)
  pass(farm, 5000)
  clockpigeon:::expect_number(stream, length(farm$jobs[[job]]$events))
  more <- clockpigeon:::read_site_events(stream)
  numbers <- vapply(c(first, more), `[[`, 0, "number")
  expect_identical(numbers, as.numeric(seq_along(farm$jobs[[job]]$events)))
  behind <- clockpigeon:::open_site_events(service, job, after = 5)
  expect_identical(clockpigeon:::read_site_events(behind)[[1]]$number, 6)
})
