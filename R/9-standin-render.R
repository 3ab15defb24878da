# Frames of a stand-in: times replayed from what the project knows, or frames rendered for real with
# its engines.

# Seconds of every frame of a request on an average node of the site: one draw from what the
# project's ledger says of these shots, so that a farm is as the evidence says, and not its mean.
replayed_seconds <- function(project, rows, site, request, seed) {
  asked <- lapply(request$shots, request_shot)
  # A few frames of a shot are as its measured ones say, which need not be among them.
  shots <- lapply(asked, function(shot) {
    known <- rows[["frame"]][rows[["shot"]] %in% shot$shot & !is.na(rows[["frame"]])]
    shot$frames <- sort(union(shot$frames, as.integer(known)))
    shot
  })
  wanted <- unlist(Map(function(shot, all) all$frames %in% shot$frames, asked, shots))
  engine <- if (is.null(request$version)) request$engine else
    stats::setNames(request$version, request$engine)
  job <- render_job(shots, engine, rows, project$currency, project$rates, project$time_zone)
  options <- as_frame(plan_options(job, list(site))$options)
  speed <- options[["log_speed"]][1] + options[["speed_se"]][1] *
    with_seed(stream_seed(seed, paste("speed", site$site)), stats::rnorm(1))
  frame_draws(job, 16, seed)[1, wanted] / exp(speed)
}

# A shot as the protocol has it, made the shot that this package knows.
request_shot <- function(x) {
  limit <- x$limit
  names(limit)[names(limit) == "time_s"] <- "time"
  if (length(limit$time)) limit$time <- paste(limit$time, "s")
  read_record(x$shot, shot_fields(), "cp_shot", list(
    shot = x$shot, scene = x$scene, frames = x$frames, size = paste0(x$width, "x", x$height),
    limit = limit
  ))
}

# The picture of a frame whose time is replayed: bars that distinguish it from its neighbours.
replayed_picture <- function(job, frame, path) {
  row <- job$frames[frame, ]
  shot <- Find(function(s) s$shot == row[["shot"]], job$request$shots)
  write_bars(0.15 + 0.7 * ((seq_len(shot$width) * 7 + row[["frame"]] * 11) %% 173) / 172,
             shot$height, path)
}

# A grey picture whose rows are all alike.
write_bars <- function(row, height, path) {
  need_package("png", "pictures of frames that are replayed")
  dir.create(dirname(path), FALSE, TRUE)
  write_whole(path, function(part)
              png::writePNG(matrix(row, height, length(row), byrow = TRUE), part))
}

# A fault of a frame's picture is in the file before it is read.
spoil_picture <- function(job, frame, path) {
  label <- paste(job$id, job$frames[["shot"]][frame], job$frames[["frame"]][frame])
  seed <- job$farm$seed
  if (fault_happens(job$farm$faults, "black", seed, label)) {
    shot <- Find(function(s) s$shot == job$frames[["shot"]][frame], job$request$shots)
    write_bars(rep(0, shot$width), shot$height, path)
  }
  if (fault_happens(job$farm$faults, "corrupt", seed, label)) {
    bytes <- readBin(path, "raw", file.size(path))
    writeBin(bytes[seq_len(ceiling(length(bytes) * 0.6))], path)
  }
}

# Real renders: slots of this machine that the nodes of the farm's jobs share. `tasks` by slot.
farm_slots <- function(project, count, mark) {
  slots <- lapply(seq_len(count), function(k) {
    node <- this_node()
    node$slot <- paste0("standin-", mark, "-", k)
    list(node = node, state = "closed")
  })
  list2env(list(project = project, slots = slots, mark = mark), parent = emptyenv())
}

# Starts what nodes of the jobs are to render where a slot is free, and takes in what has ended.
step_renders <- function(renders, jobs, now) {
  for (k in seq_along(renders$slots)) {
    slot <- renders$slots[[k]]
    if (slot$state == "busy" && !mirai::unresolved(slot$task)) {
      end_render(slot, task_result(slot$task), now)
      slot$state <- if (length(slot$host)) "idle" else "closed"
      renders$slots[[k]] <- slot
    }
    if (slot$state == "busy") next
    found <- nodes_to_start(jobs, renders)
    if (is.null(found)) next
    renders$slots[[k]] <- start_render(renders, slot, found$job, found$node)
  }
}

# A node that is busy with a frame that no slot renders yet.
nodes_to_start <- function(jobs, renders) {
  taken <- unlist(lapply(renders$slots,
                         function(slot) if (slot$state == "busy") paste(slot$job$id, slot$of_node)))
  for (job in jobs) {
    if (!is.na(job$halted)) next
    frozen <- job$nodes[["freeze_at"]] <= farm_moment(job)
    for (node in which(job$nodes[["state"]] == "busy" & !frozen)) {
      if (!paste(job$id, node) %in% taken) return(list(job = job, node = node))
    }
  }
}

# Start the project's engine for a frame, and note its process.
start_render <- function(renders, slot, job, node) {
  engine <- renders$project$engines[[job$request$engine]]
  frame <- job$frames[job$nodes[["frame"]][node], ]
  shot <- request_shot(Find(function(s) s$shot == frame[["shot"]], job$request$shots))
  shot$frames <- frame[["frame"]]
  version <- or_else(job$farm$faults$version, or_else(job$request$version, NA_character_))
  trial <- as.list(part_trials(list(shots = list(shot), version = version), engine, NULL))
  trial$version <- version
  if (slot$state == "closed") {
    if (!isTRUE(open_node(slot$node, 20)))
      stop_input("node", "this machine's own slot does not open", "standin")
    pairs <- data.frame(engine = engine$engine, version = version)
    mark <- list(job = renders$mark, run = renders$mark, slot = slot$node$slot)
    said <- wait_for(ask_node(slot$node, host_slot,
                              list(mark, pairs, stats::setNames(list(engine), engine$engine),
                                   slot$node, length(renders$slots)), 60))
    if (is.null(said$value)) stop_input("node", c(said$error, said$lost)[1], "standin")
    slot$host <- said$value
  }
  trial$threads <- slot$host$threads
  root <- farm_job_folder(job)
  bench <- c(list(engines = stats::setNames(list(engine), engine$engine), folder = root,
                  making = "making", machine = NA_character_, options = list(time_limit = 3600)),
             slot$host[setdiff(names(slot$host), c("facts", "threads", "pid"))])
  to <- picture_name(frame[["shot"]], frame[["frame"]], engine$output)
  run <- paste(job$id, frame[["shot"]], frame[["frame"]], frame[["runs"]], sep = "-")
  slot$task <- ask_node(slot$node, host_frame, list(trial, bench, to, run), 3600)
  utils::modifyList(slot, list(state = "busy", job = job, of_node = node,
                               of_frame = job$nodes[["frame"]][node]))
}

# A frame that a slot has ended, where the job still waits for it.
end_render <- function(slot, said, now) {
  job <- slot$job
  if (!is.na(job$halted) || !identical(job$nodes[["frame"]][slot$of_node], slot$of_frame))
    return(invisible())
  rows <- said$value$rows
  last <- if (length(rows)) rows[[length(rows)]]
  fault <- if (!identical(last$status, "ok"))
    first_line(or_else(last$note, c(said$error, said$lost, "it ended")[1]))
  # A node that became slow by a fault holds the frame for longer.
  end_farm_frame(job, slot$of_node, now, fault)
}

close_renders <- function(renders) for (slot in renders$slots) if (slot$state != "closed")
  close_node(slot$node)

# Folders of a job's files and pictures.
farm_job_folder <- function(job) file.path(job$farm$folder, "jobs", job$id)
picture_name <- function(shot, frame, output)
  file.path("pictures", shot, sprintf("%06d.%s", as.integer(frame), output))
