# The command `standin`: a farm to try things on, that follows the project's rate cards.

cli_standin <- function(o, args) {
  project <- read_project()
  sold <- names(Filter(function(site) site$kind != "own", project$sites))
  sites <- if (length(args)) args else sold
  for (site in sites) check_choice(site, "argument SITE", sold)
  if (!length(sites))
    stop_input("usage", "the project has no rate card of a site that sells", "clockpigeon standin",
               "Write one under sites/.")
  rows <- cli_ledger(project, code = timings)
  given <- Sys.getenv("CLOCKPIGEON_TOKEN")
  token <- if (nzchar(given)) given else paste(openssl::rand_bytes(12), collapse = "")
  options <- standin_options(o$port, token, o$speed,
                             parse_faults(o$misbehave, "option --misbehave"), o$render, o$slots,
                             o$seed)
  until <- if (length(o[["for"]])) steady_clock() + parse_duration(o[["for"]], "option --for") else
    Inf
  serve_standin(project, rows, sites, file.path(project$root, "standin"), options,
                function(farms, url) {
    cli_note("Stands in for ", toString(sites),
             " until it is ended (Ctrl-C). What it knows is in standin/.")
    cli_note("In sites/", sites[1], ".yaml:\n  service: {address: ", url, "/", sites[1],
             ", token: {env: CLOCKPIGEON_TOKEN}}")
    cli_note("Where it is asked:",
             if (!nzchar(given)) paste0("\n  export CLOCKPIGEON_TOKEN=", token),
             if (o$speed != 1)
             paste0("\n  export CLOCKPIGEON_NOW='", running_moment(farms[[1]]$now(), o$speed), "'"))
    write_now(url, "\n")
  }, function() steady_clock() >= until)
  0L
}

# A clock that runs at another speed from now on, as this_moment() reads it.
running_moment <- function(now, speed) {
  write <- function(x)
    format(as.POSIXct(x, origin = "1970-01-01"), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
  paste0(write(now), " x", format(speed, digits = 12), " since ", write(wall_clock()))
}
