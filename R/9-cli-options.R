# What can be written behind each command.

opt <- function(flag, help, type = "character", default = NULL) {
  list(flag = flag, help = help, type = type, default = default)
}

format_option <- opt("--format", "table, csv or json [table]", default = "table")
job_options <- list(
  opt("--shots", "shots of the job, with commas between [the job file's, the project's default, or all]"),
  opt("--engine", "engine, or several to choose among [the project's default]"),
  opt("--engine-version", "its version, or several [the project's default, or the newest measured]"),
  opt("--limits", "limits to choose among: own, 50% (of the samples), 'noise 0.02' [own]"),
  opt("--only", "sites, tiers, hires, starts or field=value to keep, such as saltmill,nodes=20 [all]"),
  opt("--without", "and to leave out [none]"),
  opt("--spreads", "also spread by ranges, bands, shares or layers, where a site can [whole frames]"),
  opt("--draws", "number of draws [2000]", "integer"),
  opt("--machine", "where frames were measured beside other work: busy again, or idle [busy]", default = "busy"),
  opt("--seed", "seed of the draws [1]", "integer")
)
choice_options <- list(
  opt("--deadline", "'fri 18:00', 'tomorrow 9:00', '2026-11-27 18:00', or a time from now: 30h"),
  opt("--budget", "such as 250EUR"),
  opt("--confidence", "chance asked for [0.9]", "double"),
  opt("--each", "ask the confidence of deadline and of budget alone, not of both together", "logical", FALSE),
  opt("--rule", "cheapest in time, fastest in budget, or best quality within both [cheapest]"),
  opt("--show", "figure: tradeoff, timeline, chance, cost or frames [tradeoff]", default = "tradeoff")
)
# Columns that are the same for all rows that come in.
row_columns <- c("job", "shot", "scene", "frame", "engine", "engine_version", "node", "device", "site", "tier", "limit_kind",
                 "limit_value", "width", "height", "threads", "kind")
row_options <- lapply(row_columns, function(name) opt(paste0("--", gsub("_", "-", name)), paste("column", name)))
figure_option <- opt("--figure", "also write the figure to this PNG file")

cli_options <- list(
  demo = list(opt("--keep", "folder for the demo project, to play with afterwards [a temporary one]"), format_option),
  bench = list(opt("--dry-run", "list the trials and what they should take, and run nothing", "logical", FALSE),
               opt("--resume", "go on with the plan's last run where it was interrupted", "logical", FALSE),
               opt("--node", "node that stands for this machine [here, when there is one]"),
               opt("--keep", "folder for the pictures [none are kept]"), figure_option, format_option),
  nodes = list(opt("--engine", "engine asked for [the project's default]"),
               opt("--engine-version", "its version: 4.2, or '>=4.1 <5' [the project's default]"),
               opt("--timeout", "seconds to wait for an answer [20]", "double", 20), format_option),
  import = c(list(
    opt("--as", "log, frames (a folder of finished ones), pictures, csv, json or jobs [told from the name]"),
    opt("--map", "columns of a table, such as frame=Nr,wall_s=Time"),
    opt("--writers", "pictures that were in work at once, where it is known", "integer")
  ), row_options, list(format_option)),
  jobs = list(format_option),
  record = c(list(
    opt("--time", "as it was said: 'about 15 min', 1h20m, or '24 fps' for playback"),
    opt("--activity", "render, playback, encode, ... [render]", default = "render"),
    opt("--status", "ok, failed, unusable, incomplete, ... [ok]"),
    opt("--frames-done", "of a time for many frames: how many were finished", "integer"),
    opt("--frames-asked", "and how many were asked", "integer"),
    opt("--began", "clock time, such as '2026-11-03 14:05'"), opt("--ended", "clock time"),
    opt("--note", "anything else")
  ), row_options),
  limit = list(
    opt("--noise", "noise target of the frame, a share of its brightness [what was judged clean enough, or 5%]"),
    opt("--tile-noise", "target of its worst tile [twice that]"),
    opt("--samples", "counts to probe at [4,16,64]", default = "4,16,64"),
    opt("--frames", "frames to probe [two, spread over the shot]"),
    opt("--size", "such as 320x180, or several with commas to see what size does [the shot's]"),
    opt("--rows", "only these rows of the frame, such as 65-128 [all]"),
    opt("--features", "to cross, to see what drives the time: bounces=2/32,denoise=on/off"),
    opt("--confidence", "chance asked for that the count meets the target [0.9]", "double", 0.9),
    opt("--site", "site whose price is shown"),
    opt("--engine", "engine [the project's default]"), opt("--engine-version", "its version [the newest]"),
    opt("--reference", "samples of a reference, for an engine without seeds", "integer"),
    opt("--plan", "scout at small sizes and propose the cheapest probes that answer", "logical", FALSE),
    opt("--error", "with --plan: error of the count that is asked for [10%]", default = "10%"),
    opt("--sheet", "also write the worst tiles at each count to this PNG file"),
    opt("--blind", "write them to this PNG file without saying which is which, and ask which are clean enough"),
    opt("--keep", "folder for the pictures [none are kept]"), figure_option, format_option
  ),
  probe = list(
    opt("--target", "half-width of the total's 80 % interval that is asked for [10%]", default = "10%"),
    opt("--budget", "time of probing after which no frame is begun, such as 20min [none]"),
    opt("--first", "frames spread over the shot that are measured first [3]", "integer", 3L),
    opt("--cheap", "a cheap pass over all frames: yes, no, or auto to decide by what it gains [auto]",
        default = "auto"),
    opt("--engine", "engine [the project's default]"), opt("--engine-version", "its version [the newest]"),
    opt("--node", "node that stands for this machine [here, when there is one]"),
    opt("--keep", "folder for the pictures [none are kept]"), figure_option, format_option
  ),
  picture = list(figure_option, format_option),
  compare = list(
    opt("--by", paste0("factor studied: ", paste(names(compare_factors), collapse = ", "),
                       " [what the project's plan studies, or engine_version]")),
    opt("--across", "compare also what differs in more, and say in what", "logical", FALSE),
    opt("--mix", "your own mix of scenes, such as gears=2,basin=1"),
    opt("--engine", "only this engine"), opt("--scene", "only this scene"),
    opt("--smallest", "smallest difference of interest, as a share [0.02]", "double", 0.02),
    figure_option, format_option
  ),
  backtest = list(opt("--probes", "numbers of frames that are left of a shot [3,5,8]", default = "3,5,8"),
                  figure_option, format_option),
  sites = list(format_option),
  bill = list(opt("--site", "site [the usage's]"), opt("--tier", "its tier [the usage's, or the first]"),
              opt("--hire", "its hire class [the usage's, or the first]"), opt("--engine", "engine [the usage's]"),
              opt("--on", "date of the bill, such as 2026-11-03 [the usage's, or today]"),
              opt("--to", "currency to show it in as well [the project's]"), format_option),
  check = list(opt("--site", "site that they are to go to [every site is asked]"),
               opt("--against", "a finished frame, to hold its size and samples against what was asked"),
               opt("--engine", "engine [the project's default]"), format_option),
  scan = list(opt("--engine", "engine whose profile tells how [the project's default]"), format_option),
  pack = list(opt("--out", "folder for the parcels [this one]", default = "."), format_option),
  unpack = list(opt("--into", "folder that is not there yet [the parcel's name]")),
  forecast = c(job_options, list(format_option)),
  choose = c(job_options, choice_options, list(
    opt("--test-frames", "also say whether so many trial frames at the leading sites would be worth it", "integer"),
    opt("--split", "also say how several sites together could do it at least cost", "logical", FALSE),
    opt("--record", "also write the decision down: as job NAME in the ledger, as NAME.json and NAME.md"), figure_option, format_option
  )),
  report = c(job_options, choice_options, list(opt("--out", "file to write [report.html]", default = "report.html"),
                                               figure_option)),
  help = list()
)

cli_arguments <- c(jobs = "[JOB]", bench = "[PLAN]", limit = "[SHOT]", probe = "[SHOT]", picture = "A B", sites = "[SITE]",
                   check = "[SHOT]", forecast = "[JOB]", choose = "[JOB]", report = "[JOB]", scan = "SCENE",
                   pack = "[SHOT]", unpack = "PARCEL", bill = "USAGE",
                   import = "FILE...",
                   help = "[COMMAND]")

cli_parser <- function(command) {
  options <- lapply(cli_options[[command]], function(o) {
    name <- gsub("-", "_", sub("^--", "", o$flag))
    if (o$type == "logical") {
      return(optparse::make_option(o$flag, action = "store_true", default = FALSE, help = o$help, dest = name))
    }
    optparse::make_option(o$flag, type = o$type, default = o$default, help = o$help, dest = name,
                          metavar = if (o$type == "character") "TEXT" else "NUMBER")
  })
  usage <- paste("clockpigeon", command, "[OPTIONS]", if (command %in% names(cli_arguments)) cli_arguments[[command]])
  optparse::OptionParser(usage = usage, option_list = options, add_help_option = FALSE)
}

# Options and arguments of a command: list(options, args). What optparse refuses becomes an error of ours.
cli_parse <- function(command, args) {
  refuse <- function(e) {
    what <- sub("\\.?$", "", gsub("\\s+", " ", sub("^Error in getopt.*?: ", "", trimws(conditionMessage(e)))))
    stop_input("usage", what, paste("clockpigeon", command), paste0("See clockpigeon help ", command, "."))
  }
  arguments <- if (command == "import") c(1, Inf) else if (command == "picture") 2 else if (command == "unpack") 1
               else if (command %in% names(cli_arguments)) c(0, 1) else 0
  parsed <- tryCatch(optparse::parse_args(cli_parser(command), args, positional_arguments = arguments), error = refuse,
                     warning = refuse)
  if (!is.null(parsed$options$format)) check_choice(parsed$options$format, "option --format", c("table", "csv", "json"))
  parsed
}

# Writes a result to standard output in the format asked for; `lines` makes the table.
cli_emit <- function(x, format, lines) {
  if (format == "table") show_lines(lines())
  else if (format == "csv") utils::write.csv(as_frame(x), row.names = FALSE, na = "")
  else cat(jsonlite::toJSON(as_frame(x), dataframe = "rows", na = "null", digits = NA, pretty = TRUE), "\n", sep = "")
}

cli_note <- function(...) cat(..., "\n", sep = "", file = stderr())
