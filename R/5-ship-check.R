# The check of a shot before anything is sent or paid.

new_check <- table_type("cp_check", c("shot", "weight", "about", "what", "instead"))

#' Check a shot before it is sent
#'
#' Checks the shot's manifest against the files found: what is missing, outside the folder,
#' absolute, elsewhere or differs in case; what is not baked, not for all frames, or older than the
#' scene; what nothing uses; sizes against the site's cap and the free disk; the frames of the
#' pre-pass; names of outputs and of the job; and the scene and a finished frame against the
#' required values.
#'
#' @param shot From [read_shot()].
#' @param site A site from [read_site()], for its cap on uploads; none when `NULL`.
#' @param manifest From `read_manifest()`; only the shot itself is checked when `NULL`.
#' @param folder The project's folder.
#' @param used Names of jobs used before, those of cancelled jobs too.
#' @param others Manifests of the project's other shots, whose outputs must not be written over.
#' @param frame_bytes Size of a finished frame in bytes, for the disk.
#' @param against A finished frame (PNG or OpenEXR) whose metadata is checked against the shot.
#' @return A tibble of class `cp_check`, one row a finding, the gravest first: `shot`, `weight`
#'   (`blocks`, `warns`, `informs`), `about`, `what`, `instead` (what to do).
#' @section Conditions: `clockpigeon_error_type` for arguments of the wrong kind,
#'   `clockpigeon_error_file` for a folder that is not there.
#' @examples
#' project <- read_project(demo_file())
#' check_shot(project$shots$gears, manifest = project$manifests$gears, folder = project$root)
#' @export
check_shot <- function(shot, site = NULL, manifest = NULL, folder = ".", used = character(),
                       others = list(), frame_bytes = shot$frame_size, against = NULL) {
  check_class(shot, argument("shot"), "cp_shot", "read_shot()")
  if (length(site)) check_class(site, argument("site"), "cp_site", "read_site()")
  if (!dir.exists(folder)) stop_input("file", "no such folder", folder, "Check the path.")
  frames <- shot$frames
  found <- if (is.null(manifest)) {
    finding_row("warns", shot$shot, "has no manifest: what it needs on disk was not looked at",
                  paste0("Write manifests/", shot$shot, ".yaml or .csv."))
  } else {
    check_class(manifest, argument("manifest"), "cp_manifest", "read_manifest()")
    manifest_check(shot, site, manifest, folder, used, others)
  }
  found <- rbind(found, scene_findings(shot, folder, manifest))
  images <- image_count(manifest)
  free <- disk_free_mb(folder) * 1e6
  back <- frame_bytes * length(frames) * images
  asked <- list(size = unname(shot$size), samples = shot$limit$samples,
                frames = format_frames(frames))
  found <- rbind(
    found, size_findings(0, NULL, NULL, back, free),
    snapshot_findings(asked, scene_sentence(manifest), if (length(against)) frame_says(against)),
    finding_row("informs", "frames", frame_words(frames, manifest, images), "Nothing to do.")
  )
  found <- found[order(match(found$weight, finding_weights)), , drop = FALSE]
  new_check(data.frame(shot = shot$shot, found, row.names = NULL))
}

# Scene files of a shot that are not there; a scene without a path or an ending is one that an
# engine brings along.
scene_findings <- function(shot, folder, manifest) {
  scenes <- if (length(shot$scenes)) shot$scenes else list(engine = shot$scene)
  if (length(manifest)) folder <- c(folder, file.path(folder, manifest$folder))
  scene_file <- function(frame, scene, engine) {
    fill_template(scene, list(shot = shot$shot, frame = frame, width = shot$size[["width"]],
                              height = shot$size[["height"]], engine = engine))
  }
  missing <- unlist(Map(function(scene, engine) {
    if (!grepl("[/\\\\.]", scene)) return(NULL)
    files <- unique(vapply(shot$frames, scene_file, "", scene, engine))
    at <- lapply(folder, function(f) ifelse(is_absolute(files), files, file.path(f, files)))
    lost <- files[!Reduce(`|`, lapply(at, file.exists))]
    if (length(lost) > 1) paste0(lost[1], " (and ", length(lost) - 1, " more)") else lost
  }, scenes, names(scenes)))
  finding_row("blocks", unname(missing), "is the scene of the shot, and is not there",
              "Write its path as seen from the project.")
}

image_count <- function(manifest) max(1, length(manifest$cameras)) * max(1, length(manifest$layers))

# Findings from the manifest and the files next to it.
manifest_check <- function(shot, site, manifest, folder, used, others) {
  root <- real_path(file.path(folder, manifest$folder))
  if (!dir.exists(root)) return(finding_row("blocks", manifest$folder, "is no folder",
                                              "Name the folder of the scene's files."))
  walked <- walk_folder(root)
  files <- walked$files
  scene <- match(plain_path(manifest$scene), files$path)
  needed <- manifest$assets[manifest$assets$needed & !manifest$assets$embedded, , drop = FALSE]
  caches <- plain_path(manifest$dynamic$cache[!is.na(manifest$dynamic$cache)])
  in_cache <- in_folders(files$path, caches)
  used_files <- files$path[files$path %in% c(plain_path(needed$path), manifest$scene) | in_cache]
  sent <- sum(files$bytes[files$path %in% used_files])
  other_outputs <- unlist(lapply(others, function(m)
                                 stats::setNames(m$outputs, rep(m$shot, length(m$outputs)))))
  # Paths of other manifests, as seen from this one's folder.
  here <- paste0(plain_path(manifest$folder), "/")
  from_here <- function(m, path) {
    path <- plain_path(paste0(m$folder, "/", path))
    ifelse(startsWith(path, here), substring(path, nchar(here) + 1), path)
  }
  every_asset <- unlist(lapply(c(list(manifest), others),
                               function(m) from_here(m, c(m$scene, m$assets$path))))
  other_caches <- unlist(lapply(others, function(m)
                                from_here(m, m$dynamic$cache[!is.na(m$dynamic$cache)])))
  of_others <- in_folders(files$path, other_caches)
  rbind(
    asset_findings(rbind(data.frame(path = manifest$scene, kind = "scene", embedded = FALSE,
                                    needed = TRUE),
                         manifest$assets), files, root),
    cache_findings(manifest$dynamic, files, shot$frames, files$changed[scene]),
    finding_row("blocks", walked$odd, "has a name that is not UTF-8", "Rename it."),
    finding_row("warns", walked$loops,
                "is a link that leads back to a folder above it, and was not followed",
                "Remove the link."),
    finding_row("warns", walked$outside, "is a link to a folder outside, and was not followed",
                  "Copy what is needed into the project folder."),
    if (plain_path(manifest$folder) %in% c("", NA)) NULL
      else stray_findings(files[!of_others, , drop = FALSE], c(used_files, every_asset)),
    size_findings(sent, site$can$upload_cap, site$site, 0, NA_real_, shot$upload),
    finding_row("informs", "upload",
                paste0("is ", format_size(sent), " in ", length(used_files), " files",
                                        if (length(site$link))
                       paste0(", ", format_duration(sent / site$link), " to ",
                              site$site)), "Nothing to do."),
    output_findings(manifest$outputs, shot$frames, image_count(manifest), other_outputs),
    name_findings(manifest$job, used)
  )
}

# Which paths are one of these files, or lie in one of these folders.
in_folders <- function(path, folders) {
  hits <- lapply(folders[!is.na(folders)],
                 function(folder) path == folder | startsWith(path, paste0(folder, "/")))
  Reduce(`|`, hits, rep(FALSE, length(path)))
}

scene_sentence <- function(manifest) {
  says <- manifest$says
  if (is.null(says)) return(NULL)
  list(size = unname(says$size), samples = says$samples,
       frames = if (length(says$frames)) format_frames(says$frames))
}

# Properties of a finished frame: its size, and its samples if its metadata has them.
frame_says <- function(path) {
  if (!file.exists(path)) stop_input("file", "no such file", path, "Name a finished frame.")
  about <- picture_metadata(path)
  samples <- suppressWarnings(as.numeric(about[grepl("samples", names(about),
                                                     ignore.case = TRUE)][1]))
  list(size = png_size(path), samples = if (!is.na(samples)) samples)
}

# Width and height of a PNG, from its header.
png_size <- function(path) {
  head <- readBin(path, "raw", 24)
  if (!identical(head[2:4], charToRaw("PNG"))) return(NULL)
  vapply(list(17:20, 21:24), function(at) sum(as.numeric(head[at]) * 256^(3:0)), 0)
}

frame_words <- function(frames, manifest, images) {
  words <- paste0(format_frames(frames), ", ", length(frames), " in all")
  if (images > 1) words <- paste0(words, ", ", images, " pictures each: ", images * length(frames))
  if (is.null(manifest)) return(words)
  pass <- prepass_frames(frames, manifest$moves, manifest$prepass_every)
  which <- if (length(pass) < length(frames)) paste0(": ", format_frames(pass)) else " (all)"
  paste0(words, "; pre-pass of ", length(pass), which)
}

# Mean size of the pictures that were kept of a shot at its own size and limit; NULL when none is at
# hand.
measured_frame_bytes <- function(timings, shot) {
  rows <- as_frame(timings)
  kept <- rows[["output"]][rows[["status"]] == "ok" & is_of_shot(rows, shot) &
                           !is.na(rows[["output"]])]
  bytes <- file.size(kept[file.exists(kept)])
  if (length(bytes)) mean(bytes)
}
