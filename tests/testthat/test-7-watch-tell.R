test_that("each alarm is told once, to a program with the alarm on its input, whoever watches", {
  at <- scratch()
  heard <- file.path(at, "heard")
  script <- write_file(at, "tell.sh", "#!/bin/sh",
                       paste0("{ echo \"$1 \"; cat; } | tr -d '\\n' >> ", heard),
                       paste0("echo >> ", heard))
  Sys.chmod(script, "755")
  tell <- list(run = c(script, "a b"), quiet = 600)
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  late <- watched(x, list(slow = some_frames(scratch(), 1:30, 18 * (1:30))), 541)
  late$alarms <- late$alarms[late$alarms$code == "late", ]
  ledger <- ledger_of_job()
  told <- clockpigeon:::tell_alarms(late, ledger, tell, now = placed_at + 541)
  expect_identical(told$code, "late")
  expect_identical(told$status, 0L)
  line <- readLines(heard)
  expect_match(line, "^a b \\{")
  said <- jsonlite::fromJSON(sub("^a b ", "", line))
  expect_identical(said[c("job", "code", "level", "there", "frames")],
                   list(job = "night", code = "late", level = "now", there = 30L, frames = 60L))
  expect_match(said$action, "Send the rest to quick")
  expect_match(said$until, "^2026-11-24T12:0[0-9]")
  expect_null(clockpigeon:::tell_alarms(late, ledger, tell, now = placed_at + 541))
  expect_length(readLines(heard), 1)
  # Within the quiet time what is not urgent waits, and what is does not.
  soon <- late
  soon$alarms$code <- "slower"
  soon$alarms$level <- "soon"
  expect_null(clockpigeon:::tell_alarms(soon, ledger, tell, now = placed_at + 700))
  urgent <- soon
  urgent$alarms$level <- "now"
  urgent$alarms$code <- "gone"
  expect_identical(clockpigeon:::tell_alarms(urgent, ledger, tell, now = placed_at + 700)$code,
                   "gone")
  expect_identical(clockpigeon:::tell_alarms(soon, ledger, tell, now = placed_at + 1400)$code,
                   "slower")
  # The end.
  done <- watched(x, list(slow = some_frames(scratch(), 1:60, 10 * (1:60))), 700)
  expect_identical(clockpigeon:::tell_alarms(done, ledger, tell, now = placed_at + 1401)$code,
                   "ended")
  expect_length(readLines(heard), 4)
})

test_that("a program that fails, hangs or is not there is told of, and holds nothing up", {
  run <- clockpigeon:::run_alarm_program
  expect_identical(run(c("/no/such/program"), "{}"), NA_integer_)
  expect_identical(run(c("/bin/sh", "-c", "exit 3"), "{}"), 3L)
  expect_identical(run(c("/bin/sh", "-c", "grep -q beacon"), "{\"beacon\": 1}"), 0L)
})

test_that("an alarm is posted with a signature that its reader can check, and asked again under one key", {
  skip_if_not_installed("curl")
  withr::local_envvar(CP_HOOK = "a secret")
  got <- list()
  fails <- 2
  service <- list(site = "tell", address = "http://127.0.0.1:1/hook", tries = 4, timeout_s = 1,
                  sleep = function(s) NULL, clock = clockpigeon:::this_moment,
                  request = function(service, method, url, body, headers) {
                    got[[length(got) + 1]] <<- list(method = method, url = url, body = body,
                                                    headers = headers)
                    if (length(got) <= fails) stop("no route")
                    list(status = 202L, body = raw(), headers = list())
                  })
  post <- list(address = "http://127.0.0.1:1/hook", secret = list(env = "CP_HOOK"))
  object <- "{\"code\":\"late\",\"says\":\"\u00e9\"}"
  expect_identical(clockpigeon:::post_alarm(post, object, "night late", service), NA_character_)
  expect_length(got, 3)
  last <- got[[3]]
  expect_identical(rawToChar(last$body), rawToChar(charToRaw(enc2utf8(object))))
  expect_null(last$headers$Authorization)
  # As anybody would reckon it (RFC 2104), by a program that is not ours.
  at <- last$headers[["Signature-Moment"]]
  own <- paste(openssl::sha256(c(charToRaw(at), charToRaw("."), last$body),
                               key = charToRaw("a secret")))
  expect_identical(last$headers[["Signature-SHA256"]], own)
  expect_identical(unique(vapply(got, function(x) x$headers[["Idempotency-Key"]], "")),
                   last$headers[["Idempotency-Key"]])
  fails <- 99
  expect_match(clockpigeon:::post_alarm(post, object, "night late", service),
               "does not answer: no route")
  expect_refusal(clockpigeon:::post_alarm(list(secret = list(env = "CP_NONE")), object, "k",
                                          service), "service", "CP_NONE")
  folder <- local_project(sample = FALSE)
  path <- file.path(folder, "clockpigeon.yaml")
  text <- readLines(path)
  writeLines(c(text, "tell: {quiet: 5min}"), path)
  expect_refusal(read_project(folder), "project", "tells nobody")
  writeLines(c(text, "tell: {post: {address: 'https://a.example/h', secret: {env: CP_HOOK}}}"),
             path)
  expect_identical(read_project(folder)$tell$post$secret$env, "CP_HOOK")
})
