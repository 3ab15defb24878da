# Every message, table, help page and report text that a person reads, as it stands: a change shows
# here, and is read before it is kept. Paths of this machine are masked; nothing here measures it.
masked <- function(text) {
  text <- gsub("[^ ]*/(cp-test-|Rtmp|file)[^ /:]*", "FOLDER", text)
  text <- gsub("R version [^,]*", "R VERSION", text)
  text <- gsub("hash [0-9a-f]{32}", "hash HASH", text)
  gsub("clockpigeon [0-9]+[.][0-9.]+", "clockpigeon VERSION", text)
}
at_widths <- function(code) {
  for (width in c(80, 120)) {
    withr::with_envvar(c(COLUMNS = width), {
      expect_snapshot_output(cat(paste0("== at ", width, " columns\n"), code(), sep = "\n"))
    })
  }
}
# What a command prints in a project with the sample evidence: standard output, then standard error.
said <- function(...) {
  args <- c(...)
  function() {
    withr::local_dir(project_of_texts())
    errors <- capture.output(out <- capture.output(status <- cli(args)), type = "message")
    masked(c(paste("$ clockpigeon", paste(args, collapse = " ")), out, errors,
             paste("status", status)))
  }
}
texts_folder <- new.env()
project_of_texts <- function() {
  if (is.null(texts_folder$path)) texts_folder$path <- local_project(globalenv())
  texts_folder$path
}

test_that("help pages", {
  at_widths(said("help"))
  for (command in setdiff(names(cli_commands), "help")) at_widths(said("help", command))
})

test_that("tables of the sample evidence", {
  at_widths(said("compare", "--by", "device", "--engine", "sundew"))
  at_widths(said("sites"))
  at_widths(said("sites", "saltmill"))
  at_widths(said("bill", "gears-saltmill"))
  at_widths(said("check", "gears", "--engine", "sundew"))
  at_widths(said("jobs"))
  at_widths(said("jobs", "gears-final"))
})

test_that("forecast and choice", {
  sample_choice <- function(...) {
    project <- read_project(demo_file())
    job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates,
                      time_zone = "UTC")
    forecast <- forecast_job(plan_options(job, project$sites,
                                          now = as.POSIXct("2026-11-24 12:00", tz = "UTC")), 200)
    choose_option(forecast, ...)
  }
  picked <- sample_choice("30 h", "400 EUR")
  break_even(picked)
  none <- sample_choice("1 h", "2 EUR")
  at_widths(function() capture.output(print(picked)))
  at_widths(function() capture.output(print(none)))
  at_widths(function() capture.output(print(picked$forecast)))
  at_widths(function() capture.output(print(picked$forecast$scenario)))
  at_widths(function() trial_lines(trial_value(picked)))
  facts <- c(report_facts(picked), alt = choice_alt(picked))
  texts <- c("question", "headline", "answer", "first", "picked", "warnings", "how", "changes",
             "worth", "evidence", "unknown", "left_out", "disclosed", "alt", "made")
  expect_snapshot_output(for (name in texts)
                         cat(name, ": ", paste(facts[[name]], collapse = "\n  "), "\n", sep = ""))
  expect_snapshot_output(cat(masked(record_page(choice_record(picked))), sep = "\n"))
})

test_that("errors say what is wrong, where, and what to write instead", {
  wd <- scratch()
  at_widths(function() {
    masked(unlist(lapply(list(
      c("chose"), c("compare", "--format", "xml"), c("choose", "--draws", "many"), c("bill"),
      c("choose", "--deadline", "8.20"), c("choose", "--budget", "5 GBX"),
      c("choose", "--only", "saltmil"), c("choose", "--record", "a b"),
      c("choose", "--record", "no/a"), c("choose", "--record", "gears-final"),
      c("jobs", "gears-finl"), c("sites", "saltmile"), c("import", "nothing.csv"),
      c("record", "--time", "soon")
    ), function(args) said(args)())))
  })
})
