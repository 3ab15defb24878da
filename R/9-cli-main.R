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
        "--circle", "a whole job, from check to bill, at a practice farm that misbehaves",
        "logical", FALSE),
      cli_option(
        "--keep", "folder in which to keep the demo project [a temporary one]"),
      format_option)
  ),
  new = command_row(
    "start a project: a folder of commented files", function(o, args) cli_new(o, args),
    arguments = "FOLDER", arity = c(0, 1),
    options = list(cli_option("--name", "name of the project [the folder's name]"),
                   cli_option("--currency", "currency of the project [EUR]", default = "EUR"))
  ),
  engine = command_row(
    "describe your own renderer, and test it on one frame",
    function(o, args) cli_engine_command(o, args),
    arguments = "list | new NAME | try NAME [SHOT or SCENE]", arity = c(1, 3),
    options = list(
      cli_option("--command",
                 paste0("new: command that renders one frame, such as 'prog {scene} -f {frame} ",
                        "-o {output}'")),
      cli_option("--ask-version",
                 "new: arguments that print the version: --ask-version=--version"),
      cli_option("--picture", "new: picture format: png, pfm, exr or tiff [png]"),
      cli_option("--output-as",
                 paste0("new: name of the picture, if the engine chooses it: ",
                        "'{stem}{frame:03}.png'")),
      cli_option("--frame", "try: frame [the shot's first]", "integer"),
      cli_option("--size", "try: size such as 640x360 [the shot's, else 320x180]"),
      cli_option(
        "--limits", "try: samples, 'noise 2%' or 'time 5min' [the shot's, else 4 samples]"),
      cli_option("--threads", "try: threads [the engine's default]", "integer"),
      cli_option("--devices", "try: devices such as 'gpu 0' or 'cpu 0+1' [the engine's default]"),
      cli_option("--engine-version", "try: version [the newest]"),
      cli_option("--keep", "try: folder for the picture [not kept]"), format_option
    ), more = function() profile_help()
  ),
  bench = command_row(
    "time real renders by a plan, and record them",
    function(o, args) cli_bench(o, args), arguments = "[PLAN]", arity = c(0, 1),
    options = list(cli_option("--dry-run",
                              "list the trials with their expected times, and run nothing",
                              "logical", FALSE),
      cli_option("--resume", "continue the plan's interrupted run", "logical",
                 FALSE),
      cli_option("--shots", "shots, separated by commas [the plan's]"),
      cli_option("--engines",
                 "engines, with versions: 'sundew 4.2,millrace' [the plan's]"),
      cli_option(
        "--frames", paste0("frames, such as 1,120 or '1-240 by 40' [the plan's, else three spread ",
                           "over each shot]")),
      cli_option(
        "--limits", paste0("limits such as 4,16 (samples), 'noise 2%' or 'time 5min' [the plan's, ",
                           "else each shot's]")),
      cli_option("--sizes", "sizes such as 320x180,640x360 [the plan's, else each shot's]"),
      cli_option("--threads", "thread counts such as 1,2 [the plan's, else the engine's default]"),
      cli_option("--devices",
                 paste0("devices such as 'gpu 0,gpu 0+1', 'cpu 0' or all [the plan's, else the ",
                        "engine's default]")),
      cli_option("--repeats", "runs of each setting [the plan's, else 2]", "integer"),
      cli_option("--node", "node that describes this machine [here, if nodes/here.yaml exists]"),
      cli_option("--keep", "folder for the pictures [none are kept]"), figure_option, format_option)
  ),
  nodes = command_row(
    "check that each node is ready", function(o, args) cli_readiness(o, args),
    options = list(cli_option("--engine", "required engine [the project's default]"),
      cli_option("--engine-version",
                 "required version: 4.2, or '>=4.1 <5' [the project's default]"),
      cli_option("--timeout", "seconds to wait for an answer [20]", "double", 20), format_option)
  ),
  import = command_row(
    "import timings from logs, folders of frames, pictures and tables",
    function(o, args) cli_import(o, args), arguments = "FILE...", arity = c(1, Inf),
    options = c(list(
      cli_option(
        "--as", paste0("kind of file: log, frames (a folder of finished frames), pictures, csv, ",
                       "json or jobs [recognised by name]")),
      cli_option(
        "--map",
        "columns of a table: frame=Nr,wall_s=user + sys,load_s=Ms / 1000"),
      cli_option("--dry-run", "show what would be imported, and write nothing", "logical", FALSE),
      cli_option(
        "--again", "import known files again; earlier rows are withdrawn",
        "logical", FALSE),
      cli_option("--undo", "withdraw the rows of these files", "logical", FALSE),
      cli_option(
        "--begun", "frames: start of the rendering, '2026-11-03 14:05' in UTC"),
      cli_option("--writers", "frames: pictures rendered at the same time, if known", "integer")
      ), row_options, list(format_option))
  ),
  jobs = command_row(
    "list the jobs of the ledger, or the events of one",
    function(o, args) cli_jobs_list(o, args), arguments = "[JOB]", arity = c(0, 1),
    options = list(format_option)
  ),
  record = command_row(
    "record a time you read off a screen", function(o, args) cli_record(o, args),
    options = c(list(
      cli_option("--time", "time taken: 'about 15 min', 1h20m, or '24 fps' for playback"),
      cli_option("--activity", "render, playback, encode, ... [render]", default = "render"),
      cli_option("--status", "ok, failed, unusable, incomplete, ... [ok]"),
      cli_option("--frames-done", "a time for many frames: number finished", "integer"),
      cli_option("--frames-asked", "a time for many frames: number requested", "integer"),
      cli_option("--began", "start by the clock, such as '2026-11-03 14:05'"),
      cli_option("--ended", "end by the clock"),
      cli_option("--note", "any remark")
      ), row_options)
  ),
  limit = command_row(
    "find how many samples are enough, and what more would gain",
    function(o, args) cli_limit(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(
      cli_option(
        "--noise", paste0("noise target of the frame, a share of its brightness [your last ",
                          "verdict, else 5%]")),
      cli_option("--tile-noise", "noise target of the worst tile [twice --noise]"),
      cli_option("--samples", "sample counts to probe [4,16,64, or the nearest the engine offers]"),
      cli_option("--frames", "frames to probe [two spread over the shot]"),
      cli_option(
        "--size", "size such as 320x180; several show the effect of size [the shot's]"),
      cli_option("--rows", "only these rows of the frame, such as 65-128 [all]"),
      cli_option("--features",
                 "settings to vary and compare: bounces=2/32,denoise=on/off [none]"),
      cli_option("--confidence", "required chance that the count meets the target [0.9]", "double",
                 0.9),
      cli_option("--site", "site whose price is shown [none]"),
      cli_option("--engine", "engine [the project's default]"),
      cli_option("--engine-version", "version [the newest]"),
      cli_option("--reference", "samples of a reference picture, for an engine without seeds",
                 "integer"),
      cli_option("--plan", "probe at small sizes first, and propose the cheapest probes",
                 "logical", FALSE),
      cli_option("--error", "with --plan: accepted error of the count [10%]",
                 default = "10%"),
      cli_option("--sheet", "write the worst tiles at each count to this PNG file [none]"),
      cli_option(
        "--blind", paste0("write the tiles to this PNG file without labels, and ask which are ",
                          "clean enough [none]")),
      cli_option("--keep", "folder for the pictures [none are kept]"), figure_option, format_option
      )
  ),
  probe = command_row(
    "measure frames of a shot until its total is precise enough",
    function(o, args) cli_probe(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(
      cli_option("--target", "accepted half-width of the total's 80 % range [10%]",
                 default = "10%"),
      cli_option("--budget", "time for probing, such as 20min; no frame starts afterwards [none]"),
      cli_option("--first", "frames, spread over the shot, to measure first [3]", "integer",
                 3L),
      cli_option(
        "--cheap", "quick pass over all frames at small size: yes, no or auto [auto]",
      default = "auto"),
      cli_option("--engine", "engine [the project's default]"),
      cli_option("--engine-version", "version [the newest]"),
      cli_option("--node", "node that describes this machine [here, if nodes/here.yaml exists]"),
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
      cli_option("--by", paste0("factor: ", paste(names(compare_factors), collapse = ", "),
      " [the default plan's, else engine_version]")),
      cli_option("--across", "also compare timings that differ in other factors, and name them",
                 "logical", FALSE),
      cli_option("--mix", "weights of the scenes, such as gears=2,basin=1 [equal]"),
      cli_option("--engine", "engine to include [all]"),
      cli_option("--scene", "scene to include [all]"),
      cli_option("--activity", "activity: render, playback, prepass, simulate, ... [render]",
                 default = "render"),
      cli_option("--time", "seconds to compare: wall or cpu [wall]", default = "wall"),
      cli_option("--smallest", "smallest difference that matters, as a share [0.02]", "double",
                 0.02),
      figure_option, format_option
      )
  ),
  backtest = command_row(
    "test the forecasts on the ledger's own timings",
    function(o, args) cli_backtest(o, args),
    options = list(cli_option("--probes", "numbers of frames kept as probes [3,5,8]",
                              default = "3,5,8"),
      figure_option, format_option)
  ),
  sites = command_row(
    "show the project's rate cards, or one of them",
    function(o, args) cli_sites(o, args), arguments = "[SITE]", arity = c(0, 1),
    options = list(format_option)
  ),
  bill = command_row(
    "compute the bill of a job's usage, to the cent", function(o, args) cli_bill(o, args),
    arguments = "USAGE", arity = c(0, 1),
    options = list(cli_option("--site", "site [the usage's]"),
                   cli_option("--tier", "tier [the usage's, else the first]"),
      cli_option("--hire", "hire class [the usage's, else the first]"),
                   cli_option("--engine", "engine [the usage's]"),
      cli_option("--on", "date of the bill, such as 2026-11-03 [the usage's, else today]"),
      cli_option("--to", "second currency to show [the project's]"), format_option)
  ),
  check = command_row(
    "check shots before anything is sent or paid",
    function(o, args) cli_check(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(cli_option("--site", "site to check for [all]"),
      cli_option("--against",
                 "finished frame whose size and samples are compared [none]"),
      cli_option("--engine", "engine [the project's default]"), format_option)
  ),
  scan = command_row(
    "list the files that a text scene names, as a manifest",
    function(o, args) cli_scan(o, args), arguments = "SCENE", arity = c(0, 1),
    options = list(cli_option("--engine", "engine whose file rules apply [the project's default]"),
                   format_option)
  ),
  pack = command_row(
    "pack everything a shot needs into one parcel",
    function(o, args) cli_pack(o, args), arguments = "[SHOT]", arity = c(0, 1),
    options = list(cli_option("--out", "folder for the parcels [.]", default = "."),
                   format_option)
  ),
  unpack = command_row(
    "unpack a parcel, and check every file against its list",
    function(o, args) cli_unpack(o, args), arguments = "PARCEL", arity = 1,
    options = list(cli_option("--into", "new folder [the parcel's name]"))
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
                 "state the value of this many trial frames at the leading sites [none]",
                 "integer"),
      cli_option("--why", "explain time, cost and evidence", "logical",
                 FALSE),
      cli_option("--changes", "list changes that would alter the choice, and alternatives",
                 "logical", FALSE),
      cli_option("--all", "list every option, and the reason for each site left out", "logical",
                 FALSE),
      cli_option("--record",
                 "record the decision as job NAME in the ledger, NAME.json and NAME.md [no]"),
      figure_option, format_option
      ))
  ),
  "next" = command_row(
    "list what to measure next, and measure it", function(o, args) cli_next(o, args),
    arguments = "[JOB]", arity = c(0, 1), options = c(job_options, question_options, list(
      cli_option(
        "--do", paste0("take the best measurements here, up to this time or cost, such as ",
                       "20min or 5EUR [none]")),
      format_option
      ))
  ),
  place = command_row(
    "place a decided job: render it here, send it, or write a sheet",
    function(o, args) cli_place(o, args),
    arguments = "JOB", arity = 1,
    options = list(
      cli_option("--yes", "place without asking", "logical", FALSE),
      cli_option("--trial", "render a few frames of each shot first, then wait", "logical",
                 FALSE),
      cli_option("--despite", "codes of findings to accept: CODE,CODE [none]"),
      cli_option("--frame-limit",
                 paste0("longest time of a frame on own nodes, such as 40min [three times the ",
                        "slowest forecast]")),
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
    options = list(cli_option("--wait", "wait until the job has finished and every file is here",
                              "logical", FALSE),
                   format_option)
  ),
  delete = command_row(
    "delete a fetched job's files at its sites",
    function(o, args) cli_delete(o, args),
    arguments = "JOB", arity = 1,
    options = list(cli_option("--yes", "delete without asking", "logical", FALSE))
  ),
  watch = command_row(
    "show progress, forecast and alarms of a placed job",
    function(o, args) cli_watch(o, args),
    arguments = "[JOB]", arity = c(0, 1),
    options = list(
      cli_option(
        "--frames", paste0("folder in which frames appear: FOLDER, or SITE=FOLDER,SITE=FOLDER ",
                           "[the last one given]")),
      cli_option(
        "--placed", paste0(
          "start of the job, such as '2026-11-27 10:00' [the last one given, else ",
          "the decision's time]")),
      cli_option("--sent", "note that the frames not started have just been sent to the fallback",
                 "logical", FALSE),
      cli_option(
        "--claim", "remaining time the site states, such as 3h20m or SITE=3h20m [none]"),
      cli_option(
        "--ways", "compare alternatives: the rest at other sites, and stopping now",
        "logical", FALSE),
      cli_option("--what-if",
                 paste0("forecast with changes: tier=brisk, nodes=8, send SITE, add SITE or stop, ",
                        "separated by commas [none]")),
      cli_option(
        "--tell", "run the program or web hook of `tell` in clockpigeon.yaml at each alarm",
        "logical", FALSE),
      cli_option(
        "--once", "print the status once [the screen is updated until the job ends]", "logical",
        FALSE),
      cli_option("--every", "seconds between updates [2]", "double", 2),
      cli_option(
        "--show", "figure to write: belief (forecast over time) or frames [belief]"),
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
    "score past forecasts, and show the corrections to the next",
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
      cli_option("--port", "port on this machine, 0 for a free one [8470]", "integer", 8470L),
      cli_option("--speed", "speed of its clock [1]", "double", 1),
      cli_option(
        "--render", "render with the project's engines [replay times of the ledger]",
        "logical", FALSE),
      cli_option("--slots", "frames rendered at the same time [2]", "integer", 2L),
      cli_option("--misbehave",
                 paste0(
        "faults, separated by commas: freeze=2@5min:1h, slow=3@5min:2.5, lose=1@5min (node, ",
          "time, duration or factor); fail, corrupt, black, cut, doubled, delayed, disordered ",
          "(a share, 5%); wait, late-cap, skew, old-token (a time); version=1.0, prices=1.3 ",
          "[none]")),
      cli_option("--seed", "seed of the faults [1]", "integer", 1L),
      cli_option("--for", "stop the server after this time, such as 8h [never]"))
  ),
  report = command_row(
    "write the choice as an HTML page", function(o, args) cli_report(o, args), arguments = "[JOB]",
    arity = c(0, 1),
    options = c(job_options, choice_options,
                list(cli_option("--out", "file to write [report.html]", default = "report.html"),
      cli_option("--settled",
                 "placed job whose promise and result are added [none]"),
                     figure_option))
  ),
  help = command_row(
    "explain a command", function(o, args) cli_help(args, cli_commands), arguments = "[COMMAND]",
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
  if (!length(args) || args[1] %in% c("--help", "-h")) return(cli_help(character(), cli_commands))
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
  if (any(args[-1] %in% c("--help", "-h"))) return(cli_help(command, cli_commands))
  row <- cli_commands[[command]]
  parsed <- cli_parse(command, row, args[-1])
  row$run(parsed$options, parsed$args)
}

package_version_text <- function() getNamespaceVersion("clockpigeon")[[1]]
