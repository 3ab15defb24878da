# Shots: what is to be rendered.

shot_fields <- function() list(
  shot = field(check_text, required = TRUE),
  about = field(check_text),
  scene = field(check_text, required = TRUE),
  frames = field(frames_field, required = TRUE),
  cuts = field(counts, default = integer()),
  size = field(parse_resolution, required = TRUE),
  limit = field(check_limit, required = TRUE),
  upload = field(parse_size, default = 0),
  frame_size = field(parse_size, default = 0),
  pack = field(varying_field),
  prepass = field(record_of(list(
    frames = field(whole, required = TRUE),
    each = field(varying_field, required = TRUE),
    on = field(choice_of("all", "one"), default = "all")
  ))),
  layers = field(whole, default = 1L),
  merge = field(varying_field, default = no_time),
  encode = field(varying_field, default = no_time),
  needs = field(record_of(need_fields()), default = list())
)

# What a shot needs of the place that renders it.
need_fields <- function() list(
  version = field(function(x, where) check_text(version_field(x, where), where)),
  add_ons = field(named_versions),
  hosts = field(named_versions),
  devices = field(list_of_words(c("cpu", "gpu"))),
  memory = field(parse_size),
  device_memory = field(parse_size),
  cameras = field(check_texts),
  outputs = field(check_texts),
  channels = field(check_texts),
  confidential = field(check_flag),
  spread = field(choice_of(spread_kinds))
)

#' Read a shot
#'
#' A shot is a scene with its frames, size and limit: what is to be rendered.
#'
#' Fields of the file: `shot` (its name), `about`, `scene` (a built-in scene or a scene file), `frames` (a frame set
#' such as `1-240`), `cuts` (first frames after each cut), `size` (`1920x1080`), `limit` (`samples`, `noise` or `time`,
#' alone or together), `upload` (what must be sent to a site, such as `80 MB`), `frame_size` (what comes back for
#' each frame), the stages around rendering: how long it takes to `pack`, a `prepass` (how many `frames`, the time of
#' `each`, on `all` nodes or `one`), `layers` that can be rendered apart and the time to `merge` them, and to `encode`
#' the finished shot (each a duration, or its `median` and `p90`, or `none`); and `needs`, what it needs of the place
#' that renders it: `version` of the engine (`"4.2"` or `">=4.1 <5"`), `add_ons` and `hosts` (programs around the
#' engine; names, each with a version, a range or `any`), `devices` it can be rendered on (cpu, gpu), `memory`,
#' `device_memory`, `cameras`, `outputs`, `channels`, whether it is `confidential`, and the `spread` it is to be
#' rendered in.
#'
#' @param path A YAML file.
#' @return A list of class `cp_shot` with these fields; sizes in bytes, `frames` as whole numbers.
#' @section Conditions: `clockpigeon_error_field` for an unknown or missing field, `clockpigeon_error_type`,
#'   `_frames`, `_unit`, `_limit` or `_yaml` for a value that cannot be read; each names the file and field.
#' @examples
#' read_shot(demo_file("shots/gears.yaml"))
#' @export
read_shot <- function(path) {
  shot <- read_record(path, shot_fields(), "cp_shot")
  where <- paste0(short_path(path), ", field `cuts`")
  if (!all(shot$cuts %in% shot$frames)) {
    stop_input("frames", "names a frame outside the shot", where,
               paste0("The shot has ", format_frames(shot$frames), "."))
  }
  shot
}
