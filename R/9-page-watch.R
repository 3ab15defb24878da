# Jobs watched in the page: updated in a separate process, once for all viewers.

# `look(job, first)` gives a mirai, or another promise, of a job's state. Returns
# `join(job, session, tell)`: `tell(x)` is called with each state, until the session ends; and
# `again(job)`, which looks at once. The next look starts `rest` seconds after the last has ended,
# or as long as it took; sooner if `hear(0)` reports events.
page_follower <- function(look, rest = 1, hear = function(seconds) FALSE) {
  followed <- new.env(parent = emptyenv())
  tell_all <- function(job, x) for (one in as.list(followed[[job]]$who)) one(x)
  rest_until <- function(end, then) {
    if (steady_clock() >= end || hear(0)) return(then())
    later::later(function() rest_until(end, then), min(0.1, max(end - steady_clock(), 0)))
  }
  go <- function(job) {
    at <- followed[[job]]
    if (at$busy || !length(at$who)) return(invisible())
    at$busy <- TRUE
    began <- steady_clock()
    over <- function(x) {
      at$busy <- FALSE
      at$looks <- at$looks + 1
      at$last <- x
      tell_all(job, x)
      wait <- if (at$soon) 0 else max(rest, if (at$looks > 1) steady_clock() - began else 0)
      at$soon <- FALSE
      if (is.null(x$over)) rest_until(steady_clock() + wait, function() go(job))
    }
    promises::then(promises::as.promise(look(job, at$looks == 0)), over,
                   function(e) over(list(trouble = work_trouble(e))))
    invisible()
  }
  list(
    join = function(job, session, tell) {
      if (is.null(followed[[job]])) {
        followed[[job]] <- list2env(list(who = new.env(), busy = FALSE, looks = 0, last = NULL,
                                         soon = FALSE),
                                    parent = emptyenv())
      }
      at <- followed[[job]]
      at$who[[session$token]] <- tell
      session$onSessionEnded(function() rm(list = session$token, envir = at$who))
      if (length(at$last)) tell(at$last)
      go(job)
    },
    again = function(job) {
      at <- followed[[job]]
      if (is.null(at)) return(invisible())
      at$soon <- at$busy
      go(job)
    }
  )
}

# ---- in the process beside the page --------------------------------------------------------------

# How a job stands, after what has come at its sites was taken: as page_state() has it.
compute_watch <- function(root, job, first) {
  project <- read_project(root, parts = c("shots", "sites", "jobs", "rates"))
  if (is.null(worked_for$links)) worked_for$links <- new_links()
  last <- worked_for$watched[[job]]
  trouble <- NULL
  if (with_ledger(project$ledger, function(ledger) has_reporting_site(project, ledger, job))) {
    rows <- with_ledger(project$ledger,
                        function(ledger) fetch_job(project, ledger, job, 3, worked_for$links),
                        FALSE)
    trouble <- rows[["trouble"]][!is.na(rows[["trouble"]])]
  }
  x <- with_ledger(project$ledger, function(ledger) watch_job(project, ledger, job, last = last$x))
  belief <- extend_belief(last$belief, x)
  worked_for$watched[[job]] <- list(x = x, belief = belief)
  page_state(x, belief, trouble)
}

# Orders and fetches of a job, and their result in words.
send_page_order <- function(root, job, what) {
  project <- read_project(root, parts = c("shots", "sites", "jobs", "rates"))
  with_ledger(project$ledger, function(ledger) {
    if (what == "fetch") return(fetched_words(as_frame(fetch_job(project, ledger, job, 30)), job))
    said <- order_job(project, ledger, job, what, "page")
    paste(c(paste0("Job ", job, said$says, "."), said$trouble), collapse = " ")
  }, FALSE)
}

fetched_words <- function(rows, job) {
  rows <- rows[!is.na(rows[["site"]]), , drop = FALSE]
  if (!nrow(rows)) return(paste0("Job ", job, " is at no site that could be asked."))
  paste(paste0(rows[["site"]], ": ", rows[["here"]], " of ", rows[["frames"]], " frames are here",
               ifelse(is.na(rows[["trouble"]]), "", paste0("; it ", rows[["trouble"]])), "."),
        collapse = " ")
}

# Forecast at each moment: reconstructed from the events the first time, then extended by a point
# per look, and thinned if there are many.
extend_belief <- function(belief, x, most = 400) {
  q <- quantile_of(x$draws[["finish_s"]], c(0.1, 0.5, 0.9))
  now <- data.frame(at_s = x$passed_s, there = sum(is.finite(x$came)), p10 = q[1], p50 = q[2],
                    p90 = q[3])
  rows <- rbind(as_frame(or_else(belief, belief_of(x))), now)
  rows <- rows[!duplicated(rows[["at_s"]], fromLast = TRUE), , drop = FALSE]
  if (nrow(rows) > most) rows <- rows[unique(c(seq(1, nrow(rows), 2), nrow(rows))), , drop = FALSE]
  rows
}
