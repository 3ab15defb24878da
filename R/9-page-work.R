# Work for the page in a separate process, which makes forecasts and searches plans.

# Processes of the page: one makes forecasts and searches plans, and has the `question` once it is
# made. Two more start at their first use: one for checks of the disk and of sites, and one for
# rendering here. `here`: the commands' functions for use from the page, `measure` and `limit`.
page_work <- function(root, make, with, here = list()) {
  work <- list2env(list(root = root, profile = start_work_process("page"), make = make, with = with,
                        here = here, question_says = tempfile("page-said-"), others = character()),
                   parent = emptyenv())
  ask_question(work)
  work
}

ask_question <- function(work) {
  work$question <- ask_process(work$profile, kept_question, work$make, work$with,
                               said = work$question_says)
}

# A row of next_measures() done on this machine, as a mirai; the question is made again when it is
# done.
measured_here <- function(work, row, said) {
  do.call(ask_process,
          c(list(other_process(work, "here"), work$here$measure), work$with, list(row),
            said = said))
}

# A process with the package loaded, by its name.
start_work_process <- function(name) {
  profile <- paste0(name, "-", Sys.getpid())
  begin_local(profile)
  ready <- bquote({
    .libPaths(.(.libPaths()))
    loadNamespace("clockpigeon")$attach_defaults()
  })
  mirai::everywhere(ready, .compute = profile)
  profile
}

# `f(...)` there, as a mirai. `said`: a file for its progress messages.
ask_process <- function(profile, f, ..., said = NULL) {
  call <- quote(run(f, with, said))
  mirai::mirai(call, run = run_heard, f = f, with = list(...), said = said, .compute = profile)
}

run_heard <- function(f, with, said) {
  if (length(said)) {
    heard <- file(said, "w")
    sink(heard, type = "message")
    on.exit({
      sink(type = "message")
      close(heard)
      unlink(said)
    })
  }
  do.call(f, with)
}

# Last message of running work, or nothing.
last_message <- function(said) {
  if (!file.exists(said)) return(character())
  texts <- trimws(unlist(strsplit(readLines(said, warn = FALSE), "\r", fixed = TRUE)))
  utils::tail(texts[nzchar(texts)], 1)
}

# Messages of running work, twice a second while `busy()` holds. `said`: its file.
say_work <- function(busy, said) {
  shiny::renderText({
    if (!busy()) return("")
    shiny::invalidateLater(500)
    or_else(last_message(said), "")
  })
}

# A process by what it is for.
other_process <- function(work, name) {
  if (!name %in% names(work$others))
    work$others[[name]] <- start_work_process(paste0("page-", name))
  work$others[[name]]
}

# The same in the process for what is on disk and at sites: `f(root, ...)`.
ask_disk_process <- function(work, f, ...)
  ask_process(other_process(work, "beside"), f, work$root, ...)

# Ends running work and keeps its process.
leave_work <- function(task) if (inherits(task, "mirai")) mirai::stop_mirai(task)

# Words for how work ended that did not come to its end.
work_trouble <- function(e) {
  text <- sub("^Error: ", "", conditionMessage(e))
  if (grepl("Operation cancel", text)) "It was left before it was done." else text
}

# In the process that works for the page: plans are searched where the forecast is, which is not
# sent there again.
worked_for <- new.env(parent = emptyenv())

kept_question <- function(make, with) {
  worked_for$made <- do.call(make, with)
  worked_for$made
}

compute_search <- function(asked, kept)
  page_forecast_answer(worked_for$made$forecast, asked, kept, TRUE)

close_page_work <- function(work) {
  for (profile in c(work$profile, work$others)) mirai::daemons(0, .compute = profile)
}

# The answer with plans of several sites and fallbacks, as a mirai: what `page_forecast_answer()`
# gives.
searched_answer <- function(work, asked, kept)
  ask_process(work$profile, compute_search, asked, kept)

# The page's options: `kept`, `only` and `without` as plan_options() has them, and the most `noise`
# (an option with unknown noise is excluded then). NULL if none remain.
forecast_of <- function(forecast, kept) {
  rows <- as_frame(forecast$scenario$options)
  rows$at <- seq_len(nrow(rows))
  left <- tryCatch(matches_pins(rows, kept$only, kept$without),
                   clockpigeon_error_option = function(e) NULL)
  if (is.finite(or_else(kept$noise, Inf)))
    left <- left[which(left[["noise"]] <= kept$noise * (1 + 1e-9)), ]
  if (NROW(left)) with_options(forecast, left$at)
}

# A question's answer as the terminal has it: `title`, `says` (sentences by what they answer),
# `pick`; NULL where no option is left. Without `plans` of single options alone, which is quick;
# with them also `figures` of the plan.
page_forecast_answer <- function(forecast, asked, kept = list(), plans = FALSE) {
  forecast <- forecast_of(forecast, kept)
  if (is.null(forecast)) return(NULL)
  choice <- make_decision(forecast, asked, plans, details = FALSE)
  list(title = answer_title(choice), says = headed_answer(choice), pick = choice$pick,
       figures = if (plans) decided_figures(with_details(choice)))
}

# Slow work that is requested repeatedly: a newer request replaces the running one. `begin(x)` gives
# a mirai or a promise; `ended(x, value)` and `broken(x, error)` receive the newest result.
# `leave()` ends it and calls `broken()`; `drop()` ends it silently.
newest_alone <- function(begin, ended, broken) {
  current <- NULL
  drop <- function() {
    old <- current
    current <<- NULL
    leave_work(old)
  }
  list(ask = function(x) {
    drop()
    task <- begin(x)
    current <<- task
    over <- function(tell) function(value) {
      if (!identical(current, task)) return(invisible())
      current <<- NULL
      tell(x, value)
    }
    promises::then(promises::as.promise(task), over(ended), over(broken))
    invisible()
  }, leave = function() leave_work(current), drop = drop)
}
