# Benchmark plans as files.

# Fields of a benchmark plan.
plan_fields <- function() list(
  plan = field(a_name(), required = TRUE),
  about = field(a_text()),
  shots = field(text_field(), required = TRUE),
  engines = field(records_of(list(engine = field(a_text(), required = TRUE),
                                  versions = field(versions_type()))),
                  required = TRUE),
  frames = field(frame_set_type()),
  probes = field(a_count()),
  limits = field(records_of(limit_fields())),
  sizes = field(resolutions_type()),
  threads = field(counts_type(), default = NA_integer_),
  features = field(crossed_features()),
  devices = field(device_sets()),
  nodes = field(text_field()),
  on_loss = field(one_of("move", "wait"), default = "wait"),
  study = field(one_of(names(compare_factors))),
  repeats = field(repeats_type(), default = 2L),
  warmups = field(a_count(least = 0), default = 1L),
  time_limit = field(a_duration(), default = 600),
  seed = field(a_count(least = 0), default = 1L)
)

# Features to cross: names, each with its values as text.
check_features <- function(x, where) {
  if (!is.list(x) || !length(x) || is.null(names(x)) || !all(nzchar(names(x)))) {
    stop_input("type", paste("got", show_value(x)), where,
               "Write `name: [value, value]` for each feature.")
  }
  Map(function(values, name) {
    values <- unlist(values)
    if (is.numeric(values)) values <- format(values, trim = TRUE, scientific = FALSE)
    check_texts(values, paste0(where, "$", name))
  }, x, names(x))
}

repeats_field <- function(x, where) {
  if (!is.list(x)) return(check_count(x, where))
  share <- function(x, where) {
    number <- if (is.character(x)) regmatches(x, regexec("^([0-9.]+) *%$", x))[[1]][2]
    check_number(if (length(number)) as.numeric(number) / 100 else x, where, above = 0, most = 1)
  }
  x <- check_fields(x, list(target = field(field_type(share), default = 0.03),
                            least = field(a_count(), default = 3L),
                           most = field(a_count(), default = 20L),
                            budget = field(a_duration(), default = Inf)),
                   where)
  do.call(repeat_rule, x)
}

new_repeat_until <- record_type("cp_repeat_until", target = is.numeric, least = is.integer,
                                most = is.integer, budget = anything)

# Values of a plan's `repeats` other than a number: every setting runs `least` times. Settings whose
# mean is not yet known well enough (`target`, the relative half-width of the 95 % interval of its
# mean log time) run on, block by block, up to `most` times or until the `budget` of the run is
# used, in s or as "20 min".
#
# The interval allows for a look after every run: each look takes 98 % to promise 95 % (checked by
# simulation: 94.6 to 98.4 %).
repeat_rule <- function(target = 0.03, least = 3, most = 20, budget = Inf) {
  if (is.character(budget))
    budget <- parse_duration(check_text(budget, argument("budget")), argument("budget"))
  least <- check_count(least, argument("least"), least = 2)
  if (!identical(budget, Inf)) budget <- check_number(budget, argument("budget"), above = 0)
  new_repeat_until(list(target = check_number(target, argument("target"), above = 0, most = 1),
                        least = least,
                        most = check_count(most, argument("most"), least = least), budget = budget))
}

#' Read a benchmark plan
#'
#' Fields of the file: `plan` (name), `about`, `shots` (names), `engines` (a list of `engine` and
#' `versions`), `frames` (a frame set) or `probes` (that many frames spread over each shot),
#' `limits` and `sizes` (each shot's own when absent), `threads`, `devices` (`all` of a node's, what
#' is `shared` with others, or sets such as `gpu`, `gpu 0`, `gpu 0+1` and `cpu 0`, each of which
#' every setting runs on), `features` (such as `denoise: ["on", "off"]`: each name with its values),
#' `nodes` (names: every setting runs on each), `on_loss` (whether the trials of a node that
#' vanishes `move` to another or `wait` for it), `study` (the factor studied: at least two levels of
#' it must be there), `repeats` (a count, or `target`, `least`, `most` and `budget` as in
#' [plan_bench()]), `warmups`, `time_limit` for a trial, `seed` of the order.
#'
#' @param path A YAML file.
#' @return A list of class `plan_file` with these fields; [plan_bench()] makes trials of it.
#' @section Conditions: as for [read_shot()]; `clockpigeon_error_plan` when both `frames` and
#'   `probes` are given.
#' @examples
#' read_plan(demo_file("plans/review.yaml"))$repeats
#' @export
read_plan <- function(path) {
  plan <- read_record(path, plan_fields(), "cp_plan_file")
  if (length(plan$frames) && length(plan$probes)) {
    stop_input("plan", "gives both frames and probes", short_path(path), "Write one of the two.")
  }
  plan
}

# Types of its fields.
repeats_type <- function() {
  field_type(repeats_field,
             list(anyOf = list(list(type = "integer", minimum = 1), list(type = "object"))))
}
crossed_features <- function() field_type(check_features, list(type = "object"))
