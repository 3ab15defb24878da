# Answers of a stand-in: one function per operation of the protocol. `farm`: see serve_standin();
# `ask`: `values` of the path, `query`, `body` (JSON as lists), `bytes`, `headers`.

# An answer: a status, a body as lists, or bytes with their headers; a problem is one as RFC 9457
# has it.
farm_answer <- function(body, status = 200L) list(status = status, body = body)

farm_problem <- function(status, type, title, detail = NULL, where = NULL, instead = NULL) {
  stop(structure(class = c("standin_problem", "error", "condition"), list(
    message = title, call = NULL, status = status,
    body = Filter(length, list(type = paste0("/problems/", type), title = title, status = status,
                               detail = detail, where = where, instead = instead))
  )))
}

farm_answers <- list(
  read_protocol = function(farm, ask) farm_answer(farm$document),
  about_site = function(farm, ask) {
    card <- farm$card
    farm_answer(list(site = card$site, protocol = "1", time = farm_time(farm, farm$now()),
                     currency = card$currency, part_bytes = farm$part_bytes, takes_cap = TRUE,
                     tiers = lapply(card$tiers, function(t) {
                       list(tier = t$tier, nodes = as.list(t$nodes))
                     })))
  },
  list_engines = function(farm, ask) {
    farm_page(ask, "engines", lapply(farm$card$engines, function(name) {
      list(engine = name, versions = as.list(farm_versions(farm, name)))
    }))
  },
  ask_price = function(farm, ask) farm_answer(farm_quote(farm, ask$body)),
  offer_file = function(farm, ask) {
    known <- farm_file(farm, ask$body$sha256)
    if (is.null(known)) {
      dir.create(farm_file_folder(farm, ask$body$sha256), FALSE, TRUE)
      writeLines(sprintf("%.0f", ask$body$bytes),
                 file.path(farm_file_folder(farm, ask$body$sha256), "bytes"))
    } else if (known$bytes != ask$body$bytes) {
      farm_problem(409L, "checksum", "This file was offered with another length",
                   paste("it has", known$bytes, "bytes here"), "/bytes")
    }
    farm_answer(farm_file(farm, ask$body$sha256))
  },
  file_state = function(farm, ask) farm_answer(needed_file(farm, ask$values$sha256)),
  send_part = function(farm, ask) farm_answer(take_file_part(farm, ask)),
  list_jobs = function(farm, ask) farm_page(ask, "jobs", lapply(farm$jobs, farm_job_state)),
  place_job = function(farm, ask) farm_answer(place_farm_job(farm, ask$body), 201L),
  job_state = function(farm, ask) farm_answer(farm_job_state(needed_job(farm, ask))),
  delete_job = function(farm, ask) farm_answer(delete_farm_job(farm, needed_job(farm, ask))),
  order_job = function(farm, ask)
  farm_answer(order_farm_job(needed_job(farm, ask), ask$body), 201L),
  list_frames = function(farm, ask) {
    job <- needed_job(farm, ask)
    farm_page(ask, "frames", seq_len(nrow(job$frames)), function(k) farm_frame(job, k))
  },
  read_picture = function(farm, ask) read_farm_picture(farm, needed_job(farm, ask), ask$values),
  read_bill = function(farm, ask) farm_answer(farm_bill_lines(needed_job(farm, ask)))
)

farm_time <- function(farm, at) {
  service_time(as.POSIXct(at + or_else(farm$faults$skew, 0), origin = "1970-01-01", tz = "UTC"))
}

# A page of rows; `show` makes those of the page.
farm_page <- function(ask, field, rows, show = identity) {
  number <- function(name, default) {
    x <- suppressWarnings(as.numeric(or_else(ask$query[[name]], default)))
    if (is.na(x) || x < 0 || x != round(x)) {
      farm_problem(400L, "body", "This is no number of a page",
                   paste("got", show_value(ask$query[[name]])), name)
    }
    x
  }
  after <- number("after", 0)
  most <- min(500, max(1, number("most", 100)))
  at <- seq_along(rows)[seq_along(rows) > after]
  at <- utils::head(at, most)
  last <- if (length(at)) at[length(at)] else length(rows)
  farm_answer(stats::setNames(list(unname(lapply(rows[at], show)), if (last < length(rows)) last),
                              c(field, "next")))
}

needed_job <- function(farm, ask) {
  job <- farm$jobs[[ask$values$job]]
  if (is.null(job))
    farm_problem(404L, "unknown", "There is no such job", paste("got", show_value(ask$values$job)))
  job
}

# ---- engines and prices --------------------------------------------------------------------------

farm_versions <- function(farm, engine) {
  if (length(farm$faults$version)) return(farm$faults$version)
  said <- farm$card$can$versions[[engine]]
  plain <- said[grepl("^[0-9]+(\\.[0-9]+)*$", said)]
  known <- farm$project$engines[[engine]]$versions
  known <- c(plain, known[vapply(known, function(v) is.null(said) ||
                                 any(version_matches(v, said)) || "any" %in% said,
                                 NA)])
  sort(unique(known))
}

# The request must match the site.
check_farm_work <- function(farm, work) {
  if (!work$engine %in% farm$card$engines) {
    farm_problem(422L, "version", "This engine is not installed", paste(work$engine, "is not here"),
                 "/engine", paste0("Write ", either(farm$card$engines), "."))
  }
  check_farm_version(farm, work)
  tiers <- vapply(farm$card$tiers, `[[`, "", "tier")
  if (!work$tier %in% tiers) {
    farm_problem(422L, "body", "There is no such tier", paste("got", show_value(work$tier)),
                 "/tier", paste0("Write ", either(tiers), "."))
  }
  hires <- vapply(farm$card$hires, `[[`, "", "hire")
  if (length(work$hire) && !work$hire %in% hires) {
    farm_problem(422L, "body", "There are no such machines", paste("got", show_value(work$hire)),
                 "/hire", if (length(hires)) paste0("Write ", either(hires), "."))
  }
  most <- max(unlist(lapply(farm$card$tiers, `[[`, "nodes")))
  if (work$nodes > most) {
    farm_problem(422L, "body", "So many nodes are not here", paste(work$nodes, "were asked for"),
                 "/nodes", paste0("Write ", most, " at most."))
  }
  for (k in seq_along(work$shots)) check_farm_shot(work$shots[[k]], paste0("/shots/", k - 1))
  names <- vapply(work$shots, `[[`, "", "shot")
  if (anyDuplicated(names)) {
    farm_problem(422L, "body", "Two shots have one name", show_value(names[duplicated(names)][1]),
                 "/shots")
  }
}

# Check the shot of a request.
check_farm_shot <- function(shot, at) {
  frames <- tryCatch(parse_frames(shot$frames), clockpigeon_error = identity)
  if (inherits(frames, "error")) {
    farm_problem(422L, "body", "These are no frames", frames$what, paste0(at, "/frames"),
                 frames$instead)
  }
  if (!is_inside(shot$shot))
    farm_problem(422L, "body", "This name leaves its folder", show_value(shot$shot),
                 paste0(at, "/shot"))
  for (file in shot$files) {
    if (!is_inside(file$path)) {
      farm_problem(422L, "files", "This path leaves the job's folder", show_value(file$path),
                   paste0(at, "/files"), "Write a path within it, with / between.")
    }
  }
}

# Does a path stay in its folder, on any system?
is_inside <- function(path) {
  pieces <- strsplit(path, "[/\\\\]")[[1]]
  !is_absolute(path) && !grepl("[[:cntrl:]:]", path) && !any(pieces %in% c("..", ".", ""))
}

# Quote of a request by the farm's own card.
farm_quote <- function(farm, work) {
  check_farm_work(farm, work)
  seconds <- farm_seconds_of(farm, work)
  # Priced as a job without waits and faults would be.
  mute <- list(card = farm$card, faults = farm$faults["prices"], seed = farm$seed, real = FALSE,
               charge_every = Inf, keep = function(...) NULL)
  mute$card$tiers <- lapply(farm$card$tiers,
                            function(tier) utils::modifyList(tier, list(wait = no_time)))
  job <- farm_job("quote", work[setdiff(names(work), "cap")], 0, seconds, mute)
  run_farm_job(job, Inf)
  digits <- minor_digits(farm$card$currency)
  list(expected = round(job$spent, digits), up_to = round(1.25 * job$spent, digits),
       currency = farm$card$currency, seconds = round(max(0, job$halted), 3),
       until = farm_time(farm, farm$now() + 3600))
}

# ---- files ---------------------------------------------------------------------------------------

farm_file_folder <- function(farm, sha256) file.path(farm$folder, "files", sha256)

# Received part of a file; NULL if it was never offered.
farm_file <- function(farm, sha256) {
  folder <- farm_file_folder(farm, sha256)
  if (!grepl("^[0-9a-f]{64}$", sha256) || !file.exists(file.path(folder, "bytes"))) return(NULL)
  bytes <- as.numeric(readLines(file.path(folder, "bytes")))
  parts <- max(1, ceiling(bytes / farm$part_bytes))
  whole <- file.exists(file.path(folder, "whole"))
  there <- sort(as.integer(sub("part-", "", list.files(folder, "^part-[0-9]+$"))))
  list(sha256 = sha256, bytes = bytes, parts = parts,
       there = as.list(if (whole) seq_len(parts) else there), whole = whole)
}

needed_file <- function(farm, sha256) {
  found <- farm_file(farm, sha256)
  if (is.null(found))
    farm_problem(404L, "unknown", "This file was not offered", instead = "POST /files first.")
  found
}

# Take one part of a file from a client.
take_file_part <- function(farm, ask) {
  known <- needed_file(farm, ask$values$sha256)
  part <- suppressWarnings(as.integer(ask$values$part))
  if (is.na(part) || part < 1 || part > known$parts) {
    farm_problem(404L, "unknown", "There is no such part", paste("the file has", known$parts))
  }
  if (!identical(ask$headers[["content-digest"]], digest_header(ask$bytes))) {
    farm_problem(400L, "checksum", "The part is not what its digest says", where = "Content-Digest",
                 instead = "Send it again.")
  }
  size <- if (part < known$parts) farm$part_bytes else
    known$bytes - (known$parts - 1) * farm$part_bytes
  if (length(ask$bytes) != size) {
    farm_problem(400L, "body", "The part has another length",
                 paste(length(ask$bytes), "bytes, not", size))
  }
  folder <- farm_file_folder(farm, known$sha256)
  if (known$whole) return(known)
  write_whole(file.path(folder, paste0("part-", part)), function(path) writeBin(ask$bytes, path))
  known <- farm_file(farm, known$sha256)
  if (length(known$there) < known$parts) return(known)
  parts <- file.path(folder, paste0("part-", seq_len(known$parts)))
  write_whole(file.path(folder, "joined"), function(path) {
    file.create(path)
    file.append(path, parts)
  })
  unlink(parts)
  if (!identical(file_hashes(file.path(folder, "joined")), known$sha256)) {
    unlink(file.path(folder, "joined"))
    farm_problem(409L, "checksum", "The whole is not what its SHA-256 says",
                 instead = "Send all parts again.")
  }
  file.rename(file.path(folder, "joined"), file.path(folder, "whole"))
  farm_file(farm, known$sha256)
}

# ---- jobs ----------------------------------------------------------------------------------------

# Place a job from a request.
place_farm_job <- function(farm, order) {
  check_farm_work(farm, order)
  if (length(order$cap) && order$cap$currency != farm$card$currency) {
    farm_problem(422L, "cap", "The cap is in another currency", paste("got", order$cap$currency),
                 "/cap/currency", paste0("Write ", farm$card$currency, "."))
  }
  files <- unlist(lapply(order$shots, `[[`, "files"), recursive = FALSE)
  for (file in files) {
    if (!isTRUE(farm_file(farm, file$sha256)$whole)) {
      farm_problem(409L, "files", "A file is not here", show_value(file$path), "/shots",
                   "Send it first: POST /files.")
    }
  }
  seconds <- farm_seconds_of(farm, order)
  id <- paste0(farm$card$site, "-", nrow(DBI::dbGetQuery(farm$con, "SELECT id FROM jobs")) + 1)
  for (file in files) {
    to <- file.path(farm$folder, "jobs", id, file$path)
    dir.create(dirname(to), FALSE, TRUE)
    file.copy(file.path(farm_file_folder(farm, file$sha256), "whole"), to)
  }
  job <- farm_job(id, order, farm$now(), seconds, farm)
  store_put(farm$con, "jobs", list(id = id, site = farm$card$site, placed = job$placed,
                                   request = to_json_line(list(order = order, seconds = seconds))))
  farm$jobs[[id]] <- job
  farm_job_state(job)
}

farm_seconds_of <- function(farm, work) {
  found <- tryCatch(farm$seconds(work), clockpigeon_error = identity)
  if (!inherits(found, "error")) return(found)
  if (farm$real) {
    frames <- lapply(work$shots, function(s) parse_frames(s$frames))
    return(rep(1, sum(lengths(frames))))
  }
  farm_problem(422L, "body", "Nothing is known of these frames here", found$what, "/shots",
               "Measure a frame first, or serve with --render.")
}

# State of a job as a client sees it.
farm_job_state <- function(job) {
  state <- job$frames[["state"]]
  left <- sum(state %in% c("waiting", "rendering"))
  took <- job$frames[["took"]][state == "ready"]
  now <- job$farm$now()
  ended <- !is.na(job$halted)
  c(list(
    job = job$id, name = job$request$name, trial = isTRUE(job$request$trial),
    frames = length(state),
    state = if (ended && job$by == "all frames") "done" else if (ended)
    "stopped" else if (job$paused) "paused"
            else if (is.na(job$begun)) "waiting" else "running",
    ready = sum(state == "ready"), failed = sum(state == "failed"), spent = job$spent,
    currency = job$farm$card$currency, last_event = length(job$events),
    placed_at = farm_time(job$farm, job$placed), time = farm_time(job$farm, now)
  ), if (length(job$cap)) list(cap = list(amount = job$cap, currency = job$farm$card$currency)),
  if (!ended && length(took))
    list(left_s = round(mean(took) * left / max(1, sum(job$nodes[["state"]] != "gone")))),
  if (ended) list(ended_by = job$by))
}

order_farm_job <- function(job, body) {
  if (!is.na(job$halted)) farm_problem(409L, "state", "The job is ended", paste("by", job$by))
  now <- job$farm$now()
  if (body$order == "cap") {
    if (is.null(body$cap)) farm_problem(422L, "cap", "An amount is needed", where = "/cap")
    tell_farm(job, now, "capped", amount = body$cap$amount)
  }
  if (body$order == "pause" && !job$paused) tell_farm(job, now, "paused")
  if (body$order == "resume" && job$paused) tell_farm(job, now, "resumed")
  if (body$order == "stop") halt_farm_job(job, now, "order")
  farm_job_state(job)
}

# Delete a job of a client.
delete_farm_job <- function(farm, job) {
  if (is.na(job$halted))
    farm_problem(409L, "state", "The job still runs", instead = "Stop it first.")
  read <- DBI::dbGetQuery(
    farm$con, "SELECT shot, frame, count(*) AS parts FROM parts_read WHERE job = ? GROUP BY 1, 2",
    params = list(job$id))
  ready <- which(job$frames[["state"]] == "ready")
  there <- row_key(job$frames, c("shot", "frame")) %in% row_key(read, c("shot", "frame"))
  lost <- ready[!there[ready]]
  if (length(lost)) {
    farm_problem(409L, "not-fetched", "Pictures that are paid for were not read",
                 paste(length(lost), "of", length(ready), "frames, the first is",
                       job$frames[["shot"]][lost[1]], job$frames[["frame"]][lost[1]]),
                 instead = "Read them first.")
  }
  state <- farm_job_state(job)
  DBI::dbExecute(farm$con, "UPDATE jobs SET deleted = ? WHERE id = ?",
                 params = list(farm$now(), job$id))
  unlink(farm_job_folder(job), recursive = TRUE, expand = FALSE)
  farm$jobs[[job$id]] <- NULL
  state
}

# One frame as the protocol shows it; its picture is looked at once it is ready.
farm_frame <- function(job, k) {
  row <- job$frames[k, ]
  plain <- list(shot = row[["shot"]], frame = row[["frame"]], state = row[["state"]],
                runs = row[["runs"]])
  if (row[["runs"]] > 0) {
    plain <- c(plain, list(node = paste0("node-", row[["node"]]),
                           began = farm_time(job$farm, row[["began"]])))
  }
  if (row[["state"]] != "ready") return(plain)
  path <- farm_picture(job, k)
  bytes <- file.size(path)
  sum <- sum(job$frames[["took"]][job$frames[["state"]] == "ready"])
  c(plain, list(ended = farm_time(job$farm, row[["ended"]]), seconds = round(row[["took"]], 3),
                charge = round(job$spent * row[["took"]] / sum, 4), bytes = bytes,
                parts = max(1, ceiling(bytes / job$farm$part_bytes)), sha256 = file_hashes(path)),
    if (length(job$request$version))
    list(version = or_else(job$farm$faults$version, job$request$version)))
}

# The picture of a frame that is ready; one that is replayed is made when it is first asked for.
farm_picture <- function(job, k) {
  row <- job$frames[k, ]
  shot <- Find(function(s) s$shot == row[["shot"]], job$request$shots)
  path <- file.path(farm_job_folder(job), picture_name(row[["shot"]], row[["frame"]], shot$output))
  if (!job$farm$real && !file.exists(path)) replayed_picture(job, k, path)
  done <- paste0(path, ".seen")
  if (!file.exists(done)) {
    spoil_picture(job, k, path)
    file.create(done)
  }
  path
}

# Answer with one part of a frame's picture.
read_farm_picture <- function(farm, job, values) {
  frame <- suppressWarnings(as.integer(values$frame))
  part <- suppressWarnings(as.integer(values$part))
  k <- which(job$frames[["shot"]] == values$shot & job$frames[["frame"]] == frame &
             job$frames[["state"]] == "ready")
  if (length(k) != 1) farm_problem(404L, "unknown", "There is no such picture")
  path <- farm_picture(job, k)
  parts <- max(1, ceiling(file.size(path) / farm$part_bytes))
  if (is.na(part) || part < 1 || part > parts)
    farm_problem(404L, "unknown", "There is no such part")
  file <- file(path, "rb")
  on.exit(close(file))
  seek(file, (part - 1) * farm$part_bytes)
  bytes <- readBin(file, "raw", farm$part_bytes)
  store_put(farm$con, "parts_read",
            list(job = job$id, shot = values$shot, frame = frame, part = part), "INSERT OR IGNORE")
  list(status = 200L, bytes = bytes, headers = c("Content-Digest" = digest_header(bytes)))
}

farm_bill_lines <- function(job) {
  rows <- farm_bill(job)
  lines <- if (is.null(rows)) list() else lapply(seq_len(nrow(rows)), function(k) {
    row <- as.list(as_frame(rows)[k, c("part", "item", "quantity", "unit", "price", "amount")])
    Filter(function(v) !is.na(v), row)
  })
  list(lines = lines, total = if (is.null(rows)) 0 else round(sum(rows[["amount"]]), 4),
       currency = job$farm$card$currency, last = !is.na(job$halted))
}

check_farm_version <- function(farm, work) {
  have <- farm_versions(farm, work$engine)
  if (!length(work$version) || !length(have) || length(farm$faults$version)) return(invisible())
  if (!work$version %in% have) {
    farm_problem(422L, "version", "This version is not installed",
                 paste(work$engine, work$version, "is not here"), "/version",
                 paste0("Write ", either(have), "."))
  }
}
