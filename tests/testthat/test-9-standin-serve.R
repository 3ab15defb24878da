test_that("over HTTP, on this machine alone: answers, parts up to the largest, errors, events as they happen", {
  skip_if_not_installed("nanonext")
  skip_if_not_installed("later")
  skip_if_not_installed("curl")
  withr::local_envvar(CLOCKPIGEON_NOW = NA, CLOCKPIGEON_TOKEN = "token-of-the-test")
  folder <- local_project()
  served <- local_standin(folder, "saltmill", "--speed", "30", "--for", "50s")
  expect_match(served$url, "^http://127[.]0[.]0[.]1:[0-9]+$")
  site <- read_project(folder)$sites$saltmill
  site$service <- list(address = paste0(served$url, "/saltmill"),
                       token = list(env = "CLOCKPIGEON_TOKEN"))
  service <- clockpigeon:::site_service(site, tries = 2)
  about <- clockpigeon:::ask_site(service)
  expect_identical(about$site, "saltmill")
  withr::with_envvar(c(CLOCKPIGEON_TOKEN = "wrong"), {
    expect_refusal(clockpigeon:::ask_site(clockpigeon:::site_service(site)), "service",
                   "The token is not known")
  })
  expect_refusal(clockpigeon:::ask_json(service, "GET", "/jobs/none"), "service",
                 "refused GET /jobs/none")
  other <- curl::curl_fetch_memory(paste0(served$url, "/nowhere"))
  expect_identical(other$status_code, 404L)
  # Parts of the largest size, and what is beyond it.
  bytes <- as.raw((seq_len(2^21) * 31) %% 253)
  path <- file.path(scratch(), "big.bin")
  writeBin(bytes, path)
  expect_identical(clockpigeon:::send_site_files(service, dirname(path), "big.bin",
                                                 about$part_bytes)$sent, 2^21)
  # It is refused by an answer, or the connection ends before all of it was sent.
  huge <- tryCatch(
    clockpigeon:::service_request(service, "PUT", paste0(service$address, "/files/a/parts/1"),
                                  as.raw(rep(1, 2^21)),
                                  list(Authorization = "Bearer token-of-the-test"))$status,
    error = function(e)
    if (grepl("reset|[Ss]end|[Rr]ecv|pipe|closed|Empty reply", conditionMessage(e))) 499 else
    stop(e)
  )
  expect_gte(huge, 400)
  expect_identical(clockpigeon:::ask_site(service)$site, "saltmill")
  order <- an_order(engine = "sundew", version = "4.2")
  order$shots <- list(list(shot = "gears", scene = "gears", frames = "240-279", width = 1920,
                           height = 1080, limit = list(samples = 512), output = "png"))
  job <- clockpigeon:::place_at_site(service, order, "key-of-a-test")
  stream <- clockpigeon:::open_site_events(service, job$job)
  withr::defer(clockpigeon:::close_site_events(stream))
  got <- list()
  begun <- Sys.time()
  while (length(got) < 30 && Sys.time() - begun < 30) {
    got <- c(got, clockpigeon:::read_site_events(stream, 0.3))
    clockpigeon:::expect_number(stream, length(got) + 1)
  }
  numbers <- vapply(got, `[[`, 0, "number")
  expect_gte(length(got), 30)
  expect_identical(numbers, as.numeric(seq_along(numbers)))
  # A stream of a job that is none is refused.
  expect_refusal(clockpigeon:::read_site_events(clockpigeon:::open_site_events(service, "none"), 5),
                 "service", "none")
})

test_that("a stand-in that is killed goes on where it was, and connections that are really cut change nothing", {
  skip_if_not_installed("nanonext")
  skip_if_not_installed("later")
  skip_if_not_installed("curl")
  withr::local_envvar(CLOCKPIGEON_NOW = NA, CLOCKPIGEON_TOKEN = "token-of-the-test")
  folder <- local_project()
  more <- c("saltmill", "--speed", "200", "--for", "100s", "--misbehave",
            "cut=25%,doubled=20%,disordered=20%")
  served <- local_standin(folder, more)
  site <- read_project(folder)$sites$saltmill
  site$service <- list(address = paste0(served$url, "/saltmill"),
                       token = list(env = "CLOCKPIGEON_TOKEN"))
  service <- function()
    clockpigeon:::site_service(site, tries = 12, sleep = function(s) Sys.sleep(min(s, 0.1)))
  order <- an_order(engine = "sundew", version = "4.2")
  order$shots[[1]] <- utils::modifyList(order$shots[[1]],
                                        list(shot = "gears", width = 1920, height = 1080,
                                             frames = "240-269", limit = list(samples = 512)))
  job <- clockpigeon:::place_at_site(service(), order, "key-of-a-test")$job
  Sys.sleep(1)
  served$process$kill()
  served$process$wait(5000)
  expect_refusal(clockpigeon:::ask_site(clockpigeon:::site_service(site, tries = 1)), "service",
                 "does not answer")
  served <- local_standin(folder, more)
  site$service$address <- paste0(served$url, "/saltmill")
  expect_identical(clockpigeon:::place_at_site(service(), order, "key-of-a-test")$job, job)
  begun <- Sys.time()
  repeat {
    state <- clockpigeon:::site_job(service(), job)
    if (state$state == "done" || Sys.time() - begun > 60) break
    Sys.sleep(0.2)
  }
  expect_identical(state[c("state", "ready")], list(state = "done", ready = 30L))
  stream <- clockpigeon:::open_site_events(service(), job)
  got <- list()
  clockpigeon:::expect_number(stream, state$last_event)
  begun <- Sys.time()
  while (!clockpigeon:::is_caught_up(stream) && Sys.time() - begun < 30)
    got <- c(got, clockpigeon:::read_site_events(stream, 1))
  clockpigeon:::close_site_events(stream)
  numbers <- vapply(got, `[[`, 0, "number")
  expect_setequal(numbers, seq_len(state$last_event))
  expect_gt(length(numbers), state$last_event)
  frames <- clockpigeon:::ask_pages(service(), paste0("/jobs/", job, "/frames"), "frames")
  expect_identical(vapply(frames, `[[`, 0L, "frame"), 240:269)
})
