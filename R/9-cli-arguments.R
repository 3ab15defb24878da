# Arguments and options of each command.

cli_option <- function(flag, help, type = "character", default = NULL) {
  list(flag = flag, help = help, type = type, default = default)
}

format_option <- cli_option("--format", "table, csv or json [table]", default = "table")
job_options <- list(
  cli_option(
    "--shots", paste0("shots of the job, separated by commas [the job file's, else the ",
                      "project's, else all]")),
  cli_option("--engine", "engine, or several to compare [the project's default]"),
  cli_option("--engine-version",
             "version, or several [the project's default, else the newest measured]"),
  cli_option(
    "--limits", "limits to compare: own (the shot's), 50% of its samples, 'noise 0.02' [own]"),
  cli_option(
    "--only",
    "sites, tiers, hires, starts or field=value to consider: saltmill,nodes=20 [all]"),
  cli_option("--without", "sites, tiers, hires, starts or field=value to exclude [none]"),
  cli_option("--spreads",
             "also split frames into ranges, bands, shares or layers [whole frames]"),
  cli_option("--done", "finished frames, such as 'gears 1-300; basin 1-20' [none]"),
  cli_option("--draws", "number of simulated outcomes [2000]", "integer"),
  cli_option("--as-is", "ignore corrections learned from past jobs", "logical", FALSE),
  cli_option("--machine",
             "state of a machine on which busy timings were measured: busy or idle [busy]",
             default = "busy"),
  cli_option("--seed", "seed of the simulation [1]", "integer")
)
question_options <- list(
  cli_option("--deadline",
             paste0("'fri 18:00', 'tomorrow 9:00', '2026-11-27 18:00', or a time from now: 30h ",
                    "[the job's, else the project's, else none]")),
  cli_option("--budget", "maximum cost, such as 250EUR [the job's, else the project's, else none]"),
  cli_option("--confidence", "required chance of keeping the limits [0.9]", "double"),
  cli_option("--each", "apply the confidence to deadline and budget separately",
             "logical", FALSE),
  cli_option(
    "--rule", "cheapest in time, fastest in budget, or best quality in both [cheapest]"),
  cli_option(
    "--plan", paste0("your own plan or a recorded decision, to compare with the best: a YAML ",
                     "or JSON file [none]"))
)
choice_options <- c(question_options, list(
  cli_option("--show", "figure to write: tradeoff, timeline, chance, cost or frames [tradeoff]",
             default = "tradeoff")
))
# Columns that are the same for all rows that come in.
row_columns <- c("job", "shot", "scene", "frame", "engine", "engine_version", "node", "device",
                 "site", "tier", "limit_kind", "limit_value", "width", "height", "threads", "kind")
row_options <- lapply(row_columns,
                      function(name)
                      cli_option(paste0("--", gsub("_", "-", name)), paste("column", name)))
figure_option <- cli_option("--figure", "write the figure to this PNG file [none]")

verify_options <- list(
  cli_option(
    "--frames", "frames the folder should have, such as 1-240 [its shot's, else first to last]"),
  cli_option("--reference",
             "folder of correct pictures, or one picture [frames of the job's trial]"),
  cli_option("--quick", "check only names, headers and ends of files", "logical", FALSE),
  cli_option("--again", "set unusable frames aside, so that `place` renders them again",
             "logical", FALSE),
  cli_option("--sheet", "write suspect frames next to their neighbours to this PNG file [none]"),
  cli_option(
    "--film", "make a film of the sequence and count its frames (needs ffmpeg) [none]"),
  cli_option("--rate", "frames per second of the film [25]", default = "25"),
  cli_option("--list", "rows for csv and json: findings, frames (verdicts) or again [findings]",
             default = "findings"),
  format_option)
settle_options <- list(
  cli_option("--bill", "bill from the site, CSV or JSON [the bill in the ledger]"),
  cli_option("--forget", "withdraw an imported bill: its file or file name"),
  cli_option("--site", "site that sent the bill [the only rented site of the job]"),
  cli_option("--all", "also show steps of 0", "logical", FALSE),
  cli_option("--dispute",
             "write a letter about overcharges to this file, as .md and .json [none]"),
  cli_option(
    "--export", paste0(
      "write the lines to this CSV file, with the columns of the FinOps Open Cost ",
      "and Usage Specification [none]")),
  cli_option("--list", "rows for csv and json: steps, findings or lines [steps]",
             default = "steps"),
  figure_option,
  format_option)
week_options <- list(
  cli_option("--budget", "maximum cost of all jobs together, such as 250EUR [none]"),
  cli_option("--confidence", "required chance of keeping that budget [0.9]", "double"),
  cli_option("--only", "sites to consider, such as attic,saltmill [all]"),
  cli_option("--without", "sites to exclude [none]"),
  cli_option("--draws", "number of simulated outcomes; half tune the plan, half test it [2000]",
             "integer"),
  cli_option("--seed", "seed of the simulation [1]", "integer"), figure_option, format_option
)

ledger_options <- list(
  cli_option(
    "--before", "archive: timings measured before this day, such as 2025-01-01"),
  format_option
)

learned_options <- list(
  cli_option("--list", "rows for csv and json: scores, corrections or rates [scores]",
             default = "scores"),
  figure_option,
  format_option)

page_options <- c(job_options, question_options[1:5], list(
  cli_option("--port", "port on the loopback address [a free one]", "integer", 0L),
  cli_option("--no-open", "do not open the browser", "logical", FALSE),
  cli_option("--for", "stop the server after this time, such as 8h [never]")))

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
