# Manifests: a shot's files, its moving parts, and its outputs.

asset_fields <- function() list(
  path = field(a_text(), required = TRUE),
  kind = field(a_text(), default = "asset"),
  embedded = field(a_flag(), default = FALSE),
  needed = field(a_flag(), default = TRUE)
)

dynamic_fields <- function() list(
  name = field(a_text(), required = TRUE),
  kind = field(one_of("simulation", "particles", "moving texture", "deformation", "other"),
               default = "simulation"),
  cache = field(a_text()),
  covers = field(frame_set_type()),
  needed = field(a_flag(), default = TRUE)
)

# Fields of a shot's manifest.
manifest_fields <- function() list(
  shot = field(a_name(), required = TRUE),
  scene = field(a_text(), required = TRUE),
  folder = field(a_text(), default = "."),
  job = field(a_text()),
  assets = field(records_of(asset_fields()), default = list()),
  dynamic = field(records_of(dynamic_fields()), default = list()),
  cameras = field(text_field(), default = character()),
  layers = field(text_field(), default = character()),
  moves = field(one_of("nothing", "camera", "things"), default = "things"),
  prepass_every = field(a_count(), default = 1L),
  outputs = field(text_field(), default = character()),
  says = field(record_of(list(size = field(a_resolution()), samples = field(a_count()),
                              frames = field(frame_set_type()))))
)

#' Read a manifest
#'
#' A manifest lists what a shot is made of. As YAML: `shot`, `scene` (its file), `folder` (of all
#' paths, relative to the manifest's project), `job` (its name at a site), `assets` (a list of
#' `path`, `kind`, `embedded`, `needed`), `dynamic` (simulations and other parts that need a cache:
#' `name`, `kind`, `cache` folder or file, the frames it `covers`, `needed`), `cameras`, `layers`,
#' what `moves` (nothing, camera or things), `prepass_every` (a number of frames), `outputs` (such
#' as `frames/gears_####.png`), and what the scene itself `says` (`size`, `samples`, `frames`). As
#' CSV, as exporters write it, with columns `kind` and `path`, and where it applies `name`,
#' `embedded`, `needed`, `covers`: a row of kind scene, camera, layer or output says what it is; of
#' kind simulation, particles, moving texture or deformation is dynamic, its `path` the cache; any
#' other is an asset.
#'
#' @param path A YAML or CSV file.
#' @return A list of class `cp_manifest` with these fields; `assets` and `dynamic` are data frames,
#'   `covers` a list of
#' frames.
#' @section Conditions: `clockpigeon_error_manifest` for a table without a scene; otherwise as for
#'   [read_shot()].
#' @noRd
read_manifest <- function(path) {
  path <- check_text(path, argument("path"))
  manifest <- if (grepl("\\.csv$", path)) manifest_from_table(path)
    else read_record(path, manifest_fields(), "cp_manifest")
  column <- function(rows, name, kind)
    vapply(rows, function(row) first_of(row[[name]], as.vector(NA, typeof(kind))),
           kind)
  manifest$assets <- data.frame(path = column(manifest$assets, "path", ""),
                                kind = column(manifest$assets, "kind", ""),
                                embedded = column(manifest$assets, "embedded", NA),
                                  needed = column(manifest$assets, "needed", NA))
  dynamic <- data.frame(name = column(manifest$dynamic, "name", ""),
                        kind = column(manifest$dynamic, "kind", ""),
                        cache = column(manifest$dynamic, "cache", ""),
                        needed = column(manifest$dynamic, "needed", NA))
  dynamic$covers <- lapply(manifest$dynamic, function(row) row[["covers"]])
  manifest$dynamic <- dynamic
  for (i in which(!validUTF8(c(manifest$scene, manifest$assets$path)))) {
    stop_input("manifest", paste0("has a name that is not UTF-8: ",
                                  show_value(iconv(c(manifest$scene, manifest$assets$path)[i],
                                                   "latin1", "UTF-8"))),
               short_path(path), "Save the file as UTF-8.")
  }
  manifest
}

# A manifest from a table of files.
manifest_from_table <- function(path) {
  file <- short_path(path)
  rows <- read_csv_texts(path, c("kind", "path"), "manifest")
  check_columns(rows, file, c("kind", "path"))
  cell <- function(name) if (is.null(rows[[name]])) rep(NA_character_, nrow(rows)) else rows[[name]]
  flag <- function(name, missing) {
    x <- tolower(cell(name))
    bad <- which(!is.na(x) & !x %in% c("true", "false", "yes", "no"))
    if (length(bad))
      check_flag(cell(name)[bad[1]], paste0(file, ", line ", bad[1] + 1, ", field `", name, "`"))
    ifelse(is.na(x), missing, x %in% c("true", "yes"))
  }
  empty <- which(is.na(rows$kind) | is.na(rows$path))
  if (length(empty))
    stop_input("manifest", "has a row without kind or path", paste0(file, ", line ", empty[1] + 1),
               "Fill both.")
  of <- function(kind) rows$path[rows$kind == kind]
  dynamic <- rows$kind %in% c("simulation", "particles", "moving texture", "deformation", "other")
  asset <- !dynamic & !rows$kind %in% c("scene", "camera", "layer", "output")
  embedded <- flag("embedded", FALSE)
  needed <- flag("needed", TRUE)
  if (length(of("scene")) != 1) {
    stop_input("manifest", paste("has", length(of("scene")), "rows of kind scene"), file,
               "Write one row `scene,PATH`.")
  }
  filled_record(
    "cp_manifest", manifest_fields(), path = path,
    shot = sub("\\.csv$", "", basename(path)), scene = of("scene"),
    assets = lapply(which(asset),
                    function(i) list(path = rows$path[i], kind = rows$kind[i],
                                     embedded = embedded[i], needed = needed[i])),
    dynamic = lapply(which(dynamic), function(i) {
      list(name = first_of(if (!is.na(cell("name")[i])) cell("name")[i], rows$path[i]),
           kind = rows$kind[i],
           cache = rows$path[i],
           covers = if (!is.na(cell("covers")[i])) {
             parse_frames(cell("covers")[i], paste0(file, ", line ", i + 1, ", field `covers`"))
           },
           needed = needed[i])
    }),
    cameras = of("camera"), layers = of("layer"), outputs = of("output")
  )
}
