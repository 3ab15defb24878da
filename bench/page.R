# The page: how soon it is there, how soon a figure follows a slider, a table of 100,000 timings, a
# strip of 10,000 frames, and what memory it takes. `Rscript bench/page.R`, after `make page-test`
# has brought playwright-core.
suppressMessages(library(clockpigeon))
modules <- normalizePath(".build/page")
stopifnot("Run make page-test first: it brings the browser's driver." =
          dir.exists(file.path(modules, "node_modules")))
say <- function(name, value, unit) cat(name, signif(value, 4), unit, "\n")
bench <- normalizePath("bench/page.mjs")
work <- tempfile("page-bench-")
dir.create(work)
folder <- clockpigeon:::demo_project(file.path(work, "film"))
Sys.setenv(R_USER_CACHE_DIR = file.path(work, "cache"),
           R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))

# The page of a project: its process and its address.
serve <- function(folder) {
  out <- tempfile()
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "-e", "quit(save = 'no', status = clockpigeon::cli())", "page",
      "--shots", "gears", "--engine", "sundew", "--deadline", "20h", "--budget", "60EUR",
      "--no-open", "--for", "20min"),
    wd = folder, stdout = out, stderr = tempfile())
  began <- Sys.time()
  while (!length(line <- readLines(out, warn = FALSE)) &&
         difftime(Sys.time(), began, units = "secs") < 60) Sys.sleep(0.05)
  list(process = process, address = line[1])
}
browse <- function(at, view) {
  run <- processx::run("node", c(bench, at$address, modules, view), error_on_status = FALSE,
                       timeout = 400)
  cat(run$stdout, if (run$status) run$stderr, sep = "")
}
# Resident memory in MB of a process and of those it began.
memory <- function(pid) {
  own <- function(p) ps::ps_memory_info(p)[["rss"]] / 2^20
  handle <- ps::ps_handle(pid)
  c(own(handle), vapply(ps::ps_children(handle, recursive = TRUE), own, 0))
}

at <- serve(folder)
Sys.sleep(6)  # its draws are made
browse(at, "first")
browse(at, "slider")
used <- memory(at$process$get_pid())
say("page_process_memory", used[[1]], "MB")
at$process$kill_tree()

# 100,000 timings: the demo's, again and again.
ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
rows <- as.data.frame(timings(ledger))
many <- rows[rep(seq_len(nrow(rows)), length.out = 1e5 - nrow(rows)), ]
many$id <- NULL
many$plan_id <- many$run_order <- NA
add_timings(ledger, many)
close_ledger(ledger)
at <- serve(folder)
browse(at, "table")
browse(at, "strip")
used <- memory(at$process$get_pid())
say("page_process_memory_100000_timings", used[[1]], "MB")
at$process$kill_tree()

# The answer to the table alone, beside the general one of DT.
shown <- clockpigeon:::compute_timings(folder)[names(clockpigeon:::shown_columns)]
params <- function(search)
  list(draw = "1", search = list(value = search, smart = "true", regex = "false",
                                 caseInsensitive = "true"),
       order = list(list(column = "8", dir = "asc")), start = "0", length = "15", escape = "true",
       columns = stats::setNames(rep(list(list(searchable = "true", orderable = "true",
                                               search = list(
         value = "", regex = "false"))), ncol(shown)), seq_len(ncol(shown)) - 1))
took <- function(f)
  stats::median(replicate(5, system.time(f(shown, params("basin sun")))[["elapsed"]]))
own <- took(clockpigeon:::table_answer)
general <- tryCatch(took(getFromNamespace("dataTablesFilter", "DT")), error = function(e) NA)
say("table_answer", 1000 * own, "ms")
say("table_answer_of_DT", 1000 * general, "ms")

# Eight hours of looks at a job of 10,000 frames, as what each window is sent is made of them.
state <- list(job = "night",
              frames = data.frame(state = rep(3L, 1e4), seconds = 20, node = 0L, begun = 1,
                                  ended = 21),
              shots = list(gears = 1:10000),
              belief = as.list(data.frame(at_s = 1:400, p10 = 1, p50 = 2, p90 = 3)))
used <- function() sum(gc()[, 2])
sent <- state$frames
follow <- function(times) for (k in seq_len(times)) {
  state$frames$state[k %% 1e4 + 1] <- 4L
  clockpigeon:::changed_frames(state, sent)
  sent <<- state$frames
}
follow(200)
before <- used()
follow(14400)
say("server_memory_growth_8h", 100 * (used() / before - 1), "%")
unlink(work, recursive = TRUE)
