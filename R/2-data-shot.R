# Shots: what is to be rendered.

shot_fields <- function() list(
  shot = field(check_text, required = TRUE),
  about = field(check_text),
  scene = field(check_text, required = TRUE),
  frames = field(frames_field, required = TRUE),
  cuts = field(counts, default = integer()),
  size = field(parse_resolution, required = TRUE),
  limit = field(read_limit, required = TRUE),
  upload = field(parse_size, default = 0),
  frame_size = field(parse_size, default = 0)
)

#' Read a shot
#'
#' A shot is a scene with its frames, size and limit: what is to be rendered.
#'
#' Fields of the file: `shot` (its name), `about`, `scene` (a built-in scene or a scene file), `frames` (a frame set
#' such as `1-240`), `cuts` (first frames after each cut), `size` (`1920x1080`), `limit` (`samples`, `noise` or `time`,
#' alone or together), `upload` (what must be sent to a site, such as `80 MB`) and `frame_size` (what comes back for
#' each frame).
#'
#' @param path A YAML file.
#' @return A list of class `shot` with these fields; sizes in bytes, `frames` as whole numbers.
#' @section Conditions: `clockpigeon_error_field` for an unknown or missing field, `clockpigeon_error_type`,
#'   `_frames`, `_unit`, `_limit` or `_yaml` for a value that cannot be read; each names the file and field.
#' @examples
#' read_shot(demo_file("shots/gears.yaml"))
#' @export
read_shot <- function(path) {
  shot <- read_record(path, shot_fields(), "shot")
  where <- paste0(short_path(path), ", field `cuts`")
  if (!all(shot$cuts %in% shot$frames)) {
    stop_input("frames", "names a frame outside the shot", where,
               paste0("The shot has ", format_frames(shot$frames), "."))
  }
  shot
}
