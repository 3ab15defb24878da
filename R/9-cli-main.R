# The command line: the table of commands, dispatch, help and exit codes.

# Table of commands: one row has the purpose, the function that runs, its arguments and its options.
command_row <- function(about, run, arguments = "", arity = 0, options = list(), more = NULL) {
  list(about = about, run = run, arguments = arguments, arity = arity, options = options,
       more = more)
}

cli_commands <- list(
  demo = command_row(
    "run the demo: one job from timings to a choice",
    function(o, args) if (o$circle) cli_circle(o, cli_run) else cli_demo(o, args),
    options = list(
      cli_option(
        "--circle", "a job from its check to what is learned from it, at a farm that misbehaves",
        "logical", FALSE),
      cli_option(
        "--keep", "folder for the demo project, to play with afterwards [a temporary one]"),
      format_option)
  ),
  new = command_row(
    "start a project: a folder of commented files", function(o, args) cli_new(o, args),
    arguments = "FOLDER", arity = c(0, 1),
    options = list(cli_option("--name", "what it is called [the folder's name]"),
                   cli_option("--currency", "its currency [EUR]", default = "EUR"))
  ),
  engine = command_row(
    "describe your own renderer, and try one frame of it",
    function(o, args) cli_engine_command(o, args),
    arguments = "list | new NAME | try NAME [SHOT or SCENE]", arity = c(1, 3),
    options = list(
      cli_option("--command",
                 paste0("new: how one frame is rendered, with fields: 'prog {scene} -f {frame} -o ",
                        "{output}'")),
      cli_option("--ask-version",
                 "new: arguments with which it prints its version: --ask-version=--version"),
      cli_option("--picture", "new: png, pfm, exr or tiff [png]"),
      cli_option("--output-as",
                 paste0("new: where the picture is found, when the engine names it: ",
                        "'{stem}{frame:03}.png'")),
      cli_option("--frame", "try: frame [the shot's first]", "integer"),
      cli_option("--size", "try: such as 320x180 [the shot's, or that]"),
      cli_option(
        "--limits", "try: samples, or 'noise 2%' or 'time 5min' [the shot's, or 4 samples]"),
      cli_option("--threads", "try: threads [as the engine takes them]", "integer"),
      cli_option("--devices", "try: such as 'gpu 0' or 'cpu 0+1' [as the engine takes them]"),
      cli_option("--engine-version", "try: its version [the newest]"),
      cli_option("--keep", "try: folder for the picture [it is not kept]"), format_option
    ), more = function() profile_help()
  ),
  bench = command_row(
    "time real renders by a plan, and record them in the ledger",
    function(o, args) cli_bench(o, args), arguments = "[PLAN]", arity = c(0, 1),
    options = list(cli_option("--dry-run",
                              "list the trials and what they should take, and run nothing",
                              "logical", FALSE),
      cli_option("--resume", "go on with the plan's last run where it was interrupted", "logical",
                 FALSE),
      cli_option("--shots", "shots, with commas between [the plan's]"),
      cli_option("--engines",
                 paste0("engines, a version behind where it is asked for: 'sundew ",
                        "4.2,millrace' [the plan's]")),
      cli_option(
        "--frames", paste0("frames, such as 1,120 or 1-240 by 40 [the plan's, or three spread ",
                           "over each shot]")),
      cli_option(
        "--limits", paste0("such as 4,16 (samples) or 'noise 2%' or 'time 5min' [the plan's, ",
                           "or each shot's]")),
      cli_option("--sizes", "such as 320x180,640x360 [the plan's, or each shot's]"),
      cli_option("--threads", "such as 1,2 [the plan's, or as the engine takes them]"),
      cli_option("--devices",
                 paste0("such as 'gpu 0,gpu 0+1', 'cpu 0' or all [the plan's, or as the engine ",
                        "takes them]")),
      cli_option("--repeats", "number of runs of each setting [the plan's, or 2]", "integer"),
      cli_option("--node", "node that stands for this machine [here, when there is one]"),
      cli_option("--keep", "folder for the pictures [none are kept]"), figure_option, format_option)
  ),
  nodes = command_row(
    "check that each node is ready", function(o, args) cli_readiness(o, args),
    options = list(cli_option("--engine", "engine asked for [the project's default]"),
      cli_option("--engine-version", "its version: 4.2, or '>=4.1 <5' [the project's default]"),
      cli_option("--timeout", "seconds to wait for an answer [20]", "double", 20), format_option)
  ),
  import = command_row(
    "import timings from logs, folders of frames, pictures and tables",
    function(o, args) cli_import(o, args), arguments = "FILE...", arity = c(1, Inf),
    options = c(list(
      cli_option(
        "--as", paste0("log, frames (a folder of finished ones), pictures, csv, json or jobs ",
                       "[told from the name]")),
      cli_option(
        "--map",
        "columns of a table, or sums of them: frame=Nr,wall_s=user + sys,load_s=Ms / 1000"),
      cli_option("--dry-run", "show what would be taken, and write nothing", "logical", FALSE),
      cli_option(
        "--again", "import known files again; their earlier rows are withdrawn",
        "logical", FALSE),
      cli_option("--undo", "withdraw what these files gave", "logical", FALSE),
      cli_option(
        "--begun", "folders of frames: when work on them began, '2026-11-03 14:05' in UTC"),
      cli_option("--writers", "pictures that were in work at once, where it is known", "integer")
      ), row_options, list(format_option))
  ),
  jobs = command_row(
    "list the jobs of the ledger, or the events of one",
    function(o, args) cli_jobs_list(o, args), arguments = "[JOB]", arity = c(0, 1),
    options = list(format_option)
  ),
  record = command_row(
    "record a time that you read off a screen", function(o, args) cli_record(o, args),
    options = c(list(
      cli_option("--time", "the time: 'about 15 min', 1h20m, or '24 fps' for playback"),
      cli_option("--activity", "render, playback, encode, ... [render]", default = "render"),
      cli_option("--status", "ok, failed, unusable, incomplete, ... [ok]"),
      cli_option("--frames-done", "of a time for many frames: how many were finished", "integer"),
      cli_option("--frames-asked", "and how many were requested", "integer"),
      cli_option("--began", "clock time, such as '2026-11-03 14:05'"),
      cli_option("--ended", "clock time"),
      cli_option("--note", "anything else")
      ), row_options)
  ),
  limit = command_row(
    "find how many samples are enough, and the gain of the next doubling",
    function(o, args) cli_limit(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(
      cli_option(
        "--noise", paste0("noise target of the frame, a share of its brightness [what was ",
                          "judged clean enough, or 5%]")),
      cli_option("--tile-noise", "target of its worst tile [twice that]"),
      cli_option("--samples", "counts to probe at [4,16,64, or the next that the engine can do]"),
      cli_option("--frames", "frames to probe [two, spread over the shot]"),
      cli_option(
        "--size", "such as 320x180, or several with commas to see what size does [the shot's]"),
      cli_option("--rows", "only these rows of the frame, such as 65-128 [all]"),
      cli_option("--features",
                 "to cross, to see what drives the time: bounces=2/32,denoise=on/off"),
      cli_option("--confidence", "chance asked for that the count meets the target [0.9]", "double",
                 0.9),
      cli_option("--site", "site whose price is shown"),
      cli_option("--engine", "engine [the project's default]"),
      cli_option("--engine-version", "its version [the newest]"),
      cli_option("--reference", "samples of a reference, for an engine without seeds", "integer"),
      cli_option("--plan", "scout at small sizes and propose the cheapest probes that answer",
                 "logical", FALSE),
      cli_option("--error", "with --plan: required error of the count [10%]",
                 default = "10%"),
      cli_option("--sheet", "also write the worst tiles at each count to this PNG file"),
      cli_option(
        "--blind", paste0("write them to this PNG file without saying which is which, and ask ",
                          "which are clean enough")),
      cli_option("--keep", "folder for the pictures [none are kept]"), figure_option, format_option
      )
  ),
  probe = command_row(
    "measure frames of a shot until its total is precise enough",
    function(o, args) cli_probe(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(
      cli_option("--target", "required half-width of the total's 80 % interval [10%]",
                 default = "10%"),
      cli_option("--budget", "time of probing after which no frame starts, such as 20min [none]"),
      cli_option("--first", "frames spread over the shot that are measured first [3]", "integer",
                 3L),
      cli_option(
        "--cheap", paste0("a cheap pass over all frames: yes, no, or auto to decide by what it ",
                          "gains [auto]"),
      default = "auto"),
      cli_option("--engine", "engine [the project's default]"),
      cli_option("--engine-version", "its version [the newest]"),
      cli_option("--node", "node that stands for this machine [here, when there is one]"),
      cli_option("--keep", "folder for the pictures [none are kept]"), figure_option, format_option
      )
  ),
  picture = command_row(
    "compare two pictures: do they differ by more than noise?",
    function(o, args) cli_picture(o, args), arguments = "A B", arity = 2,
    options = list(figure_option, format_option)
  ),
  compare = command_row(
    "compare timings, like with like", function(o, args) cli_compare(o, args),
    options = list(
      cli_option("--by", paste0("factor studied: ", paste(names(compare_factors), collapse = ", "),
      " [what the project's plan studies, or engine_version]")),
      cli_option("--across", "compare also what differs in more, and say in what", "logical",
                 FALSE),
      cli_option("--mix", "your own mix of scenes, such as gears=2,basin=1"),
      cli_option("--engine", "only this engine"), cli_option("--scene", "only this scene"),
      cli_option("--activity", "what was timed: render, playback, prepass, simulate, ... [render]",
                 default = "render"),
      cli_option("--time", "wall or cpu seconds [wall]", default = "wall"),
      cli_option("--smallest", "smallest difference of interest, as a share [0.02]", "double",
                 0.02),
      figure_option, format_option
      )
  ),
  backtest = command_row(
    "test the forecasts on the ledger's own timings",
    function(o, args) cli_backtest(o, args),
    options = list(cli_option("--probes", "numbers of frames that are left of a shot [3,5,8]",
                              default = "3,5,8"),
      figure_option, format_option)
  ),
  sites = command_row(
    "show the project's rate cards, or one of them",
    function(o, args) cli_sites(o, args), arguments = "[SITE]", arity = c(0, 1),
    options = list(format_option)
  ),
  bill = command_row(
    "price the use of a job, to the cent", function(o, args) cli_bill(o, args), arguments = "USAGE",
    arity = c(0, 1),
    options = list(cli_option("--site", "site [the usage's]"),
                   cli_option("--tier", "its tier [the usage's, or the first]"),
      cli_option("--hire", "its hire class [the usage's, or the first]"),
                   cli_option("--engine", "engine [the usage's]"),
      cli_option("--on", "date of the bill, such as 2026-11-03 [the usage's, or today]"),
      cli_option("--to", "currency to show it in as well [the project's]"), format_option)
  ),
  check = command_row(
    "check shots before anything is sent or paid",
    function(o, args) cli_check(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(cli_option("--site", "site that they are for [every site is checked]"),
      cli_option("--against",
                 "a finished frame, to check its size and samples"),
      cli_option("--engine", "engine [the project's default]"), format_option)
  ),
  scan = command_row(
    "list the files that a text scene names, as a manifest",
    function(o, args) cli_scan(o, args), arguments = "SCENE", arity = c(0, 1),
    options = list(cli_option("--engine", "engine whose profile tells how [the project's default]"),
                   format_option)
  ),
  pack = command_row(
    "pack everything a shot needs into one parcel",
    function(o, args) cli_pack(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(cli_option("--out", "folder for the parcels [this one]", default = "."),
                   format_option)
  ),
  unpack = command_row(
    "unpack a parcel, and check every file against its list",
    function(o, args) cli_unpack(o, args), arguments = "PARCEL", arity = 1,
    options = list(cli_option("--into", "folder that is not there yet [the parcel's name]"))
  ),
  forecast = command_row(
    "forecast duration and cost of a job on every site",
    function(o, args) cli_forecast(o, args), arguments = "[JOB]", arity = c(0, 1),
    options = c(job_options, list(format_option))
  ),
  choose = command_row(
    "choose where to render, by deadline and budget",
    function(o, args) cli_choose(o, args), arguments = "[JOB]", arity = c(0, 1),
    options = c(job_options, choice_options, list(
      cli_option("--test-frames",
                 "also state the value of this many trial frames at the leading sites",
                 "integer"),
      cli_option("--why", "also say how time and cost come about, and what they rest on", "logical",
                 FALSE),
      cli_option("--changes", "also say what would change the pick, and what else could be done",
                 "logical", FALSE),
      cli_option("--all", "also list every option, and why sites are left out", "logical", FALSE),
      cli_option("--record",
                 paste0("also write the decision down: as job NAME in the ledger, as NAME.json ",
                        "and NAME.md")),
      figure_option, format_option
      ))
  ),
  "next" = command_row(
    "list what to measure next, and measure it", function(o, args) cli_next(o, args),
    arguments = "[JOB]", arity = c(0, 1), options = c(job_options, question_options, list(
      cli_option(
        "--do", paste0("also measure the best ones here, while they take no more than this, ",
                       "such as 20min or 5EUR")),
      format_option
      ))
  ),
  place = command_row(
    "place a decided job: render it here, send it, or write a sheet",
    function(o, args) cli_place(o, args),
    arguments = "JOB", arity = 1,
    options = list(
      cli_option("--yes", "place it without being asked", "logical", FALSE),
      cli_option("--trial", "only a few frames of each shot first; then look again", "logical",
                 FALSE),
      cli_option("--despite", "findings that may stand, by their codes: CODE,CODE"),
      cli_option("--frame-limit",
                 paste0("how long a frame may take here, such as 40min [three times the ",
                        "slowest of the forecast]")),
      format_option)
  ),
  pause = command_row(
    "pause a job: running frames finish, no others start",
    function(o, args) cli_order(args, "paused"),
    arguments = "JOB", arity = 1
  ),
  resume = command_row(
    "resume a paused job", function(o, args) cli_order(args, "resumed"),
    arguments = "JOB", arity = 1
  ),
  stop = command_row(
    "stop a job; finished frames stay", function(o, args) cli_order(args, "stopped"),
    arguments = "JOB", arity = 1
  ),
  fetch = command_row(
    "fetch frames and reports of a job from its sites",
    function(o, args) cli_fetch(o, args),
    arguments = "JOB", arity = 1,
    options = list(cli_option("--wait", "until all of it has ended and is here", "logical", FALSE),
                   format_option)
  ),
  delete = command_row(
    "delete a fetched job's files at its sites",
    function(o, args) cli_delete(o, args),
    arguments = "JOB", arity = 1, options = list(cli_option("--yes", "do it", "logical", FALSE))
  ),
  watch = command_row(
    "show progress, forecast and alarms of a placed job",
    function(o, args) cli_watch(o, args),
    arguments = "[JOB]", arity = c(0, 1),
    options = list(
      cli_option(
        "--frames", paste0("where its frames appear: FOLDER, or SITE=FOLDER,SITE=FOLDER [as it ",
                           "was told before]")),
      cli_option(
        "--placed", paste0("when it was placed, such as '2026-11-27 10:00' [as told before, or ",
                           "when it was decided]")),
      cli_option("--sent", "the frames not started were sent to the fallback, now",
                 "logical", FALSE),
      cli_option(
        "--claim", paste0("how much time a site says is left, such as 3h20m or SITE=3h20m: ",
                          "kept in addition to those given here")),
      cli_option(
        "--ways", "also say what would become of the rest elsewhere, and what a stop leaves",
        "logical", FALSE),
      cli_option("--what-if",
                 paste0(
        "also say what would be if that were changed now: tier=brisk, nodes=8, send SITE, ",
          "add SITE, stop; commas between")),
      cli_option(
        "--tell", paste0("also start a program or post (`tell` in clockpigeon.yaml) when an alarm ",
                         "rings, once for each"),
        "logical", FALSE),
      cli_option(
        "--once", paste0("say it once: on a terminal the screen is kept up to date, and json ",
                         "tells every change"), "logical",
        FALSE),
      cli_option("--every", "seconds between two looks [2]", "double", 2),
      cli_option(
        "--show", paste0("figure: belief (when it is done, as it was believed at each moment) ",
                         "or frames [belief]")),
      figure_option, format_option)
  ),
  verify = command_row(
    "check that received frames are complete and right", function(o, args) cli_verify(o, args),
    arguments = "[JOB|FOLDER]", arity = c(0, 1),
    options = verify_options
  ),
  settle = command_row(
    "compare a job's bill with its promise, meter and rate card",
    function(o, args) cli_settle(o, args),
    arguments = "[JOB]", arity = c(0, 1),
    options = settle_options
  ),
  learned = command_row(
    "score past forecasts, and show the corrections of the next",
    function(o, args) cli_learned(o),
    options = learned_options
  ),
  week = command_row(
    "plan all jobs with deadlines on your own nodes and sites",
    function(o, args) cli_week(o, args),
    arguments = "[JOB ...]", arity = c(0, 99), options = week_options
  ),
  ledger = command_row(
    "check the ledger, move it, archive old timings, grant rights", cli_ledger_command,
    arguments = "[state | move FROM TO | archive | grant ROLE read|write|correct]", arity = c(0, 3),
    options = ledger_options
  ),
  page = command_row(
    "open the project as a page in the browser of this machine",
    function(o, args) cli_page(o, args),
    arguments = "[JOB]", arity = c(0, 1), options = page_options
  ),
  standin = command_row(
    "serve a practice farm with the project's rate cards",
    function(o, args) cli_standin(o, args),
    arguments = "[SITE...]", arity = c(0, Inf),
    options = list(
      cli_option("--port", "port on this machine, 0 for any that is free [8470]", "integer", 8470L),
      cli_option("--speed", "seconds that pass there in one of yours [1]", "double", 1),
      cli_option(
        "--render", paste0("render frames for real with the project's engines [times are ",
                           "replayed from the ledger]"),
        "logical", FALSE),
      cli_option("--slots", "frames that are rendered at once [2]", "integer", 2L),
      cli_option("--misbehave",
                 paste0(
        "what goes wrong: freeze=2@5min:1h, slow=3@5min:2.5, lose=1@5min (node, when, how ",
          "long or how much), fail, corrupt, black, cut, doubled, delayed, disordered (a share: ",
          "5%), wait, late-cap, ",
          "skew, old-token (a time), version=1.0, prices=1.3; commas between")),
      cli_option("--seed", "of all that varies [1]", "integer", 1L),
      cli_option("--for", "how long it serves [until it is ended]"))
  ),
  report = command_row(
    "write the choice as an HTML page", function(o, args) cli_report(o, args), arguments = "[JOB]",
    arity = c(0, 1),
    options = c(job_options, choice_options,
                list(cli_option("--out", "file to write [report.html]", default = "report.html"),
      cli_option("--settled",
                 "a placed job: its promise and its outcome"),
                     figure_option))
  ),
  help = command_row(
    "explain a command", function(o, args) cli_help(args), arguments = "[COMMAND]",
    arity = c(0, 1), options = list()
  )
)

#' The command line
#'
#' Entry point of the `clockpigeon` program. Data goes to standard output, progress and notes to
#' standard error.
#'
#' @param args Character vector of arguments; those of the R process when absent.
#' @return The exit status, invisibly: 0 done, 1 failed, 2 bad input or usage, 3 done but no option
#'   fits. As a program, `install_launcher()` makes of it a process that ends with this status.
#' @section Conditions: none; errors are printed on standard error and become a status.
#' @examples
#' cli("--version")
#' cli(c("help", "compare"))
#' @export
cli <- function(args = commandArgs(trailingOnly = TRUE)) {
  fail <- function(e, status) {
    cat("clockpigeon: ", printable_text(conditionMessage(e)), "\n", sep = "", file = stderr())
    status
  }
  # As a program it says of its output whether it arrived; called from R it prints as anything does.
  run <- if (missing(args)) function() with_output(cli_run(args)) else function() cli_run(args)
  status <- tryCatch(
    run(),
    clockpigeon_error = function(e) fail(e, 2L), error = function(e) fail(plain_error(e), 1L),
    interrupt = function(e) fail(simpleCondition("interrupted"), 1L)
  )
  invisible(as.integer(status))
}

# An error of another program's making, in one line; one that a child process reports, as that one
# says it.
plain_error <- function(e) {
  said <- c(conditionMessage(e), if (length(e$parent)) conditionMessage(e$parent))
  simpleCondition(shown_text(paste(trimws(gsub("\\s+", " ", said)), collapse = ": "), 300))
}

# Input that no command can use: arguments that are not text, an unknown time zone.
cli_check_world <- function(args) {
  odd <- which(!validUTF8(args))
  if (length(odd)) {
    stop_input("usage", paste("got", show_value(args[odd[1]])), "an argument", "Write it in UTF-8.")
  }
  zone <- Sys.getenv("TZ")
  if (nzchar(zone) && !sub("^:", "", zone) %in% OlsonNames() &&
      !grepl("^:?[A-Za-z]{3,}[-+]?[0-9]", zone)) {
    stop_input("time_zone", paste("got", show_value(zone)), "environment variable TZ",
               "Write a zone such as Europe/Lisbon, or leave it unset.")
  }
}

# Run a command line that was read: find the command, print its result, return the exit status.
cli_run <- function(args) {
  cli_check_world(args)
  if (!length(args) || args[1] %in% c("--help", "-h")) return(cli_help(character()))
  if (args[1] == "--version") {
    cat("clockpigeon ", package_version_text(), "\n", sep = "")
    return(0L)
  }
  command <- args[1]
  if (!command %in% names(cli_commands)) {
    near <- closest(command, names(cli_commands))
    stop_input("usage", paste0("no command '", command, "'"),
               instead = if (length(near)) paste0("Did you mean ", near, "?") else
               "See clockpigeon help.")
  }
  if (any(args[-1] %in% c("--help", "-h"))) return(cli_help(command))
  row <- cli_commands[[command]]
  parsed <- cli_parse(command, row, args[-1])
  row$run(parsed$options, parsed$args)
}

package_version_text <- function() getNamespaceVersion("clockpigeon")[[1]]

# The commands by the stage of the work, as `help` lists them.
command_stages <- list(
  "Set up" = c("new", "engine", "nodes", "demo"),
  Prepare = c("check", "scan", "pack", "unpack"),
  Measure = c("bench", "limit", "probe", "picture", "compare", "import", "record"),
  Decide = c("sites", "bill", "forecast", "choose", "next", "week"),
  Render = c("place", "watch", "pause", "resume", "stop", "fetch", "delete", "verify"),
  Afterwards = c("settle", "learned", "backtest", "report"),
  Project = c("page", "jobs", "ledger", "standin", "help")
)

# Print the help of all commands or of one.
cli_help <- function(args) {
  if (length(args) && args[1] != "help" && args[1] %in% names(cli_commands)) {
    parser <- cli_parser(args[1], cli_commands[[args[1]]])
    cat("clockpigeon ", args[1], ": ", cli_commands[[args[1]]]$about, "\n\n", sep = "")
    optparse::print_help(parser)
    more <- cli_commands[[args[1]]]$more
    if (length(more)) cat(more(), sep = "\n")
    return(0L)
  }
  if (length(args) && args[1] != "help") {
    stop_input("usage", paste0("no command '", args[1], "'"), instead = "See clockpigeon help.")
  }
  line <- function(name) sprintf("  %-9s %s", name, cli_commands[[name]]$about)
  lines <- unlist(Map(function(stage, names) c(stage, vapply(names, line, ""), ""),
                      names(command_stages), command_stages))
  cat("Clock Pigeon measures, forecasts and places render jobs.", "",
      "Usage: clockpigeon COMMAND [OPTIONS], in a project folder.", "", lines,
      "clockpigeon help COMMAND lists the options of a command; --version prints the version.",
      "Exit status: 0 done, 1 failed, 2 bad input or usage, 3 done but no option fits.", sep = "\n")
  cat("\n")
  0L
}
