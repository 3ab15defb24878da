test_that("files are sent in parts, what is there is not sent again, and a cut anywhere costs one part at most", {
  folder <- scratch()
  writeBin(as.raw((seq_len(10500) * 13) %% 251), file.path(folder, "big.bin"))
  writeBin(as.raw(1:9), file.path(folder, "small.bin"))
  file.create(file.path(folder, "empty.bin"))
  files <- c("big.bin", "small.bin", "empty.bin")
  send <- function(farm, service) clockpigeon:::send_site_files(service, folder, files, 1000)
  farm <- test_farm()
  farm$part_bytes <- 1000
  service <- farm_service(farm)
  sent <- send(farm, service)
  expect_identical(sent$sent, c(10500, 9, 0))
  whole <- function(farm)
    vapply(sent$sha256, function(sum) clockpigeon:::farm_file(farm, sum)$whole, NA,
           USE.NAMES = FALSE)
  expect_true(all(whole(farm)))
  before <- service$asked$n
  expect_identical(send(farm, service)$sent, c(0, 0, 0))
  expect_identical(service$asked$n, before + 3)
  for (how in c("before", "after")) {
    for (k in seq_len(before)) {
      cut <- test_farm()
      cut$part_bytes <- 1000
      once <- farm_service(cut, function(n) if (n == k) how else "", tries = 1)
      # One that is not asked again ends there; the next time it goes on.
      first <- tryCatch(send(cut, once), clockpigeon_error_service = identity)
      expect_s3_class(first, "error")
      send(cut, once)
      expect_true(all(whole(cut)))
      expect_lte(once$asked$n, before + 4)
    }
  }
})

test_that("a file that changes while it is sent is told of, not taken for whole", {
  folder <- scratch()
  path <- file.path(folder, "a.bin")
  writeBin(as.raw(rep(1, 90000)), path)
  farm <- test_farm()
  farm$part_bytes <- 30000
  service <- farm_service(farm)
  plain <- service$request
  service$request <- function(service, method, url, body, headers) {
    if (method == "PUT" && grepl("parts/1$", url)) writeBin(as.raw(rep(2, 90000)), path)
    plain(service, method, url, body, headers)
  }
  expect_refusal(clockpigeon:::send_site_files(service, folder, "a.bin", 30000), "service",
                 "did not arrive whole")
})

test_that("a picture gets its name when it is what the site says it is", {
  skip_if_not_installed("png")
  farm <- test_farm(seconds = 1)
  farm$part_bytes <- 60
  service <- farm_service(farm)
  id <- ask_farm(farm, "POST", "/jobs", an_order(), "key-of-a-test")$body$job
  pass(farm, 5000)
  row <- ask_farm(farm, "GET", paste0("/jobs/", id, "/frames"))$body$frames[[4]]
  expect_gt(row$parts, 1)
  path <- file.path(scratch(), "a", "4.png")
  expect_true(clockpigeon:::fetch_picture(service, id, row, path))
  expect_identical(unname(clockpigeon:::file_hashes(path)), row$sha256)
  unlink(path)
  wrong <- row
  wrong$sha256 <- sub("^.", if (startsWith(row$sha256, "0")) "1" else "0", row$sha256)
  expect_false(clockpigeon:::fetch_picture(service, id, wrong, path))
  plain <- service$request
  service$request <- function(...) {
    answer <- plain(...)
    answer$body[1] <- xor(answer$body[1], as.raw(1))
    answer
  }
  expect_false(clockpigeon:::fetch_picture(service, id, row, path))
  expect_identical(list.files(dirname(path), "png$"), character())
})
