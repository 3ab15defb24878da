# What the page asks of a process beside its own, in which forecasts are made and plans are searched.

# A process beside the page's own, in which forecasts are made and plans are searched, and the question once it is made.
page_work <- function(make, with) {
  profile <- paste0("page-", Sys.getpid())
  mirai::daemons(1, .compute = profile)
  ready <- bquote({
    .libPaths(.(.libPaths()))
    loadNamespace("clockpigeon")
  })
  mirai::everywhere(ready, .compute = profile)
  ask <- quote(kept(make, with))
  question <- mirai::mirai(ask, kept = kept_question, make = make, with = with, .compute = profile)
  list2env(list(profile = profile, question = question), parent = emptyenv())
}

# In the process that works for the page: plans are searched where the forecast is, which is not sent there again.
worked_for <- new.env(parent = emptyenv())

kept_question <- function(make, with) {
  worked_for$made <- do.call(make, with)
  worked_for$made
}

searched_there <- function(asked, without) page_said(worked_for$made$forecast, asked, without, TRUE)

close_page_work <- function(work) mirai::daemons(0, .compute = work$profile)

# The answer with plans of several sites and fallbacks, as a mirai: what `page_said()` gives.
searched_answer <- function(work, asked, without) {
  search <- quote(said(asked, without))
  mirai::mirai(search, said = searched_there, asked = asked, without = without, .compute = work$profile)
}

# A question's answer as the terminal has it: `title`, `says` (sentences by what they answer), `pick`; NULL where
# no site is left. Without `plans` of single options alone, which is quick.
page_said <- function(forecast, asked, without = character(), plans = FALSE) {
  forecast <- without_sites(forecast, without)
  if (is.null(forecast)) return(NULL)
  choice <- decide(forecast, asked, plans, details = FALSE)
  list(title = answer_title(choice), says = headed_answer(choice), pick = choice$pick)
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
