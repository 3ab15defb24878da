# Parcels: all that a shot needs, in one file that is the same for the same content.

#' Pack a shot into one parcel
#'
#' A parcel is a zip file with the scene, the assets and the caches that a manifest names, under
#' relative paths only, and `parcel.json`, which lists each file with its size and SHA-256 (FIPS
#' 180-4). Its content version is the start of the SHA-256 of that list, and stands in its name: the
#' same content always makes the same bytes under the same name, so that it is never sent twice, and
#' changed content never comes under an old name.
#'
#' `clockpigeon unpack` opens it, and looks before it writes: paths that leave the folder, links,
#' files that the parcel does not list, and parcels that would grow beyond a size are refused; every
#' file is checked against its SHA-256 before the folder gets its name.
#'
#' @param manifest From `read_manifest()`.
#' @param folder The project's folder.
#' @param out Folder for the parcel.
#' @return A tibble of one row: `shot`, `parcel` (path), `version`, `files`, `bytes` (of the files),
#'   `parcel_bytes`, `made` (`FALSE` when it was there already).
#' @section Conditions: `clockpigeon_error_pack` when a needed file is missing, cannot be read, lies
#'   outside the folder or has a name that other systems cannot take.
#' @examplesIf requireNamespace("zip", quietly = TRUE)
#' project <- read_project(demo_file())
#' manifest <- project$manifests$basin
#' # Its spray is not baked in the demo, and would be refused.
#' manifest$dynamic <- manifest$dynamic[0, ]
#' pack_shot(manifest, project$root, out = tempdir())[c("version", "files", "bytes")]
#' @export
pack_shot <- function(manifest, folder = ".", out = ".") {
  check_class(manifest, argument("manifest"), "cp_manifest", "read_manifest()")
  need_package("zip", "parcels")
  check_folder_open(out)
  root <- real_path(file.path(folder, manifest$folder))
  if (!dir.exists(root)) stop_input("pack", "no such folder", root,
                                    "Name the folder of the scene's files in the manifest.")
  files <- parcel_files(manifest, root)
  content <- list(shot = manifest$shot, scene = plain_path(manifest$scene),
                  files = data.frame(path = files$path, bytes = files$bytes,
                                     sha256 = file_hashes(file.path(root, files$path))))
  content$version <- content_version(content$files)
  parcel <- file.path(real_path(out), paste0(manifest$shot, "-", content$version, ".zip"))
  made <- !file.exists(parcel)
  if (made) write_parcel(content, root, parcel)
  as_table(data.frame(shot = manifest$shot, parcel = parcel, version = content$version,
                      files = nrow(files), bytes = sum(files$bytes),
                      parcel_bytes = file.size(parcel), made = made))
}

# The files of a parcel, in the order of their bytes' values; an error of ours for the first that
# cannot go.
parcel_files <- function(manifest, root) {
  walked <- walk_folder(root)
  files <- walked$files
  asked <- c(manifest$scene,
             manifest$assets$path[manifest$assets$needed & !manifest$assets$embedded])
  refuse <- function(path, why)
    stop_input("pack", paste0(path, " ", why), paste("manifest of", manifest$shot),
               paste0("See clockpigeon check ", manifest$shot, "."))
  plain <- ifelse(is_absolute(asked), NA, plain_path(asked))
  if (anyNA(plain)) refuse(asked[is.na(plain)][1], "is absolute or lies outside the folder")
  lost <- setdiff(plain, files$path)
  if (length(lost)) refuse(lost[1], "is missing")
  dynamic <- manifest$dynamic[manifest$dynamic$needed & !is.na(manifest$dynamic$cache), ,
                              drop = FALSE]
  caches <- plain_path(dynamic$cache)
  empty <- caches[!vapply(caches, function(cache) any(in_folders(files$path, cache)), NA)]
  if (length(empty)) refuse(empty[1], "is not baked")
  files <- files[files$path %in% plain | in_folders(files$path, caches), , drop = FALSE]
  real <- real_path(file.path(root, files$path))
  out <- !startsWith(real, paste0(root, "/"))
  if (any(out)) refuse(files$path[out][1], "is a link to a file outside the folder")
  if (!all(files$readable)) refuse(files$path[!files$readable][1], "cannot be read")
  odd <- c(walked$odd[in_folders(walked$odd, caches)], files$path[is_odd_path(files$path)])
  if (length(odd)) refuse(odd[1], "has a name that other systems cannot take")
  if (nrow(files) > most_parcel_files) {
    stop_input("pack", paste0("has ", nrow(files), " files; a parcel holds at most ",
                              most_parcel_files),
               paste("manifest of", manifest$shot),
               "Put caches into fewer files, or make two manifests.")
  }
  twice <- duplicated(tolower(files$path))
  if (any(twice)) refuse(files$path[twice][1], "differs from another file only in case")
  files[order(files$path, method = "radix"), , drop = FALSE]
}

# A zip file counts its entries in 16 bits.
most_parcel_files <- 65000L

is_odd_path <- function(paths) grepl("[\\\\:*?\"<>|\x01-\x1f\x7f]", paths)

content_version <- function(files) {
  lines <- paste0(files$sha256, "  ", files$path, "\n", collapse = "")
  substr(paste(openssl::sha256(charToRaw(enc2utf8(lines)))), 1, 12)
}

# Writes the parcel under a temporary name and moves it into place, so that an interrupted run
# leaves no parcel. The files are staged with one time and one mode, which a zip file records.
write_parcel <- function(content, root, parcel) {
  stage <- tempfile("parcel-")
  on.exit(unlink(stage, recursive = TRUE, expand = FALSE))
  to <- file.path(stage, content$files$path)
  for (folder in unique(dirname(c(to, file.path(stage, "x"))))) {
    dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  }
  if (!all(file.copy(file.path(root, content$files$path), to, copy.mode = FALSE))) {
    stop_input("pack", "cannot be staged", tempdir(), "Make room on the temporary disk.")
  }
  about <- file.path(stage, "parcel.json")
  writeLines(jsonlite::toJSON(content[c("shot", "version", "scene", "files")], dataframe = "rows",
                              auto_unbox = TRUE, pretty = TRUE,
                              digits = NA), about, useBytes = TRUE)
  all <- c(about, to)
  Sys.chmod(all, "644", use_umask = FALSE)
  # Noon of the first day a zip file can name, in every time zone.
  Sys.setFileTime(all, as.POSIXct("1980-01-02 12:00:00", tz = ""))
  write_whole(parcel, function(part) {
    zip::zip(part, c("parcel.json", content$files$path), root = stage, include_directories = FALSE,
             compression_level = 6)
  }, "pack")
}

# Unpacks a parcel into a new folder; `most` is the number of bytes that it may grow to. Everything
# is checked in a folder next to it first. Returns the list of `parcel.json`, invisibly.
unpack_parcel <- function(path, into, most = 50e9) {
  need_package("zip", "parcels")
  path <- check_text(path, argument("path"))
  into <- check_text(into, argument("into"))
  refuse <- function(why, instead = "Ask for a new parcel.") {
    stop_input("parcel", why, short_path(path), instead)
  }
  if (!file.exists(path)) refuse("no such file", "Check the path.")
  if (file.exists(into)) {
    stop_input("file", "is there already", into, "Name a folder that is not there yet.")
  }
  inside <- tryCatch(zip::zip_list(path), error = function(e) refuse("is no zip file, or cut off"))
  check_parcel_names(inside$filename, refuse)
  check_parcel_growth(sum(inside$uncompressed_size), file.size(path), most, refuse)
  content <- parcel_content(path, inside$filename, refuse)
  listed <- c("parcel.json", content$files$path)
  odd <- c(setdiff(inside$filename, listed), setdiff(listed, inside$filename))
  if (length(odd)) refuse(paste0("and its list do not agree about ", show_value(odd[1])))
  stage <- tempfile("parcel-", tmpdir = dirname(real_path(into)))
  on.exit(unlink(stage, recursive = TRUE, expand = FALSE))
  tryCatch(zip::unzip(path, exdir = stage), error = function(e) refuse("is damaged"))
  check_parcel_files(stage, content, refuse)
  # Ignore the file modes of the zip file.
  Sys.chmod(list.files(stage, recursive = TRUE, full.names = TRUE, all.files = TRUE), "644")
  Sys.chmod(c(stage, list.dirs(stage)), "755")
  if (!file.rename(stage, into)) {
    stop_input("file", "cannot be written", into, "Name another folder.")
  }
  invisible(content)
}

# Paths of a parcel stay in its folder, are UTF-8, fit other systems, and differ in more than case.
check_parcel_names <- function(names, refuse) {
  if (!length(names)) refuse("is empty")
  if (!all(validUTF8(names))) refuse("has a path that is not UTF-8")
  plain <- plain_path(names)
  leaves <- is_absolute(names) | is.na(plain) | plain != names | grepl("\\\\|^[A-Za-z]:", names)
  if (any(leaves)) {
    refuse(paste0("has the path ", show_value(names[leaves][1]), ", which leaves its folder"))
  }
  odd <- is_odd_path(names)
  if (any(odd)) {
    refuse(paste0("has the path ", show_value(names[odd][1]), ", which other systems cannot take"))
  }
  if (length(names) > most_parcel_files + 1) refuse(paste("has", length(names), "files"))
  twice <- duplicated(tolower(names))
  if (any(twice)) refuse(paste0("has ", show_value(names[twice][1]), " twice"))
}

# Refuse a parcel that would grow beyond what is allowed, or far more than files usually do.
check_parcel_growth <- function(grows, size, most, refuse) {
  if (grows > most) {
    refuse(paste0("would grow to ", format_size(grows)),
           paste0("Allow for more than ", format_size(most), " if that is right."))
  }
  if (grows > 1e8 && grows > 500 * size) refuse(paste0("would grow ", round(grows / size), "-fold"))
}

# Unpacked files are those of the parcel's list: no links, and the same sizes, hashes and version.
check_parcel_files <- function(stage, content, refuse) {
  files <- content$files
  there <- file.path(stage, files$path)
  links <- nzchar(Sys.readlink(there))
  if (any(links)) refuse(paste0("has a link, ", files$path[links][1]))
  wrong <- files$path[!(file.size(there) == files$bytes) %in% TRUE]
  if (length(wrong)) refuse(paste("lists another size of", wrong[1], "than it has"))
  changed <- file_hashes(there) != files$sha256
  if (any(changed)) refuse(paste0("has another ", files$path[changed][1], " than it lists"))
  if (content_version(files) != content$version) {
    refuse("bears another version than its content has")
  }
}

# List of a parcel, read without unpacking anything else.
parcel_content <- function(path, names, refuse) {
  if (!"parcel.json" %in% names)
    refuse("has no parcel.json", "Name a parcel that clockpigeon pack made.")
  folder <- tempfile("list-")
  on.exit(unlink(folder, recursive = TRUE, expand = FALSE))
  content <- tryCatch({
    zip::unzip(path, files = "parcel.json", exdir = folder)
    parse_json(text_of_file(file.path(folder, "parcel.json"), "parcel"))
  }, error = function(e) refuse("has a parcel.json that cannot be read"))
  files <- if (is.list(content)) content$files
  named <- is.data.frame(files) && all(c("path", "bytes", "sha256") %in% names(files))
  typed <- named && is.character(files$path) && is.numeric(files$bytes) &&
    is.character(files$sha256)
  if (!typed || !is.character(content$version) || length(content$version) != 1)
    refuse("has a parcel.json that lists no files")
  content
}
