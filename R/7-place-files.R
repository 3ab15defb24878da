# Traces of placing: the folder of a job, the event that records it, the files of its frames.

# Folder of a job's frames, sheets and parcels.
placed_folder <- function(place) {
  folder <- file.path(place$project$root, "placed", place$job)
  dir.create(file.path(folder, "frames"), FALSE, TRUE)
  check_folder_open(folder)
  real_path(folder)
}

# That it was placed, when and where its frames appear: once for each site.
note_placed <- function(place, ledger, folder, sites, now = place$now) {
  known <- job_events(ledger, place$job)
  known <- known[["place"]][known[["what"]] == "placed"]
  new <- setdiff(sites, known)
  if (!length(new)) return(invisible())
  add_events(ledger, place$job, data.frame(
    time = utc_now(now), place = new, what = "placed", detail = file.path(folder, "frames"),
    source = "place"
  ))
}

# Files of the project that the frames need, where they are in it.
needed_files <- function(job, project) {
  unlist(lapply(job$shots, function(shot) {
    manifest <- project$manifests[[shot$shot]]
    if (length(manifest)) return(files_of_manifest(manifest, project$root))
    scenes <- unique(unlist(c(shot$scene, shot$scenes)))
    scenes[file.exists(file.path(project$root, scenes)) & !is_absolute(scenes)]
  }))
}

# Sends files of the project to a node's folder in parts, those that differ from the ones there.
send_files <- function(node, root, folder, files) {
  if (!length(files)) return(invisible())
  own <- file_hashes(file.path(root, files))
  said <- wait_for(ask_node(node, host_files, list(folder, files), 600))
  if (is.null(said$value)) stop_input("node", c(said$error, said$lost)[1], paste("node", node$node))
  there <- said$value
  for (k in which(is.na(there) | there != own)) {
    at <- file.path(root, files[k])
    size <- file.size(at)
    from <- 0
    repeat {
      bytes <- read_host_part(root, files[k], from)$bytes
      done <- wait_for(ask_node(node, host_write, list(folder, files[k], from, bytes, size, own[k]),
                                600))
      from <- from + length(bytes)
      if (from >= size || is.null(done$value)) break
    }
    if (!isTRUE(done$value)) {
      stop_input("node", paste0(files[k], " did not arrive whole"), paste("node", node$node),
                 "See its disk and its link.")
    }
  }
}

# Files of a manifest, from the project's root. Missing ones were found by the check; the others go.
files_of_manifest <- function(manifest, root) {
  at <- real_path(file.path(root, manifest$folder))
  named <- c(manifest$scene, manifest$assets$path)
  files <- tryCatch(parcel_files(manifest, at)$path,
                    clockpigeon_error_pack = function(e) named[file.exists(file.path(at, named))])
  if (manifest$folder %in% c(".", "")) return(files)
  file.path(manifest$folder, files)
}
