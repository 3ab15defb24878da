# Help of the command line: commands by stage; for one command examples, then options in groups.

# The commands by the stage of the work, as `help` lists them.
help_stages <- list(
  "Set up" = c("new", "engine", "nodes", "demo"),
  Prepare = c("check", "scan", "pack", "unpack"),
  Measure = c("bench", "limit", "probe", "picture", "compare", "import", "record"),
  Decide = c("sites", "bill", "forecast", "choose", "next", "week"),
  Render = c("place", "watch", "pause", "resume", "stop", "fetch", "delete", "verify"),
  Afterwards = c("settle", "learned", "backtest", "report"),
  Project = c("page", "jobs", "ledger", "standin", "help")
)

# Examples of each command for the demo project, in the order of the work: a job is recorded,
# placed, watched and settled. `scan` needs a scene of POV-Ray; `pack` refuses the demo's shots,
# which are incomplete on purpose.
help_examples <- list(
  demo = c("demo", "demo --keep demo", "demo --circle"),
  new = c("new harbour", "new harbour-usd --currency USD", "new harbour-night --name 'Night'"),
  engine = c("engine list", "engine new quern --command 'quern {scene} -f {frame} -o {output}'",
             "engine try pebble gears-review --keep pictures"),
  nodes = c("nodes", "nodes --engine pebble", "nodes --timeout 5 --format csv"),
  check = c("check", "check gears --site quayside", "check gears --engine sundew"),
  scan = c("scan scene.pov --engine povray", "scan scene.pov --engine povray --format json"),
  pack = c("pack gears", "pack gears --out parcels"),
  unpack = c("unpack gears.parcel", "unpack gears.parcel --into received"),
  bench = c("bench review --dry-run", "bench --shots gears-review --frames 1,4 --repeats 1",
            "bench review"),
  limit = c("limit gears-review --samples 1,4", "limit gears-review --noise 5%",
            "limit gears-review --plan"),
  probe = c("probe gears-review", "probe gears-review --target 20%",
            "probe gears-review --budget 1min"),
  picture = c("picture pictures/try-0001.png frame-0001.png",
              "picture a.png b.png --figure difference.png", "picture a.png b.png --format json"),
  compare = c("compare", "compare --by device --engine sundew",
              "compare --by engine_version --mix gears=2,basin=1"),
  import = c("import sample-timings.csv --dry-run", "import sample-timings.csv",
             "import sample-timings.csv --undo"),
  record = c("record --time 'about 15 min' --shot gears --frame 120",
             "record --time 1h20m --shot gears --frames-done 24 --frames-asked 24",
             "record --time '24 fps' --activity playback --shot gears"),
  sites = c("sites", "sites saltmill", "sites --format csv"),
  bill = c("bill gears-saltmill", "bill gears-saltmill --on 2026-11-03",
           "bill basin-highgarret --to EUR"),
  forecast = c("forecast film", "forecast film --only attic,quayside",
               "forecast --shots gears --engine sundew"),
  choose = c("choose film", "choose film --deadline 30h --budget 250EUR",
             "choose --only attic,nodes=1 --deadline 2h --record cut-1"),
  "next" = c("next film", "next film --deadline 30h", "next film --do 5min"),
  week = c("week", "week film --budget 250EUR", "week --only attic,quayside"),
  place = c("place cut-1", "place cut-1 --trial", "place cut-1 --yes"),
  watch = c("watch cut-1", "watch cut-1 --once", "watch cut-1 --once --ways"),
  pause = "pause cut-1", resume = "resume cut-1", stop = "stop cut-1",
  fetch = c("fetch cut-1", "fetch cut-1 --wait", "fetch cut-1 --format json"),
  delete = c("delete cut-1", "delete cut-1 --yes"),
  verify = c("verify cut-1", "verify cut-1 --quick", "verify cut-1 --sheet suspects.png"),
  settle = c("settle cut-1", "settle cut-1 --bill bill.csv", "settle cut-1 --dispute letter"),
  learned = c("learned", "learned --list corrections", "learned --figure learned.png"),
  backtest = c("backtest", "backtest --probes 3,5", "backtest --figure backtest.png"),
  report = c("report film", "report film --out film.html", "report --settled cut-1"),
  page = c("page", "page film", "page --no-open --for 8h"),
  jobs = c("jobs", "jobs gears-final", "jobs --format csv"),
  ledger = c("ledger state", "ledger move ledger.sqlite copy.sqlite",
             "ledger archive --before 2025-01-01"),
  standin = c("standin", "standin saltmill --speed 60", "standin --misbehave fail=5%")
)

# Options of a long command by what they are about, the most used first. The others are under More.
help_groups <- list(
  Question = c("--deadline", "--budget", "--confidence", "--rule"),
  Job = c("--shots", "--engine", "--engine-version", "--limits", "--only", "--without", "--done",
          "--engines", "--frames", "--sizes", "--threads", "--devices", "--repeats"),
  Action = c("--why", "--changes", "--all", "--record", "--do", "--ways", "--what-if",
             "--test-frames", "--once", "--trial", "--yes", "--dry-run", "--resume", "--undo"),
  Output = c("--format", "--figure", "--show", "--out", "--sheet", "--list", "--dispute")
)

# Name of an option's value where it is not just a text.
help_option_values <- c(
  "--deadline" = "WHEN", "--budget" = "LIMIT", "--figure" = "FILE", "--sheet" = "FILE",
  "--blind" = "FILE", "--out" = "PATH", "--plan" = "FILE", "--bill" = "FILE", "--film" = "FILE",
  "--dispute" = "FILE", "--export" = "FILE", "--keep" = "FOLDER", "--into" = "FOLDER",
  "--record" = "NAME", "--site" = "SITE", "--engine" = "ENGINE", "--engine-version" = "VERSION",
  "--node" = "NODE", "--shots" = "SHOTS", "--frames" = "FRAMES", "--only" = "SITES",
  "--without" = "SITES", "--format" = "FORM", "--for" = "TIME", "--time" = "TIME"
)

help_option_label <- function(option) {
  plain <- switch(option$type, logical = "", character = "TEXT", "N")
  value <- if (nzchar(plain))
    c(help_option_values[names(help_option_values) == option$flag], plain)[[1]]
  paste(c(option$flag, value), collapse = " ")
}

# Options under headings: a few under one, many by group.
help_grouped_options <- function(options, few = 7) {
  flags <- vapply(options, `[[`, "", "flag")
  if (length(flags) <= few) return(list(Options = options))
  is_column <- startsWith(vapply(options, `[[`, "", "help"), "column ")
  groups <- lapply(help_groups, function(group) {
    options[match(intersect(group, flags[!is_column]), flags)]
  })
  rest <- options[!is_column & !flags %in% unlist(help_groups)]
  Filter(length, c(groups, list(More = rest, "Columns of every row" = options[is_column])))
}

help_option_lines <- function(option, width, wide = 26) {
  label <- paste0("  ", help_option_label(option))
  help <- strwrap(option$help, max(width - wide, 20))
  if (nchar(label) > wide - 2) return(c(label, paste0(strrep(" ", wide), help)))
  paste0(formatC(c(label, rep("", length(help) - 1)), width = -wide), help)
}

# Help of one command.
help_command_lines <- function(command, row, width = min(terminal_width(), 100)) {
  groups <- Filter(length, help_grouped_options(row$options))
  c(
    wrap_lines(paste0("clockpigeon ", command, ": ", row$about), width),
    "",
    wrap_lines(paste(c("Usage: clockpigeon", command, if (nzchar(row$arguments)) row$arguments,
                       if (length(row$options)) "[OPTIONS]"), collapse = " "), width),
    "",
    if (length(help_examples[[command]]))
      c("Examples", paste0("  clockpigeon ", help_examples[[command]]), ""),
    unlist(Map(function(title, options) {
      c(title, unlist(lapply(options, help_option_lines, width)), "")
    }, names(groups), groups), use.names = FALSE),
    if (length(row$more)) row$more()
  )
}

help_overview_lines <- function(commands) {
  line <- function(name) sprintf("  %-9s %s", name, commands[[name]]$about)
  lines <- Map(function(stage, names) c(stage, vapply(names, line, ""), ""),
               names(help_stages), help_stages)
  c("Clock Pigeon measures, forecasts and places render jobs.", "",
    "Usage: clockpigeon COMMAND [OPTIONS], in a project folder.", "",
    unlist(lines, use.names = FALSE),
    "clockpigeon help COMMAND shows examples and options; --version prints the version.",
    "Try the examples in the demo project: clockpigeon demo --keep demo; cd demo",
    "Exit status: 0 done, 1 failed, 2 bad input or usage, 3 done but no option fits.")
}

# Print the help of all `commands` or of one.
cli_help <- function(args, commands) {
  command <- setdiff(args, "help")
  if (!length(command)) {
    show_lines(help_overview_lines(commands))
    return(0L)
  }
  if (!command[1] %in% names(commands)) {
    stop_input("usage", paste0("no command '", command[1], "'"), instead = "See clockpigeon help.")
  }
  show_lines(help_command_lines(command[1], commands[[command[1]]]))
  0L
}
