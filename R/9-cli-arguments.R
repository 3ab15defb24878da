# Arguments and options of each command.

cli_option <- function(flag, help, type = "character", default = NULL) {
  list(flag = flag, help = help, type = type, default = default)
}

format_option <- cli_option("--format", "table, csv or json [table]", default = "table")
job_options <- list(
  cli_option(
    "--shots", paste0("shots of the job, with commas between [the job file's, the project's ",
                      "default, or all]")),
  cli_option("--engine", "engine, or several to choose among [the project's default]"),
  cli_option("--engine-version",
             "its version, or several [the project's default, or the newest measured]"),
  cli_option("--limits", "limits to choose among: own, 50% (of the samples), 'noise 0.02' [own]"),
  cli_option(
    "--only",
    "sites, tiers, hires, starts or field=value to keep, such as saltmill,nodes=20 [all]"),
  cli_option("--without", "sites, tiers, hires, starts or field=value to leave out [none]"),
  cli_option("--spreads",
             "also spread by ranges, bands, shares or layers, where a site can [whole frames]"),
  cli_option("--done", "frames that are done already, such as 'gears 1-300; basin 1-20' [none]"),
  cli_option("--draws", "number of draws [2000]", "integer"),
  cli_option("--as-is", "leave forecasts as they are: past jobs correct nothing", "logical", FALSE),
  cli_option("--machine",
             "if frames were measured on a busy machine: busy again, or idle [busy]",
             default = "busy"),
  cli_option("--seed", "seed of the draws [1]", "integer")
)
question_options <- list(
  cli_option("--deadline",
             "'fri 18:00', 'tomorrow 9:00', '2026-11-27 18:00', or a time from now: 30h"),
  cli_option("--budget", "such as 250EUR"),
  cli_option("--confidence", "chance asked for [0.9]", "double"),
  cli_option("--each", "ask the confidence of deadline and of budget alone, not of both together",
             "logical", FALSE),
  cli_option(
    "--rule", "cheapest in time, fastest in budget, or best quality within both [cheapest]"),
  cli_option(
    "--plan", paste0("a plan of your own, or a decision's record, to compare with the best: a ",
                     "YAML or JSON file"))
)
choice_options <- c(question_options, list(
  cli_option("--show", "figure: tradeoff, timeline, chance, cost or frames [tradeoff]",
             default = "tradeoff")
))
# Columns that are the same for all rows that come in.
row_columns <- c("job", "shot", "scene", "frame", "engine", "engine_version", "node", "device",
                 "site", "tier", "limit_kind", "limit_value", "width", "height", "threads", "kind")
row_options <- lapply(row_columns,
                      function(name)
                      cli_option(paste0("--", gsub("_", "-", name)), paste("column", name)))
figure_option <- cli_option("--figure", "also write the figure to this PNG file")

verify_options <- list(
  cli_option(
    "--frames", "frames that a folder is to have, such as 1-240 [its shot's, or first to last]"),
  cli_option("--reference",
             "folder of pictures that are right, or one of them [what trials of the job left]"),
  cli_option("--quick", "only names, headers and ends of files", "logical", FALSE),
  cli_option("--again", "set frames of a job aside that are not usable: `place` renders them again",
             "logical", FALSE),
  cli_option("--sheet", "also write suspects next to their neighbours to this PNG file"),
  cli_option(
    "--film", "also make this film of the one sequence there is, and count it (needs ffmpeg)"),
  cli_option("--rate", "its pictures a second [25]", default = "25"),
  cli_option("--list", "csv and json list: findings, frames (verdicts), again [findings]",
             default = "findings"),
  format_option)
settle_options <- list(
  cli_option("--bill", "the file that the site sent, CSV or JSON [the bill that the ledger has]"),
  cli_option("--forget", "withdraw a bill that was read: its file, or the name that the file had"),
  cli_option("--site", "whose bill it is [the only site that is no pool of yours]"),
  cli_option("--all", "show steps that change nothing too", "logical", FALSE),
  cli_option("--dispute",
             "also write a letter about overcharges to this file, .md and .json"),
  cli_option(
    "--export", paste0("also write the lines as CSV in the columns of the FinOps Open Cost and ",
                       "Usage Specification")),
  cli_option("--list", "csv and json list: steps, findings, lines [steps]", default = "steps"),
  figure_option,
  format_option)
week_options <- list(
  cli_option("--budget", "for all jobs together, such as 250EUR [none]"),
  cli_option("--confidence", "chance asked for of that budget [0.9]", "double"),
  cli_option("--only", "sites to keep, such as attic,saltmill [all]"),
  cli_option("--without", "sites to leave out [none]"),
  cli_option("--draws", "number of draws; half of them judge the plan that the others found [2000]",
             "integer"),
  cli_option("--seed", "seed of the draws [1]", "integer"), figure_option, format_option
)

ledger_options <- list(
  cli_option(
    "--before", paste0("for archive: the day before which timings were measured that are taken ",
                       "out, such as 2025-01-01")),
  format_option
)

learned_options <- list(
  cli_option("--list", "csv and json list: scores, corrections, rates [scores]",
             default = "scores"),
  figure_option,
  format_option)

page_options <- c(job_options, question_options[1:5], list(
  cli_option("--port", "port on the loopback address [a free one]", "integer", 0L),
  cli_option("--no-open", "do not open it in the browser", "logical", FALSE),
  cli_option("--for", "end after this time, such as 8h [never]")))

cli_parser <- function(command, row) {
  options <- lapply(row$options, function(o) {
    name <- gsub("-", "_", sub("^--", "", o$flag))
    if (o$type == "logical") {
      return(optparse::make_option(o$flag, action = "store_true", default = FALSE, help = o$help,
                                   dest = name))
    }
    optparse::make_option(o$flag, type = "character", help = o$help, dest = name,
                          metavar = if (o$type == "character") "TEXT" else "NUMBER")
  })
  usage <- trimws(paste("clockpigeon", command, "[OPTIONS]", row$arguments))
  optparse::OptionParser(usage = usage, option_list = options, add_help_option = FALSE)
}

# Options and arguments of a command: list(options, args). A refusal by optparse becomes an error of
# ours.
cli_parse <- function(command, row, args) {
  refuse <- function(e) {
    what <- sub("\\.?$", "",
                gsub("\\s+", " ", sub("^Error in getopt.*?: ", "", trimws(conditionMessage(e)))))
    stop_input("usage", what, paste("clockpigeon", command),
               paste0("See clockpigeon help ", command, "."))
  }
  flags <- vapply(row$options, `[[`, "", "flag")
  typed <- sub("=.*", "", grep("^--.", args, value = TRUE))
  odd <- setdiff(typed, flags)
  if (length(odd)) {
    near <- closest(odd[1], flags)
    stop_input("usage", paste("there is no option", shown_text(odd[1])),
               paste("clockpigeon", command),
               if (length(near)) paste0("Did you mean ", near, "?") else
               paste0("See clockpigeon help ", command, "."))
  }
  parsed <- tryCatch(
    optparse::parse_args(cli_parser(command, row), args, positional_arguments = row$arity),
    error = refuse, warning = refuse
  )
  for (option in row$options) parsed$options <- typed_option(parsed$options, option)
  if (!is.null(parsed$options$format))
    check_choice(parsed$options$format, "option --format", c("table", "csv", "json"))
  parsed
}

# An option as a value of its type, or its default.
typed_option <- function(options, option) {
  if (option$type == "logical") return(options)
  name <- gsub("-", "_", sub("^--", "", option$flag))
  text <- options[[name]]
  if (is.null(text)) {
    options[[name]] <- option$default
  } else if (option$type != "character") {
    where <- paste("option", option$flag)
    number <- suppressWarnings(as.numeric(text))
    if (is.na(number)) {
      stop_input("usage", paste("got", show_value(text)), where,
                 if (option$type == "integer") "Write a whole number." else "Write a number.")
    }
    options[[name]] <- if (option$type == "integer") check_count(number, where, least = 0) else
      number
  } else if (!nzchar(text) && !name %in% c("note", "ask_version")) {
    stop_input("usage", "got an empty text", paste("option", option$flag),
               "Leave it out, or write a value.")
  }
  options
}

# Writes a result to standard output in the format asked for; `lines` makes the table.
cli_emit <- function(x, format, lines) {
  if (format == "table") show_lines(lines())
  else if (format == "csv") write_csv(x, "")
  else cat(jsonlite::toJSON(as_frame(x), dataframe = "rows", na = "null", digits = NA,
                            pretty = TRUE), "\n", sep = "")
}

cli_note <- function(...)
  cat(printable_text(paste0(..., collapse = "")), "\n", sep = "", file = stderr())

parse_counts <- function(text, where) {
  counts <- suppressWarnings(as.numeric(strsplit(text, ",", fixed = TRUE)[[1]]))
  if (!length(counts) || anyNA(counts)) {
    stop_input("usage", paste("got", show_value(text)), where, "Write counts as 4,16,64.")
  }
  counts
}
