# The farm behind a stand-in: nodes that render the frames of a job, as events. A job's state
# follows from its request and its events alone; draws are named by their subject, so that a farm
# that was killed continues identically.

# `request`: as the protocol's Order; `seconds`: of each frame on a node of average speed, in the
# order of its shots; `farm`: `card` (the site), `faults`, `seed`, `real` (frames are rendered, and
# take what they take), `keep` (writes an event down), `charge_every` (seconds). Times are seconds
# by the farm's clock.
farm_job <- function(id, request, placed, seconds, farm) {
  shots <- request$shots
  each <- lapply(shots, function(shot) parse_frames(shot$frames))
  n <- sum(lengths(each))
  tier <- site_tier(farm$card, request$tier)
  count <- min(request$nodes, n)
  draw <- function(label, time) varied_time(time, farm$seed, paste(id, label))
  start <- vapply(seq_len(count),
                  function(k) draw(paste("start", k), or_else(farm$card$start, no_time)), 0)
  spread <- log1p(farm$card$node_spread / 100)
  speed <- vapply(seq_len(count), function(k) {
    exp(spread * with_seed(stream_seed(farm$seed, paste(id, "speed", k)), stats::rnorm(1)))
  }, 0)
  begins <- placed + draw("wait", or_else(tier$wait, no_time)) + or_else(farm$faults$wait, 0)
  at <- function(kind) vapply(seq_len(count), function(k) {
    hit <- farm$faults[[kind]]
    c(placed + hit[["at_s"]][hit[["node"]] == k], Inf)[1]
  }, 0)
  list2env(list(
    id = id, request = request, placed = placed, farm = farm, begins = begins, events = list(),
    begun = NA_real_, paused = FALSE, halted = NA_real_, by = NULL, spent = 0, cap_at = Inf,
    cap = request$cap$amount, billed_at = placed, usage = list(),
    frames = data.frame(shot = rep(vapply(shots, `[[`, "", "shot"), lengths(each)),
                        frame = unlist(each),
                        truth = seconds, state = "waiting", since = -Inf, node = NA_integer_,
                        began = NA_real_, ended = NA_real_, took = NA_real_, runs = 0L,
                        failures = 0L),
    nodes = data.frame(up_at = begins + start, boot = start, speed = speed, state = "starting",
                       free_at = NA_real_, frame = NA_integer_, ends_at = Inf,
                       freeze_at = at("freeze"), lose_at = at("lose"))
  ), parent = emptyenv())
}

# A log-normal time by its median and 90 % point.
varied_time <- function(time, seed, label) {
  if (time$median_s <= 0) return(0)
  sd <- log(time$p90_s / time$median_s) / stats::qnorm(0.9)
  time$median_s * exp(sd * with_seed(stream_seed(seed, label), stats::rnorm(1)))
}

# Everything that happens to a job until `now`, one after the other.
run_farm_job <- function(job, now) {
  repeat {
    step <- next_farm_step(job)
    if (is.null(step) || step$at > now) break
    do_farm_step(job, step$what, step$at, step$node)
  }
  invisible(job)
}

# Next event that happens without a request: `at`, `what`, and the `node`; NULL if there is none.
next_farm_step <- function(job) {
  if (!is.na(job$halted)) return(NULL)
  nodes <- job$nodes
  state <- nodes[["state"]]
  # A frame that failed or was lost waits from that moment: it starts no earlier.
  free <- pmax(nodes[["free_at"]], first_wait(job))
  over <- all(job$frames[["state"]] %in% c("ready", "failed"))
  idle <- state == "idle" & free < nodes[["freeze_at"]] & is.finite(free) & !job$paused
  last <- farm_moment(job)
  of_node <- list(
    "node up" = ifelse(state == "starting", nodes[["up_at"]], Inf),
    "node gone" = ifelse(state == "gone", Inf,
                         pmax(job$placed, pmin(nodes[["lose_at"]], freeze_end(job)))),
    ended = ifelse(state == "busy" & nodes[["ends_at"]] <= nodes[["freeze_at"]], nodes[["ends_at"]],
                   Inf),
    rendering = ifelse(idle, free, Inf)
  )
  # Charges are added from time to time, and the rest at the end.
  of_job <- c(cap = job$cap_at, begun = if (is.na(job$begun)) job$begins else Inf,
              charged = if (job$billed_at < last) job$billed_at + job$farm$charge_every else Inf,
              over = if (over) last else Inf,
              "no nodes" = if (all(state == "gone")) max(last, min(nodes[["lose_at"]])) else Inf)
  first <- which.min(vapply(of_node, min, 0))
  at <- min(of_node[[first]])
  if (min(of_job) <= at) {
    if (!is.finite(min(of_job))) return(NULL)
    return(list(at = min(of_job), what = names(of_job)[which.min(of_job)]))
  }
  list(at = at, what = names(of_node)[first], node = which.min(of_node[[first]]))
}

# From when a frame waits, of those that do the first; Inf when none does.
first_wait <- function(job) {
  since <- job$frames[["since"]][job$frames[["state"]] == "waiting"]
  if (length(since)) min(since) else Inf
}

first_waiting <- function(job, at) {
  which(job$frames[["state"]] == "waiting" & job$frames[["since"]] <= at)[1]
}

do_farm_step <- function(job, what, at, node) {
  switch(what, begun = tell_farm(job, at, "begun"),
         "node up" = tell_farm(job, at, "node up", node = node),
         rendering = tell_farm(job, at, "rendering", first_waiting(job, at), node),
         ended = end_farm_frame(job, node, at), "node gone" = lose_farm_node(job, node, at),
         charged = charge_farm(job, at),
         halt_farm_job(job, at, if (what == "over") "all frames" else what))
}

# Until when a node that froze is not noticed.
freeze_end <- function(job) {
  faults <- job$farm$faults$freeze
  notice <- faults[["value"]][match(seq_len(nrow(job$nodes)), faults[["node"]])]
  ifelse(is.finite(job$nodes[["freeze_at"]]),
         job$nodes[["freeze_at"]] + if (length(notice)) notice else 0, Inf)
}

# Latest moment in a job's events.
farm_moment <- function(job)
  max(c(job$placed, job$frames[["began"]], job$frames[["ended"]]), na.rm = TRUE)

# An event: it is written down, and the job is as it says.
tell_farm <- function(job, at, what, frame = NULL, node = NULL, ...) {
  # Written and read again it is the same.
  event <- c(list(number = length(job$events) + 1L, at = round(at, 3), what = what),
             if (length(frame))
             list(shot = job$frames[["shot"]][frame], frame = job$frames[["frame"]][frame]),
             if (length(node)) list(node = paste0("node-", node)), Filter(length, list(...)))
  job$farm$keep(job$id, event)
  apply_farm_event(job, event)
}

# Effect of an event on a job: the same when it happens and when it is read again.
apply_farm_event <- function(job, event) {
  job$events[[length(job$events) + 1]] <- event
  node <- if (length(event$node)) as.integer(sub("node-", "", event$node))
  frame <- if (length(event$shot))
    which(job$frames[["shot"]] == event$shot & job$frames[["frame"]] == event$frame)
  if (length(frame)) apply_frame_event(job, event$what, event$at, frame, node)
  else if (length(node)) apply_node_event(job, event$what, event$at, node)
  else apply_job_event(job, event$what, event$at, event)
  invisible(job)
}

# Apply an event of a frame to a job's state.
apply_frame_event <- function(job, what, at, frame, node) {
  took <- at - job$frames[["began"]][frame]
  switch(
    what,
    rendering = {
      job$frames[frame, c("began", "runs", "node")] <- list(at, job$frames[["runs"]][frame] + 1L,
                                                            node)
      job$frames$state[frame] <- "rendering"
      add_farm_use(job, node, "idle", "ok", at - job$nodes[["free_at"]][node], at)
      job$nodes$state[node] <- "busy"
      job$nodes$frame[node] <- frame
      job$nodes$ends_at[node] <- if (job$farm$real) Inf else at + farm_seconds(job, frame, node, at)
    },
    ready = , failed = {
      job$frames[frame, c("ended", "took")] <- list(at, took)
      job$frames$failures[frame] <- job$frames[["failures"]][frame] + (what == "failed")
      again <- what == "failed" && job$frames[["failures"]][frame] <= job$farm$card$troubles$retries
      job$frames$state[frame] <- if (again) "waiting" else what
      job$frames$since[frame] <- at
      add_farm_use(job, node, "render", if (what == "ready") "ok" else "failed", took, at, frame)
      free_farm_node(job, node, at)
    },
    lost = {
      add_farm_use(job, node, "render", "incomplete", took, at)
      job$frames$state[frame] <- "waiting"
      job$frames$since[frame] <- at
    }
  )
}

free_farm_node <- function(job, node, at) {
  job$nodes[node, c("free_at", "frame", "ends_at")] <- list(at, NA_integer_, Inf)
  job$nodes$state[node] <- "idle"
}

apply_node_event <- function(job, what, at, node) {
  switch(
    what,
    "node up" = {
      free_farm_node(job, node, at)
      add_farm_use(job, node, "start", "ok", job$nodes[["boot"]][node], at)
    },
    "node gone" = job$nodes$state[node] <- "gone",
    # Who gives nodes back only at the end pays for them until then.
    released = if (identical(job$farm$card$release, "end")) {
      add_farm_use(job, node, "idle", "ok", at - job$nodes[["free_at"]][node], at)
    }
  )
}

# Apply an event of a whole job to its state.
apply_job_event <- function(job, what, at, event) {
  reached <- function() length(job$cap) && job$spent >= job$cap
  switch(
    what,
    begun = job$begun <- at,
    charged = {
      job$spent <- round(job$spent + event$amount, 4)
      job$billed_at <- at
      if (reached() && !is.finite(job$cap_at)) job$cap_at <- at + cap_lag(job$farm)
    },
    capped = {
      job$cap <- event$amount
      job$cap_at <- if (reached()) at + cap_lag(job$farm) else Inf
    },
    paused = job$paused <- TRUE,
    resumed = {
      job$paused <- FALSE
      idle <- job$nodes[["state"]] == "idle"
      job$nodes$free_at[idle] <- pmax(job$nodes[["free_at"]][idle], at)
    },
    halted = {
      job$halted <- at
      job$by <- event$detail
    }
  )
}

cap_lag <- function(farm) or_else(farm$card$cap$lag, 0) + or_else(farm$faults[["late-cap"]], 0)

# Duration of a frame's run on a node: its true time, the node's speed, and its slowdown by then.
farm_seconds <- function(job, frame, node, at) {
  slow <- job$farm$faults$slow
  slow <- slow[slow[["node"]] == node & job$placed + slow[["at_s"]] <= at, , drop = FALSE]
  job$frames[["truth"]][frame] / job$nodes[["speed"]][node] * prod(slow[["value"]])
}

end_farm_frame <- function(job, node, at, failed = NULL) {
  frame <- job$nodes[["frame"]][node]
  label <- paste(job$id, job$frames[["shot"]][frame], job$frames[["frame"]][frame],
                 job$frames[["runs"]][frame])
  if (!length(failed) && fault_happens(job$farm$faults, "fail", job$farm$seed, label))
    failed <- "the engine ended"
  if (length(failed)) return(tell_farm(job, at, "failed", frame, node, detail = failed))
  tell_farm(job, at, "ready", frame, node, seconds = round(at - job$frames[["began"]][frame], 3))
}

lose_farm_node <- function(job, node, at) {
  frame <- job$nodes[["frame"]][node]
  if (!is.na(frame)) tell_farm(job, at, "lost", frame, node)
  tell_farm(job, at, "node gone", node = node)
}

# Ends a job: what is rendered then is lost and paid.
halt_farm_job <- function(job, at, by) {
  for (node in which(job$nodes[["state"]] == "busy"))
    tell_farm(job, at, "lost", job$nodes[["frame"]][node], node)
  for (node in which(!job$nodes[["state"]] %in% c("gone", "starting")))
    tell_farm(job, at, "released", node = node)
  charge_farm(job, at)
  tell_farm(job, at, "halted", detail = by)
}

# Work of a node, as a row of a usage.
add_farm_use <- function(job, node, activity, status, seconds, at, frame = NULL) {
  if (seconds <= 0) return(invisible())
  shot <- if (length(frame))
    Find(function(s) s$shot == job$frames[["shot"]][frame], job$request$shots)
  job$usage[[length(job$usage) + 1]] <- list(
    node = paste0("node-", node), activity = activity, status = status, seconds = round(seconds, 3),
    frames = if (activity == "render" && status == "ok") 1L else 0L,
    megapixels = if (length(shot)) shot$width * shot$height / 1e6 else 0,
    began = format(as.POSIXct(at - seconds, origin = "1970-01-01"), "%Y-%m-%d %H:%M",
                   tz = job$farm$card$time_zone)
  )
}

# Card price of the use so far, plus overcharges; credits are excluded.
farm_bill <- function(job) {
  if (!length(job$usage)) return(NULL)
  rows <- as.data.frame(lapply(stats::setNames(nm = names(job$usage[[1]])), function(name) {
    unlist(lapply(job$usage, `[[`, name))
  }))
  card <- dearer_card(job$farm$card, or_else(job$farm$faults$prices, 1))
  day <- as.POSIXct(job$placed, origin = "1970-01-01", tz = "UTC")
  bill(node_stretches(rows, card), card, job$request$tier, job$request$hire, job$request$engine,
       day)
}

dearer_card <- function(card, factor) {
  if (factor == 1) return(card)
  dearer <- function(x) {
    for (name in c("amount", "fixed")) if (length(x[[name]]))
      x[[name]] <- round(x[[name]] * factor, 4)
    x
  }
  card$price <- dearer(card$price)
  card$charges <- lapply(card$charges, dearer)
  card$hires <- lapply(card$hires, dearer)
  card
}

charge_farm <- function(job, at) {
  rows <- farm_bill(job)
  total <- if (is.null(rows)) 0 else sum(rows[["amount"]][rows[["part"]] != "credit"])
  more <- round(total - job$spent, 4)
  if (more > 0) tell_farm(job, at, "charged", amount = more) else job$billed_at <- at
}
