# What the page asks of a process beside its own, in which forecasts are made and plans are searched.

# Two processes beside the page's own: one in which forecasts are made and plans are searched, whose `question` is there
# once it is made; and one for what is looked at on disk and at sites, begun when it is first asked.
page_work <- function(root, make, with, measure = NULL) {
  work <- list2env(list(root = root, profile = begun_process("page"), beside = NULL, make = make, with = with,
                        measure = measure), parent = emptyenv())
  ask_question(work)
  work
}

ask_question <- function(work) work$question <- ask_process(work$profile, kept_question, work$make, work$with)

# A row of next_measures() done on this machine, and the question made anew with it, as a mirai.
measured_here <- function(work, row) {
  done <- do.call(ask_process, c(list(work$profile, work$measure), work$with, list(row)))
  ask_question(work)
  done
}

# A process that has the package, by the name by which it is asked.
begun_process <- function(name) {
  profile <- paste0(name, "-", Sys.getpid())
  mirai::daemons(1, .compute = profile)
  ready <- bquote({
    .libPaths(.(.libPaths()))
    loadNamespace("clockpigeon")$attach_defaults()
  })
  mirai::everywhere(ready, .compute = profile)
  profile
}

# `f(...)` there, as a mirai.
ask_process <- function(profile, f, ...) {
  call <- quote(do.call(f, with))
  mirai::mirai(call, f = f, with = list(...), .compute = profile)
}

# The same in the process for what is on disk and at sites: `f(root, ...)`.
ask_beside <- function(work, f, ...) {
  if (is.null(work$beside)) work$beside <- begun_process("page-beside")
  ask_process(work$beside, f, work$root, ...)
}

# In the process that works for the page: plans are searched where the forecast is, which is not sent there again.
worked_for <- new.env(parent = emptyenv())

kept_question <- function(make, with) {
  worked_for$made <- do.call(make, with)
  worked_for$made
}

searched_there <- function(asked, without) page_said(worked_for$made$forecast, asked, without, TRUE)

close_page_work <- function(work) {
  for (profile in c(work$profile, work$beside)) mirai::daemons(0, .compute = profile)
}

# The answer with plans of several sites and fallbacks, as a mirai: what `page_said()` gives.
searched_answer <- function(work, asked, without) ask_process(work$profile, searched_there, asked, without)

# A question's answer as the terminal has it: `title`, `says` (sentences by what they answer), `pick`; NULL where
# no site is left. Without `plans` of single options alone, which is quick; with them also `figures` of the plan.
page_said <- function(forecast, asked, without = character(), plans = FALSE) {
  forecast <- without_sites(forecast, without)
  if (is.null(forecast)) return(NULL)
  choice <- decide(forecast, asked, plans, details = FALSE)
  list(title = answer_title(choice), says = headed_answer(choice), pick = choice$pick,
       figures = if (plans) decided_figures(with_details(choice)))
}

# Something that takes its time, begun for the newest of what it is asked for once the last has ended: what was asked in
# between is asked no more. `begin(x)` gives a mirai; `ended(x, value)` and `broken(x, error)` are told of it.
one_at_a_time <- function(begin, ended, broken) {
  busy <- FALSE
  waiting <- NULL
  go <- function(x) {
    if (busy) {
      waiting <<- x
      return(invisible())
    }
    busy <<- TRUE
    over <- function(tell) function(value) {
      busy <<- FALSE
      tell(x, value)
      following <- waiting
      waiting <<- NULL
      if (length(following)) go(following)
    }
    promises::then(promises::as.promise(begin(x)), over(ended), over(broken))
    invisible()
  }
  go
}
