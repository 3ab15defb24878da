# What placing leaves behind and sends: the folder of a job, the event that says so, the files of its frames.

# Where a job's frames, sheets and parcels are.
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
    time = utc_now(now), place = new, what = "placed", detail = file.path(folder, "frames"), source = "place"
  ))
}

# Files of the project that the frames need, where they are in it.
needed_files <- function(job, project) {
  unlist(lapply(job$shots, function(shot) {
    manifest <- project$manifests[[shot$shot]]
    if (length(manifest)) {
      at <- real_path(file.path(project$root, manifest$folder))
      # What is missing was found by the check; what there is goes.
      files <- tryCatch(parcel_files(manifest, at)$path, clockpigeon_error_pack = function(e) {
        Filter(function(path) file.exists(file.path(at, path)), c(manifest$scene, manifest$assets$path))
      })
      if (manifest$folder %in% c(".", "")) return(files)
      return(file.path(manifest$folder, files))
    }
    scenes <- unique(unlist(c(shot$scene, shot$scenes)))
    scenes[file.exists(file.path(project$root, scenes)) & !is_absolute(scenes)]
  }))
}
