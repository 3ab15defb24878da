# The simulation again in plain R, one draw, with nothing clever in it: every moment in microseconds
# as whole numbers in doubles, nodes looked through one by one. Takes the streams' numbers from the
# package and nothing else.
twin_stream <- function(seed, draw, normal = TRUE, even = FALSE) {
  numbers <- clockpigeon:::stream_numbers(seed, draw, 1000L, normal, even)
  at <- 0
  function() {
    at <<- at + 1
    numbers[at]
  }
}
twin_spread <- function(s, normal) if (s[1] <= 0) 0 else if (s[2] > 0) s[1] *
  exp(s[2] * normal()) else s[1]
us <- function(seconds) floor(seconds * 1e6 + 0.5)
next_open <- function(open, t) {
  if (is.null(open)) return(t)
  i <- which(us(open[, 2]) > t)
  if (length(i)) max(t, us(open[i[1], 1])) else t
}
open_time <- function(open, a, b) {
  if (is.null(open)) b - a else sum(pmax(0, pmin(b, us(open[, 2])) - pmax(a, us(open[, 1]))))
}

# `way` from job_way(), `seconds` of the frames of this draw.
twin_draw <- function(seconds, way, seeds, draw) {
  stream <- function(name, normal = TRUE, even = FALSE)
    twin_stream(seeds[[name]], draw, normal, even)
  speed <- stream("speed", even = TRUE)
  link <- stream("link", even = TRUE)
  wait <- stream("wait", even = TRUE)
  start <- stream("start")
  fail <- stream("fail", FALSE)
  job <- stream("job")
  common <- exp(way$speed[1] + if (way$speed[2] > 0) way$speed[2] * speed() else 0)
  bytes_s <- way$link * if (way$link_sd > 0) exp(way$link_sd * link()) else 1
  t <- list(prepared = us(way$begin) + us(twin_spread(way$prepare, job)))
  encode <- twin_spread(way$encode, job)
  merge <- twin_spread(way$merge, job)
  t$sent <- t$prepared + if (way$upload > 0 && way$link > 0) us(way$upload / bytes_s) else 0
  t$hired <- t$sent + us(twin_spread(way$wait, wait))
  spans <- list()
  note <- function(node, does, from, to, task = 0, runs = 0) {
    if (to > from)
      spans[[length(spans) + 1]] <<- list(node = node, does = does, from = from, to = to,
                                          task = task, runs = runs)
  }
  n <- way$nodes
  own <- free <- numeric(n)
  death <- rep(Inf, n)
  for (w in seq_len(n)) {
    up <- t$hired + us(twin_spread(way$start, start) + twin_spread(way$install, start))
    own[w] <- common * if (way$node_sd > 0) exp(way$node_sd * start()) else 1
    if (length(way$node_speed)) own[w] <- own[w] * way$node_speed[w]
    load_at <- next_open(way$open, up)
    loaded <- load_at + us(twin_spread(way$load, start))
    free[w] <- next_open(way$open, loaded)
    note(w, "start", t$hired, up)
    note(w, "idle", up, load_at)
    note(w, "load", load_at, loaded)
    note(w, "idle", loaded, free[w])
  }
  t$started <- t$prepassed <- min(free)
  if (way$prepass_tasks > 0) {
    on <- if (way$prepass_on_one) which.min(free) else seq_len(n)
    for (k in seq_len(way$prepass_tasks)) {
      w <- on[which.min(free[on])]
      to <- free[w] + us(twin_spread(way$prepass_each, job) / own[w])
      note(w, "prepass", free[w], to)
      t$prepassed <- max(t$prepassed, to)
      free[w] <- next_open(way$open, to)
    }
    for (w in seq_len(n)) {
      to <- next_open(way$open, max(free[w], t$prepassed))
      note(w, "idle", free[w], to)
      free[w] <- to
    }
  }
  tasks <- length(seconds) * way$parts
  failed <- failures <- numeric(tasks)
  given_up <- logical(tasks)
  for (k in if (way$fails > 0) seq_len(tasks)) {
    for (run in 0:way$retries) {
      ends <- fail() >= way$fails
      share <- fail()
      if (ends) break
      failed[k] <- failed[k] + share
      failures[k] <- failures[k] + 1
    }
    given_up[k] <- !ends
  }
  hazard <- way$vanish + way$freeze
  frozen <- logical(n)
  # Every life of a node has streams of its own: one for its end, one for its start.
  lives <- numeric(n)
  life_stream <- function(w, start) {
    twin_stream(seeds[["vanish"]] + 7919 * (2 * (w - 1 + 4096 * lives[w]) + start), draw,
                normal = start)
  }
  begin_life <- function(w, at) {
    fate <- life_stream(w, FALSE)
    death[w] <<- at + floor(min(-log(fate()) / hazard * 3600e6, 2^56))
    frozen[w] <<- fate() * hazard >= way$vanish
  }
  for (w in if (hazard > 0) seq_len(n)) begin_life(w, free[w])
  losses <- list()
  own_run <- if (way$spread == "ranges") {
    known <- if (length(way$node_speed)) way$node_speed else rep(1, n)
    stops <- floor(tasks * (cumsum(known) / sum(known)) + 0.5)
    Map(function(a, b) if (b > a) (a + 1):b else integer(), c(0, stops[-n]), stops)
  }
  fresh <- seq_len(tasks)
  again <- data.frame(at = numeric(), task = numeric())
  state <- rep("busy", n)
  done <- rep(Inf, tasks)
  aborted <- 0
  lose <- function(w, task, from) {
    gone <- death[w]
    noticed <- gone + us(way$notice)
    paid <- if (frozen[w]) noticed else gone
    losses[[length(losses) + 1]] <<- data.frame(node = w, gone = gone, noticed = noticed)
    if (task > 0) {
      note(w, "aborted", from, paid, task, 1)
      aborted <<- aborted + 1
      again <<- rbind(again, data.frame(at = noticed, task = task))
    }
    if (way$replaced) {
      lives[w] <<- lives[w] + 1
      again_start <- life_stream(w, TRUE)
      up <- noticed +
        us(twin_spread(way$start, again_start) + twin_spread(way$install, again_start))
      ready <- next_open(way$open, up + us(twin_spread(way$load, again_start)))
      note(w, "start", noticed, up)
      note(w, "load", up, ready)
      begin_life(w, ready)
      free[w] <<- ready
    } else {
      state[w] <<- "gone"
      if (length(own_run)) {
        again <<- rbind(again, data.frame(at = rep(noticed, length(own_run[[w]])),
                                          task = own_run[[w]]))
        own_run[[w]] <<- integer()
      }
    }
    again <<- again[order(again$at, again$task), , drop = FALSE]
    if (nrow(again)) state[state == "parked"] <<- "busy"
  }
  left <- tasks
  last_free <- free
  while (left > 0 && any(state == "busy")) {
    w <- which(state == "busy")[which.min(free[state == "busy"])]
    at <- free[w]
    if (death[w] <= at) {
      lose(w, 0, at)
      next
    }
    if (nrow(again) && again$at[1] <= at) {
      task <- again$task[1]
      again <- again[-1, , drop = FALSE]
    } else if (length(own_run) && length(own_run[[w]])) {
      task <- own_run[[w]][1]
      own_run[[w]] <- own_run[[w]][-1]
    } else if (!length(own_run) && length(fresh)) {
      task <- fresh[1]
      fresh <- fresh[-1]
    } else if (nrow(again)) {
      on <- next_open(way$open, again$at[1])
      note(w, "idle", at, on)
      free[w] <- on
      next
    } else {
      state[w] <- "parked"
      next
    }
    whole <- seconds[(task - 1) %/% way$parts + 1]
    if (way$parts > 1) {
      load <- min(way$part_load, whole)
      whole <- load + (whole - load) * way$part_weight[(task - 1) %% way$parts + 1]
    }
    once <- floor(whole * (1e6 / own[w]) + 0.5)
    lost <- floor(once * failed[task] + 0.5)
    end <- at + lost + if (given_up[task]) 0 else once
    if (end > death[w]) {
      lose(w, task, at)
      next
    }
    note(w, "failed", at, at + lost, task, failures[task])
    note(w, "render", at + lost, end, task, 1)
    done[task] <- end
    last_free[w] <- end
    free[w] <- next_open(way$open, end)
    left <- left - 1
  }
  if (way$parts > 1) {
    frame <- rep(seq_along(seconds), each = way$parts)
    arrived <- as.vector(tapply(done, frame, max))
    given_up <- as.vector(tapply(given_up, frame, any))
    each <- us(merge + if (way$part_link > 0) way$parts * way$part_bytes / way$part_link else 0)
    busy <- 0
    done <- arrived
    for (f in order(arrived)) if (is.finite(arrived[f])) done[f] <- busy <- max(busy, arrived[f]) +
      each
  }
  list(t = t, done = done, given_up = given_up, failures = failures, aborted = aborted,
       encode = encode, bytes_s = bytes_s, free = last_free, losses = do.call(rbind, losses),
       spans = as.data.frame(lapply(stats::setNames(nm = names(spans[[1]])),
                                    function(n) sapply(spans, `[[`, n))))
}

# What is seen of a twin's draw at a moment (microseconds), as a state for simulate_job().
twin_state <- function(d, way, at) {
  s <- d$spans[d$spans$from <= at, , drop = FALSE]
  lost <- d$losses[d$losses$noticed <= at, , drop = FALSE]
  # Whether a node that waits will have something to do is not seen.
  s <- s[s$does != "idle" | s$to <= at, , drop = FALSE]
  s$to[s$to > at] <- NA
  # A frame under way is seen since its node took it; what will become of it is not.
  tasks <- s$does %in% c("render", "failed", "aborted")
  for (w in unique(s$node)) {
    mine <- which(s$node == w & tasks)
    open <- mine[is.na(s$to[mine])]
    # A failed run right before belongs to it.
    before <- mine[s$does[mine] == "failed" & s$task[mine] %in% s$task[open] &
                   s$to[mine] %in% s$from[open]]
    if (length(open)) s$from[open] <- min(s$from[c(open, before)])
    s$does[open] <- "render"
    s$node[before] <- NA
  }
  s <- s[!is.na(s$node), , drop = FALSE]
  known <- c(prepare = d$t$prepared, upload = d$t$sent, wait = d$t$hired)
  tasks <- s$does %in% c("render", "failed", "aborted")
  list(at_s = at / 1e6, stages = (known / 1e6)[known <= at],
       nodes = data.frame(node = s$node, does = s$does, from_s = s$from / 1e6, to_s = s$to / 1e6,
                          frame = ifelse(tasks, (s$task - 1) %/% way$parts + 1, NA),
                          part = ifelse(tasks, (s$task - 1) %% way$parts + 1, NA), runs = s$runs),
       lost = if (NROW(lost))
       data.frame(node = lost$node, gone_s = lost$gone / 1e6, noticed_s = lost$noticed / 1e6))
}

# The stages and totals of the draw, uncapped, as simulate_job() names them.
twin_outcome <- function(d, way) {
  last <- max(d$t$prepassed, d$done[is.finite(d$done)])
  spans <- d$spans
  if (way$until_end) {
    for (w in seq_len(way$nodes)) {
      if (last > d$free[w])
        spans <- rbind(spans, data.frame(node = w, does = "idle", from = d$free[w], to = last,
                                         task = 0, runs = 0))
    }
  }
  usable <- sort(d$done[is.finite(d$done) & !d$given_up[seq_along(d$done)]])
  each <- if (way$fetch > 0 && way$link > 0) us(way$fetch / d$bytes_s) else 0
  busy <- 0
  from <- last
  for (x in usable) {
    if (x >= busy) from <- x
    busy <- max(busy, x) + each
  }
  home <- max(last, busy)
  if (busy <= last) from <- last
  from <- max(from, d$t$prepassed)
  s <- function(a, b) (b - a) / 1e6
  inside <- open_time(way$open, d$t$prepassed, from) / 1e6
  list(finish_s = if (all(is.finite(d$done))) home / 1e6 + d$encode else Inf, held_s = way$begin,
       prepare_s = d$t$prepared / 1e6 - way$begin,
       upload_s = s(d$t$prepared, d$t$sent), wait_s = s(d$t$sent, d$t$hired),
       start_s = s(d$t$hired, d$t$started), prepass_s = s(d$t$started, d$t$prepassed),
       render_s = inside, closed_s = s(d$t$prepassed, from) - inside, download_s = s(from, home),
       encode_s = d$encode, frames_done = length(usable),
       frames_lost = length(d$done) - length(usable), spans = spans, home = home)
}

# A way by the arguments of all its parts in one list.
flat_way <- function(...) {
  given <- list(...)
  names(given) <- sub("^node_speed$", "each", sub("^node_sd$", "sd", names(given)))
  part <- function(make) do.call(make, given[intersect(names(given), names(formals(make)))])
  group <- do.call(node_group, c(list(count = if (is.null(given$nodes)) 1 else given$nodes),
                                 given[intersect(names(given),
                                                 setdiff(names(formals(node_group)), "count"))]))
  rest <- given[intersect(names(given), c("begin_s", "open", "cap"))]
  do.call(job_way, c(list(group, part(stages), part(transfer_group), part(spread_group), part(troubles)),
                     rest))
}

# A way drawn at random: `n` nodes and any mix of troubles.
random_way <- function() {
  maybe <- function(x, otherwise = 0) if (stats::runif(1) < 0.4) x else otherwise
  spread <- function(m) c(median = m, p90 = m * stats::runif(1, 1.2, 4))
  nodes <- sample(1:6, 1)
  parts <- maybe(sample(2:3, 1), 1)
  opens <- cumsum(stats::runif(40, 50, 400))
  flat_way(
    nodes = nodes, speed = list(log_factor = stats::rnorm(1, 0, 0.3), se = 0.2, df = Inf),
    node_sd = maybe(0.2), node_speed = maybe(stats::runif(nodes, 0.5, 2), NULL),
    begin_s = maybe(100), prepare = maybe(spread(30)), wait = maybe(spread(200)),
    start = maybe(spread(60)), install = maybe(40), load = maybe(spread(20)), merge = maybe(3),
    encode = maybe(spread(25)), upload = maybe(3e8), frame_bytes = maybe(stats::runif(1, 1e6, 1e8)),
    link = 1e7, link_sd = maybe(0.3),
    prepass = list(tasks = maybe(5), each = spread(15), on = maybe("one", "all")),
    spread = if (parts > 1) "bands" else maybe("ranges", "frames"), parts = parts,
    part_load_s = maybe(4), part_bytes = maybe(1e7), part_link = maybe(1e7), fails = maybe(0.3),
    retries = sample(0:2, 1), vanish = maybe(6), freeze = maybe(4), notice_s = 40,
    replaced = stats::runif(1) < 0.6, release = maybe("end", "idle"),
    open = maybe(matrix(opens, ncol = 2, byrow = TRUE), NULL)
  )
}

# What bill() makes of a twin's spans: a row for each span where the card looks at spans, else one a
# node, as meters keep them.
twin_bill <- function(outcome, way, site, d, now) {
  spans <- outcome$spans
  words <- c(start = "start", load = "load", prepass = "prepass", render = "render",
             failed = "render", aborted = "render", idle = "idle")
  statuses <- c(failed = "failed", aborted = "incomplete")
  usage <- data.frame(node = spans$node, activity = words[spans$does],
                      status = ifelse(spans$does %in% names(statuses), statuses[spans$does], "ok"),
                      seconds = floor((spans$to - spans$from) / 1000 + 0.5) / 1000, frames = 0,
                      gb = 0, began = now + spans$from / 1e6)
  by_span <- any(vapply(site$charges, function(x) length(x$hours) > 0, NA)) ||
    identical(site$price$rounded, "run")
  if (!by_span) {
    metered <- c("load", "prepass", "render",
                 if (site$meter == "boot to release") c("start", "idle"))
    billed <- usage$activity %in% metered &
      usage$status %in% c("ok", if (site$billed$failed) "failed",
                          if (site$billed$aborted) "incomplete")
    us <- tapply((spans$to - spans$from) * billed, spans$node, sum)
    usage <- data.frame(node = as.integer(names(us)), activity = "render", status = "ok",
                        seconds = floor(as.vector(us) / 1000 + 0.5) / 1000, frames = 0, gb = 0,
                        began = now)
  }
  frames <- data.frame(node = 1L, activity = c("render", "render", "render", "prepass", "upload",
                                               "download"),
                       status = c("ok", "failed", "incomplete", "ok", "ok", "ok"), seconds = 0,
                       frames = c(outcome$frames_done, sum(d$failures), d$aborted,
                                  way$prepass_tasks, 0, 0),
                       gb = c(0, 0, 0, 0, way$upload, way$fetch * outcome$frames_done) / 1e9,
                       began = now)
  frames <- frames[frames$frames > 0 | frames$gb > 0, , drop = FALSE]
  s <- summary(bill(rbind(usage, frames), site))
  s$list + s$minimum + s$tax
}

# A card of one charge and whatever else is asked.
flat_card <- function(price, ..., meter = "rendering", envir = parent.frame()) {
  read_site(write_file(scratch(envir), "x.yaml", "site: x", "kind: rented", "as_of: 2026-10-01",
                       "source: x", "currency: EUR", "engines: e", paste("meter:", meter),
                       paste("price:", price), ..., "tiers: [{tier: t, nodes: [1]}]"))
}
