# Benchmark plans as files.

plan_fields <- function() list(
  plan = field(check_text, required = TRUE),
  about = field(check_text),
  shots = field(check_texts, required = TRUE),
  engines = field(records_of(list(engine = field(check_text, required = TRUE), versions = field(version_field))),
                  required = TRUE),
  frames = field(frames_field),
  probes = field(function(x, where) check_count(x, where)),
  limits = field(records_of(limit_fields())),
  sizes = field(function(x, where) lapply(check_texts(x, where), parse_resolution, where = where)),
  threads = field(counts, default = NA_integer_),
  repeats = field(function(x, where) check_count(x, where), default = 2L),
  warmups = field(function(x, where) check_count(x, where, least = 0), default = 1L),
  time_limit = field(duration_field, default = 600),
  seed = field(function(x, where) check_count(x, where, least = 0), default = 1L)
)

#' Read a benchmark plan
#'
#' Fields of the file: `plan` (name), `about`, `shots` (names), `engines` (a list of `engine` and `versions`), `frames`
#' (a frame set) or `probes` (that many frames spread over each shot), `limits` and `sizes` (each shot's own when
#' absent), `threads`, `repeats`, `warmups`, `time_limit` for a trial, `seed` of the order.
#'
#' @param path A YAML file.
#' @return A list of class `plan_file` with these fields; [plan_bench()] makes trials of it.
#' @section Conditions: as for [read_shot()]; `clockpigeon_error_plan` when both `frames` and `probes` are given.
#' @examples
#' read_plan(demo_file("plans/review.yaml"))$repeats
#' @export
read_plan <- function(path) {
  plan <- read_record(path, plan_fields(), "plan_file")
  if (length(plan$frames) && length(plan$probes)) {
    stop_input("plan", "gives both frames and probes", short_path(path), "Write one of the two.")
  }
  plan
}
