# The report: a page that a producer can read.

#' Write a report
#'
#' One self-contained HTML page: the question, the choice, all options with their ranges, the evidence, and what is not
#' known.
#'
#' @param choice From [choose_option()].
#' @param path The file to write, `.html`.
#' @param comparison A [compare_timings()] result to show with the evidence, or `NULL`.
#' @param title Title of the page.
#' @return `path`, invisibly. The file appears whole or not at all.
#' @section Conditions: `clockpigeon_error_package` when rmarkdown or pandoc is missing, with how to install it;
#'   `clockpigeon_error_file` when the page cannot be written there.
#' @examplesIf requireNamespace("rmarkdown", quietly = TRUE) && rmarkdown::pandoc_available() && interactive()
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' choice <- choose_option(forecast_job(plan_options(job, project$sites)), deadline = "10 h")
#' report(choice, tempfile(fileext = ".html"))
#' @export
report <- function(choice, path = "report.html", comparison = NULL, title = "Where to render") {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  path <- check_text(path, argument("path"))
  if (!dir.exists(dirname(path))) stop_input("file", "its folder does not exist", path, "Make the folder first.")
  if (!is.null(comparison)) check_class(comparison, argument("comparison"), "cp_comparison", "compare_timings()")
  for (package in c("rmarkdown", "knitr", "ggplot2")) need_package(package, "reports")
  if (!rmarkdown::pandoc_available("1.12.3")) {
    stop_input("package", "reports need pandoc, which is not on the PATH",
               instead = "Install it, on Debian: apt-get install pandoc.")
  }
  work <- tempfile("clockpigeon-report-")
  dir.create(work)
  on.exit(unlink(work, recursive = TRUE, expand = FALSE))
  file.copy(system.file("report", c("report.Rmd", "report.css"), package = "clockpigeon"), work)
  facts <- report_facts(choice, comparison)
  facts$title <- check_text(title, argument("title"))
  html <- rmarkdown::html_document(theme = NULL, highlight = NULL, mathjax = NULL, css = "report.css",
                                   md_extensions = "-smart", self_contained = TRUE,
                                   pandoc_args = c("--metadata", paste0("pagetitle=", title)))
  made <- rmarkdown::render(file.path(work, "report.Rmd"), html, output_dir = work, params = list(facts = facts),
                            envir = new.env(), quiet = TRUE)
  write_whole(path, function(part) file.copy(made, part))
}

# Everything the page says, as texts and tables, so that the template only lays it out.
report_facts <- function(choice, comparison = NULL) {
  forecast <- choice$forecast
  scenario <- forecast$scenario
  table <- as_frame(choice$options)
  reasons <- explain(choice)
  middle <- function(name, format) {
    part <- function(p) format(table[[paste0(name, p)]])
    paste0(part("_p50"), " (", part("_p10"), " to ", part("_p90"), ")")
  }
  standing <- ifelse(table[["pick"]], "the pick", ifelse(table[["fits"]], "fits", "does not fit"))
  options <- data.frame(
    Option = table[["option"]], Standing = standing, `Done after` = middle("finish", format_duration),
    `In time` = percent(table[["p_deadline"]]), Cost = middle("cost", format_money),
    `In budget` = percent(table[["p_budget"]]), `Speed is` = table[["evidence"]], check.names = FALSE
  )
  if (is.infinite(choice$deadline_s)) options[["In time"]] <- NULL
  if (is.infinite(choice$budget)) options[["In budget"]] <- NULL
  names(options)[names(options) == "Cost"] <- paste0("Cost (", scenario$currency, ")")
  unknown <- unknown_words(forecast)
  list(
    question = report_question(choice), headline = answer_title(choice),
    answer = headed_answer(choice), picked = unname(reasons[1]),
    warnings = unname(warning_words(choice)),
    others = data.frame(Option = intersect(names(reasons)[-1], table[["option"]]),
                        Why = unname(reasons[-1][names(reasons)[-1] %in% table[["option"]]])),
    how = reasons[names(reasons) %in% c("time", "cost", "evidence")], options = options,
    changes = break_even(choice)[["says"]], worth = worth_tests(choice)[["says"]],
    timeline = any(is.finite(forecast$draws[["finish_s"]])), disclosed = disclosures(scenario),
    shots = report_shots(forecast), evidence = evidence_line(main_job(scenario)),
    speeds = report_speeds(scenario), unknown = unname(unknown), sample = "sample" %in% names(unknown),
    left_out = left_out_words(scenario), first = next_measures(choice)[["says"]],
    comparison = if (!is.null(comparison)) report_comparison(comparison),
    choice = choice, alt = choice_alt(choice),
    made = paste0("Made ", format(scenario$now, "%Y-%m-%d %H:%M UTC", tz = "UTC"), " from ", forecast$n,
                  " draws, seed ", forecast$seed, ".")
  )
}

# The answer's sentences under what they answer.
headed_answer <- function(choice) {
  said <- answer_words(choice)
  stats::setNames(said, answer_heads[names(said)])
}

report_question <- function(choice) {
  job <- main_job(choice$forecast$scenario)
  paste0(job_frames(job), " frames of ", toString(vapply(job$shots, `[[`, "", "shot")), " with ", job$engine, " ",
         job$version, ". ", question_words(choice))
}

report_shots <- function(forecast) {
  job <- main_job(forecast$scenario)
  rows <- Map(function(shot, curve, total) {
    data.frame(Shot = shot$shot, Frames = format_frames(shot$frames), Size = paste(shot$size, collapse = " x "),
               Limit = format_limit(shot$limit), `Frames measured` = length(curve$frame),
               `On one node` = paste0(format_duration(total[["median"]]), " (", format_duration(total[["lower"]]),
                                      " to ", format_duration(total[["upper"]]), ")"), check.names = FALSE)
  }, job$shots, job$curves, job_totals(forecast, job))
  do.call(rbind, unname(rows))
}

report_speeds <- function(scenario) {
  options <- unique(as_frame(scenario$options)[c("site", "speed", "evidence", "speed_from")])
  sites <- scenario$sites[options[["site"]]]
  data.frame(
    Site = options[["site"]],
    `Speed of a node` = paste0(number_text(options[["speed"]]), " times ", main_job(scenario)$node),
    Evidence = options[["evidence"]], From = options[["speed_from"]],
    `Prices as of` = vapply(sites, function(s) if (length(s$as_of)) format(s$as_of) else "unknown", ""),
    Source = vapply(sites, function(s) first_of(s$source, "unknown"), ""),
    check.names = FALSE, row.names = NULL
  )
}

report_comparison <- function(x) {
  all <- x[["scene"]] == "all scenes"
  ratio <- paste0(number_text(x[["ratio"]]), " (", range_text(x[["lower"]], x[["upper"]]), ")")
  out <- data.frame(
    Engine = x[["engine"]], Scene = ifelse(all, paste0("all (", x[["basis"]], ")"), x[["scene"]]), Old = x[["old"]],
    New = x[["new"]], Pairs = x[["pairs"]], `Old time` = format_duration(x[["old_s"]]),
    `New time` = format_duration(x[["new_s"]]), `Ratio old/new` = ratio, `Time saved` = percent(x[["time_saved"]]),
    Verdict = x[["verdict"]], Note = x[["note"]], check.names = FALSE
  )
  if (all(out$Note == "")) out$Note <- NULL
  out
}
