# A job's runs at a site as the ledger knows them: the meter with which its bill is compared.

# Returns a list: `usage`, as bill() takes it, with `shot`, `frame` and whether the work was
# `unusable` (refused by verify); `whole`, does every frame from there have its time; `windows`:
# `node`, `from`, `to` (seconds since 1970) in which each node can have worked, or NULL; `runs`, how
# many and how many of them `failed`; `moments`: when the site was `sent` the job and had `begun`,
# and from then when each node was `up`.
site_meter <- function(project, ledger, job, site, shots) {
  card <- project$sites[[site]]
  events <- as_frame(job_events(ledger, job))
  events$time <- column_moments(events[["time"]], "time", "UTC", "the ledger")
  mine <- events[events[["place"]] %in% site, , drop = FALSE]
  mine$node <- sub(paste0(site, "/"), "", mine[["node"]], fixed = TRUE)
  # Each order there has its own nodes, and its own bill.
  mine$order <- order_of_event(mine[["key"]])
  own <- card$kind == "own"
  runs <- if (own) timed_runs(ledger, job, site) else meter_runs(mine)
  runs$unusable <- refused_runs(runs, events)
  usage <- if (NROW(runs)) run_usage(runs, card, shot_megapixels(shots))
  rest <- if (own) {
    if (NROW(usage)) between_runs(usage, runs)
  } else {
    orders <- unique(mine[["order"]][mine[["what"]] == "node up"])
    do.call(rbind, lapply(orders, function(order) {
      idle_between_runs(mine[mine[["order"]] %in% order, , drop = FALSE],
                        runs[runs[["order"]] %in% order, , drop = FALSE],
                        card, order)
    }))
  }
  came <- mine[mine[["what"]] %in% c("ready", "arrived"), c("shot", "frame"), drop = FALSE]
  timed <- runs[runs[["status"]] == "ok", , drop = FALSE]
  both <- bind_tables(list(usage, rest))
  list(usage = if (NROW(both)) as_frame(both),
       whole = nrow(timed) > 0 &&
       all(row_key(came, c("shot", "frame")) %in% row_key(timed, c("shot", "frame"))),
       windows = if (!own) all_windows(mine),
       runs = c(all = nrow(runs), failed = sum(runs[["status"]] != "ok")),
       moments = meter_moments(mine))
}

# Runs of an own pool: what they took is in the ledger.
timed_runs <- function(ledger, job, site) {
  rows <- as_frame(timings(ledger, job = job))
  rows <- rows[rows[["site"]] %in% site & rows[["activity"]] %in% c("render", "prepass") &
                 is.finite(rows[["wall_s"]]), , drop = FALSE]
  whole <- rows[["activity"]] == "render" & is.na(rows[["piece"]])
  data.frame(node = ifelse(is.na(rows[["node"]]), "-", rows[["node"]]),
             activity = rows[["activity"]],
             status = ifelse(rows[["status"]] %in% "ok", "ok", "failed"),
             seconds = rows[["wall_s"]],
             began = column_moments(rows[["measured_at"]], "measured_at", "UTC", "the ledger"),
             shot = rows[["shot"]], frame = rows[["frame"]], whole = whole,
             order = rep("", nrow(rows)))
}

# Order of a site's event, from its key; "" if it names none.
order_of_event <- function(key) {
  hit <- grepl("^(site|halted) [^ ]+ [^ ]+ ", key)
  ifelse(hit, sub("^(site|halted) [^ ]+ ([^ ]+) .*", "\\2", key), "")
}

# Runs from a site's events: from the start of a frame on a node until it was ready, failed or lost.
# A ready event with its time is a run too. Two nodes may have had one frame at the same time.
meter_runs <- function(x) {
  x <- x[x[["what"]] %in% c("rendering", "ready", "failed", "lost") & !x[["source"]] %in% "verify" &
           !is.na(x[["frame"]]), , drop = FALSE]
  if (!nrow(x)) return(no_runs)
  if (is.null(x[["order"]])) x$order <- rep("", nrow(x))
  x <- x[order(x[["order"]], x[["shot"]], x[["frame"]], x[["node"]], x[["time"]]), , drop = FALSE]
  key <- row_key(x, c("order", "shot", "frame", "node"))
  same <- c(FALSE, key[-1] == utils::head(key, -1))
  after <- same & c(FALSE, utils::head(x[["what"]], -1) == "rendering")
  begun <- ifelse(after, c(NA, utils::head(x[["time"]], -1)), NA)
  seconds <- ifelse(is.na(x[["seconds"]]), x[["time"]] - begun, x[["seconds"]])
  kept <- x[["what"]] != "rendering" & is.finite(seconds)
  status <- c(ready = "ok", failed = "failed", lost = "incomplete")[x[["what"]][kept]]
  data.frame(node = ifelse(is.na(x[["node"]]), "-", x[["node"]])[kept],
             activity = rep("render", sum(kept)),
             status = unname(status), seconds = seconds[kept],
             began = ifelse(is.na(begun), x[["time"]] - seconds, begun)[kept],
             shot = x[["shot"]][kept],
             frame = x[["frame"]][kept], whole = rep(TRUE, sum(kept)), order = x[["order"]][kept],
             sequence = or_else(x[["sequence"]], seq_len(nrow(x)))[kept])
}

no_runs <- data.frame(node = character(), activity = character(), status = character(),
                      seconds = numeric(), began = numeric(), shot = character(), frame = integer(),
                      whole = logical(), order = character(), sequence = integer())

# Was the result of a run refused later?
refused_runs <- function(runs, events) {
  refused <- events[events[["what"]] %in% "failed" & events[["source"]] %in% "verify", ,
                    drop = FALSE]
  if (!nrow(refused) || !nrow(runs)) return(rep(FALSE, nrow(runs)))
  # In the order of the reports, if a site reports its runs: clocks differ.
  told <- !is.null(runs[["sequence"]])
  last <- tapply(refused[[if (told) "sequence" else "time"]], row_key(refused, c("shot", "frame")),
                 max)
  at <- as.vector(last[row_key(runs, c("shot", "frame"))])
  ended <- if (told) runs[["sequence"]] else runs[["began"]] + runs[["seconds"]]
  runs[["status"]] == "ok" & !is.na(at) & ended <= at
}

run_usage <- function(runs, card, megapixels) {
  size <- unname(megapixels[runs[["shot"]]])
  data.frame(node = runs[["node"]], activity = runs[["activity"]], status = runs[["status"]],
             seconds = pmax(runs[["seconds"]], 0),
             frames = as.integer(runs[["status"]] == "ok" & runs[["whole"]]),
             megapixels = ifelse(is.na(size), 0, size), began = local_text(runs[["began"]], card),
             shot = runs[["shot"]], frame = runs[["frame"]], unusable = runs[["unusable"]],
             order = runs[["order"]])
}

local_text <- function(at, card) {
  format(as.POSIXct(at, origin = "1970-01-01", tz = "UTC"), "%Y-%m-%d %H:%M",
         tz = or_else(card$time_zone, "UTC"))
}

# A row of a node's time in which it rendered nothing.
other_use <- function(node, activity, seconds, began, order = "") {
  kept <- is.finite(seconds) & seconds > 0
  data.frame(node = node, activity = activity, status = "ok", seconds = seconds, frames = 0L,
             megapixels = 0, began = began, shot = NA_character_, frame = NA_integer_,
             unusable = FALSE, order = order)[kept, , drop = FALSE]
}

# A node's time between its first and last run in which it had none.
between_runs <- function(usage, runs) {
  bind_tables(lapply(split(seq_len(nrow(runs)), runs[["node"]]), function(at) {
    from <- runs[["began"]][at]
    idle <- max(from + runs[["seconds"]][at]) - min(from) - sum(runs[["seconds"]][at])
    other_use(usage[["node"]][at[1]], "idle", idle, usage[["began"]][at[1]])
  }))
}

# Starts and waits of nodes, as a site tells of them: from the job's beginning to when a node is up;
# between its runs; and where nodes are given back only at the end, from its last run to that.
idle_between_runs <- function(x, runs, card, order) {
  moments <- meter_moments(x)
  halted <- x[["time"]][x[["what"]] == "halted"]
  rows <- lapply(seq_along(moments$up), function(k) {
    node <- names(moments$up)[k]
    up <- moments$up[[k]]
    mine <- runs[runs[["node"]] == node & runs[["began"]] >= up - 1, , drop = FALSE]
    gone <- x[["time"]][x[["what"]] == "node gone" & x[["node"]] %in% node]
    end <- min(c(halted[halted >= up], gone[gone >= up], Inf))
    last <- max(c(up, mine[["began"]] + mine[["seconds"]]))
    until <- if (identical(card$release, "end") && is.finite(end)) end else last
    rbind(other_use(node, "start", up - moments$begun, local_text(moments$begun, card), order),
          other_use(node, "idle", until - up - sum(mine[["seconds"]]), local_text(up, card), order))
  })
  do.call(rbind, rows)
}

# Moments at which the site had the job (including its files, if that was reported), started, and
# had each of its nodes up.
meter_moments <- function(x) {
  first <- function(what) min(c(x[["time"]][x[["what"]] %in% what], Inf))
  up <- x[x[["what"]] == "node up" & !is.na(x[["node"]]), , drop = FALSE]
  up <- up[!duplicated(up[["node"]]), , drop = FALSE]
  list(sent = if (is.finite(first("sent"))) first("sent") else first("placed"),
       begun = first("begun"),
       up = stats::setNames(as.list(up[["time"]]), up[["node"]]))
}

# When each node can have worked: from the job's beginning there (nodes are paid from their start)
# to when it was gone, or the job was over.
meter_windows <- function(x) {
  moments <- meter_moments(x)
  if (!is.finite(moments$begun) || !length(moments$up)) return(NULL)
  over <- max(x[["time"]][x[["what"]] %in% c("halted", "ready", "failed", "lost")], moments$begun)
  gone <- vapply(names(moments$up), function(node) {
    min(c(x[["time"]][x[["what"]] == "node gone" & x[["node"]] %in% node], over))
  }, 0)
  data.frame(node = names(moments$up), from = moments$begun, to = pmax(moments$begun, unname(gone)))
}

# Nodes of all orders; nodes of one name are the same on a bill.
all_windows <- function(x) {
  orders <- unique(x[["order"]][x[["what"]] == "node up"])
  do.call(rbind, lapply(orders, function(order)
                        meter_windows(x[x[["order"]] %in% order, , drop = FALSE])))
}

# Writes the lines once a part has ended: all of its frames are received, or failed for good, or the
# job was stopped.
keep_own_charges <- function(place, ledger, frames, stopped) {
  for (site in unique(frames[["site"]])) {
    mine <- frames[["state"]][frames[["site"]] == site]
    if (!stopped && !all(mine %in% c("done", "failed"))) next
    known <- job_charges(ledger, place$job)
    if (any(startsWith(known[["key"]], paste("own", site, "")))) next
    lines <- own_charges(place, ledger, site)
    if (NROW(lines)) add_charges(ledger, place$job, lines)
  }
  invisible()
}

# The lines for the ledger: the job's runs there, priced by the card. If the card's meter runs from
# boot to release, a node's waiting between its frames is priced too.
own_charges <- function(place, ledger, site) {
  card <- place$project$sites[[site]]
  usage <- site_meter(place$project, ledger, place$job, site, place$state$job$shots)$usage
  if (is.null(usage)) return(NULL)
  part <- place$parts[match(site, place$parts[["site"]]), ]
  lines <- as_frame(bill(usage[metered_columns], card, tier = null_if_na(part[["tier"]]),
                         hire = null_if_na(part[["hire"]]), engine = place$state$job$engine,
                         on = this_moment()))
  lines <- lines[lines[["amount"]] != 0 | lines[["part"]] == "list", , drop = FALSE]
  data.frame(site = site, kind = vapply(lines[["part"]], billed_kind, ""), item = lines[["item"]],
             quantity = lines[["quantity"]], unit = lines[["unit"]], price = lines[["price"]],
             amount = lines[["amount"]], currency = lines[["currency"]], basis = "priced",
             source = "own pool", key = paste("own", site, seq_len(nrow(lines))))
}

# Priced part of a usage.
metered_columns <- c("node", "activity", "status", "seconds", "frames", "megapixels", "began")
