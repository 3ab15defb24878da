# A scheduler that owns the machines: one of them is requested, waits in the scheduler's queue, and
# may be taken back.

# A node that does several things at once has a connection for each: its `slot`.
node_profile <- function(node)
  paste0("clockpigeon-", node$node, if (length(node$slot)) paste0("-", node$slot))

# Do the machines of a node file belong to a scheduler?
is_scheduled <- function(node) identical(node$launch$by, "cluster")

# Entries of this process in the queues of schedulers, by the profile of the node that they are for:
# list(id, command).
in_queue <- new.env()

# Hand the scheduler a script that runs `lines` on one of its machines; list(id, command). The
# options decide where its output goes. The scheduler does not restart a job that it cut: we request
# another.
submit_job <- function(node, lines) {
  launch <- node$launch
  script <- tempfile("clockpigeon-")
  on.exit(unlink(script, expand = FALSE))
  write_text(paste(c("#!/bin/sh", paste0("#SBATCH --job-name=clockpigeon-", node$node),
                     "#SBATCH --output=/dev/null", "#SBATCH --no-requeue",
                     trimws(strsplit(launch$options, "\n", fixed = TRUE)[[1]]), lines, ""),
                   collapse = "\n"), script)
  said <- ask_scheduler(launch$command, input = script)
  id <- regmatches(said$text, regexpr("[0-9]+", said$text))
  if (!said$status %in% 0 || !length(id)) {
    why <- first_line(said$text)
    stop_input("node", paste0(launch$command, " takes no job", if (nzchar(why)) ": ", why),
               paste0("node ", node$node, ", field `launch`"), "Mend `command` or `options` there.")
  }
  list(id = id, command = launch$command)
}

# Run a scheduler's command, with its arguments and without a shell: list(status, text).
ask_scheduler <- function(command, arguments = character(), input = NULL) {
  log <- tempfile("clockpigeon-")
  on.exit(unlink(log, expand = FALSE))
  words <- command_words(command)
  # Leftover children may hold inherited files: wait for the process itself to end.
  ran <- tryCatch(processx::process$new(words[1], c(words[-1], arguments), stdin = input,
                                        stdout = log, stderr = "2>&1", poll_connection = FALSE),
                  error = function(e) NULL)
  if (is.null(ran))
    return(list(status = 127L, text = paste(show_value(words[1]), "cannot be started")))
  ran$wait(60000)
  late <- ran$is_alive()
  if (late) ran$kill()
  list(status = if (late) NA_integer_ else ran$get_exit_status(), text = read_log(log))
}

# Another command of the same scheduler, next to the one that takes jobs; NULL if it is not one of
# Slurm's.
beside_sbatch <- function(command, name) {
  if (grepl("(^|/)sbatch( |$)", command))
    sub("^(\\S*?)sbatch( .*)?$", paste0("\\1", name), command, perl = TRUE)
}

# How jobs stand in the queue: a data frame of `id`, `state` (waits, runs, ends, ended), `why`, and
# `left_s`, the wall time that is left. NULL where the scheduler cannot be asked, or does not
# answer. A job that it no longer knows has ended.
queue_states <- function(ids, command) {
  program <- beside_sbatch(command, "squeue")
  if (is.null(program) || !length(ids)) return(NULL)
  said <- ask_scheduler(program, c("-h", "-t", "all", "-j", paste(ids, collapse = ","), "-o",
                                   "%i|%T|%r|%L"))
  unknown <- !said$status %in% 0 && grepl("Invalid job id", said$text, fixed = TRUE)
  if (!said$status %in% 0 && !unknown) return(NULL)
  lines <- grep("^[0-9]+\\|", strsplit(said$text, "\n", fixed = TRUE)[[1]], value = TRUE)
  fields <- strsplit(lines, "|", fixed = TRUE)
  pick <- function(k) vapply(fields, function(f) c(f, "", "", "")[k], "")
  at <- match(ids, pick(1))
  word <- pick(2)[at]
  state <- ifelse(word %in% names(wait_reasons), "waits",
                  ifelse(word %in% c("RUNNING", "SUSPENDED", "STOPPED"), "runs",
                         ifelse(word %in% "COMPLETING", "ends", "ended")))
  data.frame(id = ids, state = state,
             why = ifelse(state == "waits", waiting_why(word, pick(3)[at]), ended_why(word)),
             left_s = vapply(pick(4)[at], wall_time_left, 0, USE.NAMES = FALSE))
}

# What Slurm's words for the state of a job mean, in ours.
wait_reasons <- c(PENDING = "waits in the queue", CONFIGURING = "its machine is starting",
                  REQUEUED = "was put back into the queue", REQUEUE_HOLD = "is held in the queue",
                  REQUEUE_FED = "was put back into the queue",
                  SPECIAL_EXIT = "was put back into the queue")
end_reasons <- c(PREEMPTED = "the scheduler took the machine for others",
                 TIMEOUT = "its wall time was up",
                 NODE_FAIL = "its machine failed", CANCELLED = "its job was cancelled",
                 BOOT_FAIL = "its machine did not start", OUT_OF_MEMORY = "its memory was used up")

waiting_why <- function(word, reason) {
  paste0(wait_reasons[word],
         ifelse(is.na(reason) | reason %in% c("", "None"), "", paste0(" (", reason, ")")))
}

ended_why <- function(word) {
  ifelse(is.na(word), "the scheduler does not know its job any more",
         ifelse(word %in% "COMPLETING", "it answers no more",
                ifelse(word %in% names(end_reasons), end_reasons[word],
                       paste0("its job ended (", tolower(word), ")"))))
}

# Did the scheduler take back the machine through no fault of the work, so that another may be
# requested without limit? Work that used up the memory would do so again, and a user who cancels
# jobs does not want them.
is_node_lost <- function(why) {
  why %in% c(end_reasons[c("PREEMPTED", "TIMEOUT", "NODE_FAIL")], wait_reasons) |
    startsWith(or_else(why, ""), "was put back")
}

# Seconds of `days-hours:minutes:seconds`; Inf where there is no limit.
wall_time_left <- function(text) {
  hit <- regmatches(text, regexec("^(?:([0-9]+)-)?(?:([0-9]+):)?([0-9]+):([0-9]+)$", text,
                                  perl = TRUE))[[1]]
  if (!length(hit)) return(Inf)
  parts <- as.numeric(hit[-1])
  parts[is.na(parts)] <- 0
  sum(parts * c(86400, 3600, 60, 1))
}

# How the job of one node stands; NULL where that is not known.
node_queue <- function(node) {
  job <- in_queue[[node_profile(node)]]
  states <- if (length(job)) queue_states(job$id, job$command)
  if (NROW(states)) as.list(states[1, ])
}

# Takes a node's job out of the queue, or ends it.
leave_queue <- function(node) {
  profile <- node_profile(node)
  job <- in_queue[[profile]]
  if (is.null(job)) return(invisible())
  rm(list = profile, envir = in_queue)
  program <- beside_sbatch(job$command, "scancel")
  if (length(program)) ask_scheduler(program, job$id)
  invisible()
}
