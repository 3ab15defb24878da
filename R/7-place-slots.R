# The slots of own pools: what renders one frame at a time.

# The names of the nodes of a site's pool, one a slot: of a scheduler's machines as many as may be
# used at once.
pool_slots <- function(project, site) {
  site <- project$sites[[site]]
  if (site$kind != "own") return(character())
  rep(site$pool, vapply(site$pool, function(name) or_else(project$nodes[[name]]$count, 1L), 0L))
}

# Slots of a site: a node, how many share its machine, and its number at the site. Each slot of a
# scheduler has its own machine.
site_slots <- function(project, site) {
  names <- pool_slots(project, site)
  slots <- lapply(seq_along(names), function(k) {
    node <- if (names[k] == "here" && is.null(project$nodes[["here"]])) this_node()
            else project_entry(project$nodes, names[k], "node")
    many <- sum(names == names[k])
    own <- sum(names[seq_len(k)] == names[k])
    node$slot <- paste0(site, "-", own)
    list(node = node, site = site, number = k, share = if (is_scheduled(node)) 1L else many,
         label = paste0(names[k], if (many > 1) paste0("/", own)))
  })
  stats::setNames(slots, vapply(slots, `[[`, "", "label"))
}

# The slots of several sites, told apart where a machine is in two pools.
all_slots <- function(project, sites) {
  slots <- unlist(lapply(sites, function(s) site_slots(project, s)), recursive = FALSE)
  twice <- names(slots) %in% names(slots)[duplicated(names(slots))]
  names(slots)[twice] <- paste0(names(slots), " (", vapply(slots, `[[`, "", "site"), ")")[twice]
  slots
}

# A slot with changed fields.
set_slot <- function(pool, name, ...) {
  pool$slots[[name]] <- utils::modifyList(pool$slots[[name]], list(...))
  pool
}

# Events of a job on own nodes. A slot of a scheduler is named after its present machine.
pool_event <- function(pool, what, ..., node = NULL) {
  if (length(node)) node <- or_else(pool$slots[[node]]$machine_name, node)
  row <- list(what = what, time = utc_now(as.POSIXct(pool$clock(), origin = "1970-01-01")),
              source = "place", node = node, ...)
  add_events(pool$ledger, pool$job$name, as.data.frame(Filter(length, row)))
}

# Waits longer after each failure, up to ten minutes; after the eighth in a row a node is given up.
retry_slot_later <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  tries <- slot$tries + 1
  if (tries == 1 || tries == 8) {
    pool_event(pool, "node gone", place = slot$site, node = name,
               detail = if (tries == 8) paste("given up:", why) else why)
  }
  close_node(slot$node)  # what began to be opened would be in the way of the next try
  set_slot(pool, name, tries = tries, again = pool$clock() + min(600, pool$job$again_s * 2^tries),
           state = if (tries >= 8) "lost" else "closed")
}

# Frames that a slot may render: of its site, in its own run of frames where there are runs.
for_slot <- function(pool, slot) {
  frames <- pool$frames
  frames[["state"]] == "waiting" & frames[["site"]] == slot$site &
    (is.na(frames[["range"]]) | frames[["range"]] == slot$number)
}

# May frames start on a slot's node at this hour?
is_open_now <- function(pool, slot) {
  hours <- slot$node$hours
  !length(hours) ||
    is_in_hours(as.POSIXct(pool$clock(), origin = "1970-01-01"), hours, pool$job$time_zone)
}

# Does a node see this project's folder? If not, the files of the job that it lacks are sent there.
share_folder <- function(pool, name) {
  slot <- pool$slots[[name]]
  folder <- slot$node$folder
  travels <- FALSE
  if (length(folder)) {
    dir.create(file.path(pool$job$root, pool$job$making), FALSE, TRUE)
    token <- file.path(pool$job$making, paste0("token-", pool$run))
    write_text(pool$run, file.path(pool$job$root, token))
    own <- file_hashes(file.path(pool$job$root, token))
    travels <- !identical(wait_for(ask_node(slot$node, host_files, list(folder, token), 60))$value,
                          own)
    unlink(file.path(pool$job$root, token))
    if (travels) send_files(slot$node, pool$job$root, folder, pool$job$files)
  }
  set_slot(pool, name, travels = travels)
}
