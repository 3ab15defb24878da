# Shots: what is to be rendered.

# Fields of a shot.
shot_fields <- function() list(
  shot = field(a_name(), required = TRUE),
  about = field(a_text()),
  scene = field(a_text()),
  scenes = field(an_environment()),
  frames = field(frame_set_type(), required = TRUE),
  cuts = field(counts_type(), default = integer()),
  size = field(a_resolution(), required = TRUE),
  limit = field(a_limit(), required = TRUE),
  upload = field(a_size_or_none(), default = 0),
  frame_size = field(a_size_or_none(), default = 0),
  pack = field(a_varying()),
  prepass = field(record_of(list(
    frames = field(a_count(), required = TRUE),
    each = field(a_varying(), required = TRUE),
    on = field(one_of("all", "one"), default = "all")
  ))),
  layers = field(a_count(), default = 1L),
  merge = field(a_varying(), default = no_time),
  encode = field(a_varying(), default = no_time),
  needs = field(record_of(need_fields()), default = list())
)

# Needs of a shot at the place that renders it.
need_fields <- function() list(
  version = field(a_version()),
  add_ons = field(versions_by_name()),
  hosts = field(versions_by_name()),
  devices = field(words_of(c("cpu", "gpu"))),
  memory = field(a_size()),
  device_memory = field(a_size()),
  cameras = field(text_field()),
  outputs = field(text_field()),
  channels = field(text_field()),
  confidential = field(a_flag()),
  spread = field(one_of(spread_kinds))
)

#' Read a shot
#'
#' A shot is a scene with its frames, size and limit: what is to be rendered.
#'
#' Fields of the file: `shot` (its name), `about`, `scene` (a built-in scene or a scene file, in
#' which `{shot}`, `{frame:04}`, `{width}`, `{height}` and `{engine}` are filled), `scenes` (a scene
#' for each engine, `engine: file`, where it is not the same for all; times are compared as of one
#' scene, named as `scene` says, or as the shot), `frames` (a frame set such as `1-240`), `cuts`
#' (first frames after each cut), `size` (`1920x1080`), `limit` (`samples`, `noise` or `time`, alone
#' or together), `upload` (what must be sent to a site, such as `80 MB`, or `none`), `frame_size`
#' (the size of each finished frame), the stages around rendering: how long it takes to `pack`, a
#' `prepass` (how many `frames`, the time of `each`, on `all` nodes or `one`), `layers` that can be
#' rendered apart and the time to `merge` them, and to `encode` the finished shot (each a duration,
#' or its `median` and `p90`, or `none`); and `needs`, what it needs of the place that renders it:
#' `version` of the engine (`"4.2"` or `">=4.1 <5"`), `add_ons` and `hosts` (programs around the
#' engine; names, each with a version, a range or `any`), `devices` it can be rendered on (cpu,
#' gpu), `memory`, `device_memory`, `cameras`, `outputs`, `channels`, whether it is `confidential`,
#' and the `spread` it is to be rendered in.
#'
#' @param path A YAML file.
#' @return A list of class `cp_shot` with these fields; sizes in bytes, `frames` as whole numbers.
#' @section Conditions: `clockpigeon_error_field` for an unknown or missing field,
#'   `clockpigeon_error_type`, `_frames`, `_unit`, `_limit` or `_yaml` for a value that cannot be
#'   read; each names the file and field.
#' @examples
#' read_shot(demo_file("shots/gears.yaml"))
#' @export
read_shot <- function(path) {
  shot <- read_record(path, shot_fields(), "cp_shot")
  if (is.null(shot$scene)) {
    if (is.null(shot$scenes)) {
      stop_input("field", "field `scene` is missing", short_path(path),
                 "Write it, or `scenes`, one for each engine.")
    }
    shot$scene <- shot$shot
  }
  for (name in c("scene", "scenes")) {
    odd <- setdiff(template_names(shot[[name]],
                                  where = paste0(short_path(path), ", field `", name, "`")),
                   scene_fields)
    if (length(odd)) {
      stop_input("field", paste0("unknown field {", odd[1], "}"),
                 paste0(short_path(path), ", field `", name, "`"),
                 paste0("Fields are ", toString(paste0("{", scene_fields, "}")), "."))
    }
  }
  # The name of the shot is known; what was measured of one shot must not count for another.
  shot$scene <- gsub("{shot}", shot$shot, shot$scene, fixed = TRUE)
  shot$scenes <- lapply(shot$scenes, function(scene) gsub("{shot}", shot$shot, scene, fixed = TRUE))
  where <- paste0(short_path(path), ", field `cuts`")
  if (!all(shot$cuts %in% shot$frames)) {
    stop_input("frames", "names a frame outside the shot", where,
               paste0("The shot has ", format_frames(shot$frames), "."))
  }
  shot
}

scene_fields <- c("shot", "frame", "width", "height", "engine")

# The scene of a shot for an engine, its fields not yet filled.
scene_for <- function(engine, shot) or_else(shot$scenes[[engine]], shot$scene)
