# Job files: the question of a forecast or a choice, kept to be asked again.

# Fields of a job file.
job_fields <- function() list(
  job = field(a_name(), required = TRUE),
  about = field(a_text()),
  shots = field(text_field(), required = TRUE),
  engines = field(text_field()),
  versions = field(versions_type()),
  limits = field(limits_type()),
  deadline = field(a_deadline()),
  budget = field(a_money()),
  confidence = field(a_number(above = 0, most = 0.999)),
  rule = field(one_of("cheapest", "fastest", "best")),
  only = field(text_field()),
  without = field(text_field()),
  spreads = field(words_of(spread_kinds)),
  draws = field(a_count()),
  seed = field(a_count())
)

# Limits to choose among: `own`, shares of the samples ("50 %"), or a limit as `noise 0.02`.
limit_choices <- function(x, where) {
  x <- trimws(check_texts(x, where))
  for (one in x) parse_limit_choice(one, where)
  x
}

# A limit as it is typed: `own`, `50 %`, `samples 256`, `noise 2 %` or `time 90 s`.
parse_limit_choice <- function(text, where) {
  if (text == "own") return(NULL)
  if (grepl("%$", text) && !grepl(" .* ", text) && !grepl("^[a-z]", text)) {
    percent_field(text, where)
    return(text)
  }
  part <- regmatches(text, regexec("^(samples|noise|time)\\s+(.+)$", text))[[1]]
  if (!length(part)) {
    stop_input("limit", paste("got", show_value(text)), where,
               "Write own, a share of the samples such as 50 %, or a limit such as noise 0.02.")
  }
  number <- suppressWarnings(as.numeric(part[3]))
  value <- if (part[2] == "time") part[3] else if (grepl("%$", part[3]))
    percent_field(part[3], where) / 100 else number
  check_limit(stats::setNames(list(value), part[2]), where)
}

#' Read a job file
#'
#' The question of a forecast or a choice, kept in a file so that it can be asked again. Fields:
#' `job` (its name), `about`; `shots` (names of the project's); `engines` and `versions` to choose
#' among; `limits` to choose among (`own`, a share of the samples such as `50 %`, or a limit such as
#' `noise 0.02`); `deadline` and `budget`; `confidence`; `rule` (cheapest, fastest, best); `only`
#' and `without` as in [plan_options()]; `spreads`; `draws` and `seed`.
#'
#' @param path A YAML file.
#' @return A list of class `cp_job_file` with these fields.
#' @section Conditions: as for [read_shot()], and `clockpigeon_error_deadline`, `_money`, `_limit`.
#' @noRd
read_job <- function(path) read_record(path, job_fields(), "cp_job_file")

# Types of its fields.
limits_type <- function() {
  field_type(limit_choices, one_or_list(text_schema(examples = c("own", "50 %", "noise 0.02"))))
}
