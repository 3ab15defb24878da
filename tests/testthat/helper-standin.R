# Stand-ins: in this process, asked without a network, and as the command, over HTTP.

# A farm of one rate card whose clock is `$at`, a number that tests move. `card`: fields of it that
# are replaced.
test_farm <- function(folder = scratch(env), faults = "", site = "saltmill", card = list(),
                      seconds = NULL, real = FALSE, at = 1764158400, env = parent.frame()) {
  project <- read_project(demo_file())
  for (name in names(card)) {
    old <- project$sites[[site]][[name]]
    named <- is.list(old) && length(names(old)) && length(names(card[[name]]))
    project$sites[[site]][[name]] <- if (named) utils::modifyList(old, card[[name]]) else
      card[[name]]
  }
  con <- clockpigeon:::open_farm_store(folder)
  withr::defer(DBI::dbDisconnect(con), envir = env)
  clock <- new.env()
  clock$at <- at
  options <- clockpigeon:::standin_options(token = "token-of-the-test", real = real,
                                           faults = clockpigeon:::parse_faults(faults))
  farm <- clockpigeon:::made_farm(project, example_timings(), site, folder, con,
                                  function() clock$at, clockpigeon:::protocol_document(), options)
  if (length(seconds)) farm$seconds <- function(work) {
    rep(seconds, length.out = sum(vapply(work$shots, function(s)
                                         length(clockpigeon:::parse_frames(s$frames)), 0L)))
  }
  farm$clock <- clock
  farm
}

# The farm's clock goes on, and what happens happens.
pass <- function(farm, seconds) {
  farm$clock$at <- farm$clock$at + seconds
  clockpigeon:::step_farms(list(farm), NULL, list2env(list(open = list())))
}

# One request as it comes from the network, and its answer: `status`, `body` as lists, `headers`,
# `bytes`.
ask_farm <- function(farm, method, path, body = NULL, key = NULL, token = "token-of-the-test",
                     headers = character()) {
  if (is.list(body)) body <- charToRaw(clockpigeon:::to_json_line(body))
  headers <- c(headers, if (length(token)) c(Authorization = paste("Bearer", token)),
               if (length(key)) c("Idempotency-Key" = key))
  req <- list(method = method, uri = paste0("/", farm$card$site, path), headers = headers,
              body = c(raw(), body))
  answer <- tryCatch(clockpigeon:::farm_reply(farm, req), standin_problem = identity)
  if (is.null(answer$bytes) && is.null(answer$follow)) {
    answer$body <- jsonlite::fromJSON(clockpigeon:::to_json_line(answer$body),
                                      simplifyVector = FALSE)
  }
  answer
}

an_order <- function(..., frames = "1-12", files = NULL) {
  shot <- c(list(shot = "gears-review", scene = "gears", frames = frames, width = 32, height = 18,
                 limit = list(samples = 6), output = "png"), if (length(files)) list(files = files))
  utils::modifyList(list(name = "night", engine = "pebble", version = "1.1", tier = "brisk",
                         nodes = 10, shots = list(shot)), list(...))
}

# A service that is asked in this process. `cut(n)`: what becomes of the n-th request: "" nothing,
# "before" or "after" the farm acted its connection is cut.
farm_service <- function(farm, cut = function(n) "", tries = 5) {
  asked <- new.env()
  asked$n <- 0
  asked$log <- character()
  list(
    site = farm$card$site, address = "http://127.0.0.1:1", token = "token-of-the-test",
    tries = tries, timeout_s = 5, sleep = function(seconds) NULL,
    clock = function() as.POSIXct(farm$now(), origin = "1970-01-01", tz = "UTC"), asked = asked,
    request = function(service, method, url, body, headers) {
      asked$n <- asked$n + 1
      asked$log <- c(asked$log, paste(method, sub("http://127.0.0.1:1", "", url)))
      how <- cut(asked$n)
      if (how == "before") stop("the connection was cut")
      said <- unlist(headers[setdiff(names(headers), "Authorization")])
      answer <- ask_farm(farm, method, sub("http://127.0.0.1:1", "", url), body, headers = said,
                         token = service$token)
      if (how == "after") stop("the connection was cut")
      bytes <- if (length(answer$bytes)) answer$bytes else
        charToRaw(clockpigeon:::to_json_line(answer$body))
      list(status = answer$status, body = bytes, replay = FALSE,
           headers = stats::setNames(as.list(answer$headers), tolower(names(answer$headers))))
    },
    connect = function(stream) {
      stream$ended <- FALSE
      stream$asked <- stream$service$clock()
      sent <- stream$last
      stream$pull <- function(seconds) {
        job <- farm$jobs[[stream$job]]
        events <- job$events[seq_along(job$events) > sent]
        sent <<- length(job$events)
        now <- clockpigeon:::to_json_line(list(time = clockpigeon:::farm_time(farm, farm$now()),
                                               last = sent))
        texts <- vapply(events, function(event) {
          paste0("id: ", event$number, "\ndata: ",
                 clockpigeon:::to_json_line(clockpigeon:::shown_event(farm, event)), "\n\n")
        }, "")
        stream$pending <- c(stream$pending,
                            charToRaw(paste(c(paste0("event: now\ndata: ", now, "\n\n"), texts),
                                            collapse = "")))
      }
    }
  )
}

# The command `standin` for a project, on a port of its own; its address. Ends with the test.
local_standin <- function(folder, ..., env = parent.frame(), until = 60) {
  code <- "quit(save = 'no', status = clockpigeon::cli())"
  program <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "-e", code, "standin", "--port", "0", ...), wd = folder,
    stdout = "|", stderr = file.path(folder, "standin.log"),
    env = c("current", CLOCKPIGEON_TOKEN = "token-of-the-test",
            R_LIBS = paste(.libPaths(), collapse = ":"))
  )
  withr::defer({
    program$kill()
    program$wait(5000)
  }, envir = env)
  begun <- Sys.time()
  line <- character()
  while (!length(line) && Sys.time() - begun < until && program$is_alive()) {
    program$poll_io(200)
    line <- program$read_output_lines()
  }
  if (!length(line))
    stop("the stand-in did not start: ",
         paste(readLines(file.path(folder, "standin.log")), collapse = " "))
  list(url = line[1], process = program)
}

# A project's site answers there.
at_address <- function(folder, url, site = "saltmill") {
  cat(paste0("service: {address: ", url, "/", site, ", token: {env: CLOCKPIGEON_TOKEN}}\n"),
      file = file.path(folder, "sites", paste0(site, ".yaml")), append = TRUE)
}

# A job of twelve frames that was decided for saltmill and is placed at a farm in this process, with
# all that is needed to go on with it. `cut`: as of farm_service().
at_farm <- function(faults = "", cut = function(n) "", frames = "1-12", seconds = 10,
                    env = parent.frame(), ...) {
  farm <- test_farm(faults = faults, seconds = seconds, env = env, ...)
  farm$clock$at <- as.numeric(clockpigeon:::this_moment())
  farm$began <- farm$clock$at
  # Three times as quick there as here, as its card says.
  x <- list2env(decided(env, frames = frames, only = "saltmill,brisk,nodes=10", deadline = "3h",
                        budget = "20 EUR", seconds = c(3, 3.1) * seconds))
  x$service <- farm_service(farm, cut)
  x$farm <- farm
  # The look is of tests of its own: here it would ask over the network.
  x$place <- function() {
    place <- plan_place(x$project, x$ledger, "review-1")
    place$project$sites$saltmill$service <- list(address = "http://127.0.0.1:1",
                                                 token = list(env = "NONE"))
    place
  }
  x$project$root <- x$folder
  x$send <- function(trial = FALSE) {
    place <- x$place()
    clockpigeon:::place_remote(place, as.list(as.data.frame(place$parts)[1, ]),
                               place$split$runs[[1]], x$ledger, clockpigeon:::placed_folder(place),
                               trial, x$service)
  }
  links <- clockpigeon:::new_links(function(site, ...) x$service)
  x$links <- links
  # Here the clocks of both go together.
  x$pass <- function(seconds) {
    pass(farm, seconds)
    now <- as.POSIXct(farm$clock$at, origin = "1970-01-01", tz = "UTC")
    Sys.setenv(CLOCKPIGEON_NOW = format(now, "%Y-%m-%dT%H:%M:%OS3Z"))
  }
  withr::local_envvar(CLOCKPIGEON_NOW = Sys.getenv("CLOCKPIGEON_NOW"), .local_envir = env)
  x$fetch <- function(seconds = Inf)
    as.data.frame(fetch_job(x$project, x$ledger, "review-1", seconds, links))
  x$watch <- function() watch_job(x$project, x$ledger, "review-1")
  x$pictures <- function()
    list.files(file.path(x$folder, "placed/review-1/frames"), "png$", recursive = TRUE)
  x
}
