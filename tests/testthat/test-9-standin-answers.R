problem <- function(answer) c(answer$body$status, sub("/problems/", "", answer$body$type))

test_that("a site says what it is, and pages its lists", {
  farm <- test_farm()
  site <- ask_farm(farm, "GET", "/site")
  expect_identical(site$body[c("site", "protocol", "currency")],
                   list(site = "saltmill", protocol = "1", currency = "GBP"))
  all <- ask_farm(farm, "GET", "/engines")$body
  expect_identical(vapply(all$engines, `[[`, "", "engine"), c("pebble", "sundew", "millrace"))
  expect_null(all[["next"]])
  one <- ask_farm(farm, "GET", "/engines?most=1")$body
  expect_identical(one[["next"]], 1L)
  expect_identical(ask_farm(farm, "GET", "/engines?after=2&most=1")$body$engines[[1]]$engine,
                   "millrace")
  expect_identical(ask_farm(farm, "GET", "/engines?after=9")$body$engines, list())
  expect_identical(problem(ask_farm(farm, "GET", "/engines?after=-1")), c("400", "body"))
})

test_that("without its token nothing is said, and a wrong or an old one is told apart", {
  farm <- test_farm()
  expect_identical(problem(ask_farm(farm, "GET", "/site", token = NULL)), c("401", "no-token"))
  expect_identical(problem(ask_farm(farm, "GET", "/site", token = "another")),
                   c("401", "wrong-token"))
  expect_identical(ask_farm(farm, "GET", "/protocol", token = NULL)$body$openapi, "3.1.0")
  expect_identical(problem(ask_farm(farm, "GET", "/nothing")), c("404", "unknown"))
  expect_identical(problem(ask_farm(farm, "PUT", "/site")), c("405", "unknown"))
  old <- test_farm(faults = "old-token=10min")
  expect_identical(ask_farm(old, "GET", "/site")$status, 200L)
  pass(old, 601)
  expect_identical(problem(ask_farm(old, "GET", "/site")), c("401", "old-token"))
})

test_that("a key does what it carries once", {
  farm <- test_farm(seconds = 10)
  first <- ask_farm(farm, "POST", "/jobs", an_order(), "key-number-1")
  again <- ask_farm(farm, "POST", "/jobs", an_order(), "key-number-1")
  expect_identical(first$status, 201L)
  expect_identical(again$body, first$body)
  expect_identical(again$headers[["Idempotent-Replay"]], "true")
  expect_length(farm$jobs, 1)
  expect_identical(problem(ask_farm(farm, "POST", "/jobs", an_order(nodes = 9), "key-number-1")),
                   c("422", "key"))
  expect_identical(problem(ask_farm(farm, "POST", "/jobs", an_order())), c("400", "key"))
  expect_identical(problem(ask_farm(farm, "POST", "/jobs", an_order(), "short")), c("400", "key"))
  # A refusal keeps nothing: the key may be used for what is mended.
  expect_identical(problem(ask_farm(farm, "POST", "/jobs", an_order(tier = "slow"),
                                    "key-number-2")), c("422", "body"))
  expect_identical(ask_farm(farm, "POST", "/jobs", an_order(), "key-number-2")$status, 201L)
})

test_that("what cannot be rendered, paths that leave their folder and bodies that are none are refused", {
  farm <- test_farm(seconds = 10)
  refused <- function(order, says) {
    answer <- ask_farm(farm, "POST", "/jobs", order, "key-of-a-test")
    expect_identical(answer$body$where, says[3])
    expect_identical(problem(answer), says[1:2])
  }
  refused(an_order(engine = "oil"), c("422", "version", "/engine"))
  refused(an_order(version = "9.9"), c("422", "version", "/version"))
  refused(an_order(tier = "slow"), c("422", "body", "/tier"))
  refused(an_order(nodes = 500), c("422", "body", "/nodes"))
  refused(an_order(hire = "gold"), c("422", "body", "/hire"))
  refused(an_order(frames = "12-1x"), c("422", "body", "/shots/0/frames"))
  refused(an_order(cap = list(amount = 1, currency = "EUR")), c("422", "cap", "/cap/currency"))
  sum <- paste(rep("a", 64), collapse = "")
  refused(an_order(files = list(list(path = "textures/a.png", sha256 = sum))),
          c("409", "files", "/shots"))
  for (path in c("../a", "/etc/passwd", "a/../../b", "C:/a", "a//b", "..\\b", "./a", "a\u0001b")) {
    refused(an_order(files = list(list(path = path, sha256 = sum))),
            c("422", "files", "/shots/0/files"))
  }
  shot <- an_order()
  shot$shots[[1]]$shot <- ".."
  refused(shot, c("422", "body", "/shots/0/shot"))
  two <- an_order()
  two$shots <- rep(two$shots, 2)
  refused(two, c("422", "body", "/shots"))
  for (text in c("", "{", "[]]", "12", "\"text\"", "null", "{\"a\": \"\\ud800\"")) {
    expect_identical(problem(ask_farm(farm, "POST", "/jobs", charToRaw(text), "key-of-a-test"))[1],
                     "400")
  }
  expect_identical(problem(ask_farm(farm, "POST", "/jobs", as.raw(c(0x7b, 0xff, 0xfe, 0x7d)),
                                    "key-of-a-test"))[1], "400")
  expect_identical(problem(ask_farm(farm, "POST", "/jobs", as.raw(c(0x7b, 0, 0x7d)),
                                    "key-of-a-test"))[1], "400")
  expect_length(farm$jobs, 0)
})

test_that("a file comes in parts, in any order, each with its digest, and is whole when its SHA-256 says so", {
  farm <- test_farm()
  farm$part_bytes <- 1000
  bytes <- as.raw((seq_len(2500) * 7) %% 256)
  sum <- paste(openssl::sha256(bytes))
  path <- paste0("/files/", sum)
  put <- function(part, what = bytes[((part - 1) * 1000 + 1):min(2500, part * 1000)], digest = what)
    {
    ask_farm(farm, "PUT", paste0(path, "/parts/", part), what,
             headers = c("Content-Digest" = clockpigeon:::digest_header(digest)))
  }
  expect_identical(problem(ask_farm(farm, "GET", path)), c("404", "unknown"))
  offered <- ask_farm(farm, "POST", "/files", list(sha256 = sum, bytes = 2500))$body
  expect_identical(offered[c("parts", "there", "whole")],
                   list(parts = 3L, there = list(), whole = FALSE))
  expect_identical(put(3)$body$there, list(3L))
  expect_identical(problem(put(1, digest = bytes[1:9])), c("400", "checksum"))
  expect_identical(problem(put(1, bytes[1:999])), c("400", "body"))
  expect_identical(problem(put(4, bytes[1:10])), c("404", "unknown"))
  put(1)
  expect_identical(ask_farm(farm, "GET", path)$body$there, list(1L, 3L))
  expect_true(put(2)$body$whole)
  expect_identical(
    unname(clockpigeon:::file_hashes(file.path(clockpigeon:::farm_file_folder(farm, sum),
                                               "whole"))), sum)
  expect_true(put(2)$body$whole)
  expect_identical(problem(ask_farm(farm, "POST", "/files", list(sha256 = sum, bytes = 9))),
                   c("409", "checksum"))
  # Parts of something else make no whole, and are asked anew.
  other <- paste(openssl::sha256(as.raw(1)))
  ask_farm(farm, "POST", "/files", list(sha256 = other, bytes = 4))
  wrong <- ask_farm(farm, "PUT", paste0("/files/", other, "/parts/1"), as.raw(1:4),
                    headers = c("Content-Digest" = clockpigeon:::digest_header(as.raw(1:4))))
  expect_identical(problem(wrong), c("409", "checksum"))
  expect_identical(ask_farm(farm, "GET", paste0("/files/", other))$body$there, list())
})

test_that("frames, pictures and the bill are as what happened; deleting waits until all was read", {
  skip_if_not_installed("png")
  farm <- test_farm(seconds = 10)
  job <- ask_farm(farm, "POST", "/jobs", an_order(), "key-of-a-test")$body$job
  own <- function(...) ask_farm(farm, "GET", paste0("/jobs/", job, ...))
  expect_identical(own()$body$state, "waiting")
  expect_identical(problem(own("/pictures/gears-review/1/parts/1")), c("404", "unknown"))
  pass(farm, 5000)
  expect_identical(own()$body[c("state", "ready", "ended_by")],
                   list(state = "done", ready = 12L, ended_by = "all frames"))
  frames <- own("/frames?most=5")$body
  expect_length(frames$frames, 5)
  expect_identical(frames[["next"]], 5L)
  all <- own("/frames")$body$frames
  expect_equal(sum(vapply(all, `[[`, 0, "charge")), own()$body$spent, tolerance = 1e-3)
  picture <- own("/pictures/gears-review/3/parts/1")
  expect_identical(paste(openssl::sha256(picture$bytes)), all[[3]]$sha256)
  path <- tempfile(fileext = ".png")
  writeBin(picture$bytes, path)
  expect_identical(dim(png::readPNG(path))[1:2], c(18L, 32L))
  sums <- vapply(all, `[[`, "", "sha256")
  expect_false(anyDuplicated(sums) > 0)
  bill <- own("/bill")$body
  expect_true(bill$last)
  expect_equal(bill$total, own()$body$spent)
  expect_equal(sum(vapply(bill$lines, `[[`, 0, "amount")), bill$total)
  gone <- function() ask_farm(farm, "DELETE", paste0("/jobs/", job))
  expect_identical(problem(gone()), c("409", "not-fetched"))
  for (k in 1:12) own("/pictures/gears-review/", k, "/parts/1")
  expect_identical(gone()$status, 200L)
  expect_identical(problem(own()), c("404", "unknown"))
})

test_that("a quote is what the job then costs, but for waits and faults; prices and versions can be others", {
  farm <- test_farm(seconds = 10)
  work <- an_order()[c("engine", "version", "tier", "nodes", "shots")]
  quote <- ask_farm(farm, "POST", "/quotes", work)$body
  job <- ask_farm(farm, "POST", "/jobs", an_order(), "key-of-a-test")$body$job
  pass(farm, 5000)
  expect_equal(quote$expected, farm$jobs[[job]]$spent)
  dear <- test_farm(seconds = 10, faults = "prices=2,version=1.0")
  # All but the minimum of a job is twice as dear.
  expect_gt(ask_farm(dear, "POST", "/quotes", work)$body$expected, 1.3 * quote$expected)
  expect_identical(ask_farm(dear, "GET", "/engines")$body$engines[[1]]$versions, list("1.0"))
})
