# Job files: what is asked of a forecast or a choice, to be asked again.

job_fields <- function() list(
  job = field(check_text, required = TRUE),
  about = field(check_text),
  shots = field(check_texts, required = TRUE),
  engines = field(check_texts),
  versions = field(version_field),
  limits = field(limit_choices),
  deadline = field(deadline_field),
  budget = field(money_field),
  confidence = field(function(x, where) check_number(x, where, above = 0, most = 0.999)),
  rule = field(choice_of("cheapest", "fastest", "best")),
  only = field(check_texts),
  without = field(check_texts),
  spreads = field(list_of_words(spread_kinds)),
  draws = field(whole),
  seed = field(whole)
)

# Limits to choose among: `own`, shares of the samples ("50 %"), or a limit as `noise 0.02`.
limit_choices <- function(x, where) {
  x <- trimws(check_texts(x, where))
  for (one in x) parse_limit_choice(one, where)
  x
}

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
  value <- if (part[2] == "time") part[3] else if (grepl("%$", part[3])) percent_field(part[3], where) / 100 else number
  check_limit(stats::setNames(list(value), part[2]), where)
}

#' Read a job file
#'
#' What is asked of a forecast or a choice, kept in a file so that it can be asked again. Fields: `job` (its name),
#' `about`; `shots` (names of the project's); `engines` and `versions` to choose among; `limits` to choose among (`own`,
#' a share of the samples such as `50 %`, or a limit such as `noise 0.02`); `deadline` and `budget`; `confidence`;
#' `rule` (cheapest, fastest, best); `only` and `without` as in [plan_options()]; `spreads`; `draws` and `seed`.
#'
#' @param path A YAML file.
#' @return A list of class `cp_job_file` with these fields.
#' @section Conditions: as for [read_shot()], and `clockpigeon_error_deadline`, `_money`, `_limit`.
#' @noRd
read_job <- function(path) read_record(path, job_fields(), "cp_job_file")
