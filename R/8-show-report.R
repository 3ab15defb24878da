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
#' choice <- choose_option(forecast_job(job, plan_options(job, project$sites)), deadline = "10 h")
#' report(choice, tempfile(fileext = ".html"))
#' @export
report <- function(choice, path = "report.html", comparison = NULL, title = "Where to render") {
  check_class(choice, argument("choice"), "choice", "choose_option()")
  path <- check_text(path, argument("path"))
  if (!dir.exists(dirname(path))) stop_input("file", "its folder does not exist", path, "Make the folder first.")
  if (!is.null(comparison)) check_class(comparison, argument("comparison"), "timing_comparison", "compare_timings()")
  for (package in c("rmarkdown", "knitr", "ggplot2")) need_package(package, "reports")
  if (!rmarkdown::pandoc_available("1.12.3")) {
    stop_input("package", "reports need pandoc, which is not on the PATH",
               instead = "Install it, on Debian: apt-get install pandoc.")
  }
  work <- tempfile("clockpigeon-report-")
  dir.create(work)
  on.exit(unlink(work, recursive = TRUE))
  file.copy(system.file("report", c("report.Rmd", "report.css"), package = "clockpigeon"), work)
  facts <- report_facts(choice, comparison)
  facts$title <- check_text(title, argument("title"))
  html <- rmarkdown::html_document(theme = NULL, highlight = NULL, mathjax = NULL, css = "report.css",
                                   self_contained = TRUE,
                                   pandoc_args = c("--metadata", paste0("pagetitle=", title)))
  made <- rmarkdown::render(file.path(work, "report.Rmd"), html, output_dir = work, params = list(facts = facts),
                            envir = new.env(), quiet = TRUE)
  if (!file.copy(made, path, overwrite = TRUE)) stop_input("file", "cannot be written", path, "Name another file.")
  invisible(path)
}

# Everything the page says, as texts and tables, so that the template only lays it out.
report_facts <- function(choice, comparison = NULL) {
  forecast <- choice$forecast
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
  names(options)[names(options) == "Cost"] <- paste0("Cost (", forecast$job$currency, ")")
  list(
    question = report_question(choice), headline = choice_title(choice), picked = unname(reasons[1]),
    others = data.frame(Option = intersect(names(reasons)[-1], table[["option"]]),
                        Why = unname(reasons[-1][names(reasons)[-1] %in% table[["option"]]])),
    how = reasons[names(reasons) %in% c("time", "cost", "evidence")], options = options,
    changes = break_even(choice)[["says"]], worth = worth_tests(choice)[["says"]],
    timeline = any(is.finite(choice$forecast$draws[["finish_s"]])),
    disclosed = unlist(lapply(unname(attr(forecast$options, "sites")), disclosures, on = forecast$made_at)),
    shots = report_shots(forecast$job), evidence = evidence_line(forecast$job), speeds = report_speeds(forecast),
    unknown = report_unknown(forecast), left_out = forecast$left_out,
    left_out_lines = left_out_lines(forecast$left_out),
    comparison = if (!is.null(comparison)) report_comparison(comparison), choice = choice, alt = choice_alt(choice),
    made = paste0("Made ", format(forecast$made_at, "%Y-%m-%d %H:%M UTC", tz = "UTC"), " from ", forecast$n,
                  " draws, seed ", forecast$seed, ".")
  )
}

report_question <- function(choice) {
  job <- choice$forecast$job
  frames <- sum(vapply(job$shots, function(s) length(s$frames), 0L))
  when <- if (is.finite(choice$deadline_s)) {
    paste("by", format_moment(choice$forecast$made_at + choice$deadline_s, job$time_zone))
  } else "whenever"
  money <- if (is.finite(choice$budget)) paste("at most", format_money(choice$budget, job$currency)) else "any money"
  paste0(frames, " frames of ", toString(vapply(job$shots, `[[`, "", "shot")), " with ", job$engine, " ", job$version,
         ": where, so that they are done ", when, " for ", money, ", ", chance_asked(choice), "at least ",
         percent(choice$confidence), "?")
}

report_shots <- function(job) {
  rows <- Map(function(shot, curve) {
    total <- total_time(curve)
    data.frame(Shot = shot$shot, Frames = format_frames(shot$frames), Size = paste(shot$size, collapse = " x "),
               Limit = format_limit(shot$limit), `Frames measured` = length(curve$frame),
               `On one node` = paste0(format_duration(total[["median"]]), " (", format_duration(total[["lower"]]),
                                      " to ", format_duration(total[["upper"]]), ")"), check.names = FALSE)
  }, job$shots, job$curves)
  do.call(rbind, unname(rows))
}

report_speeds <- function(forecast) {
  options <- unique(as_frame(forecast$options)[c("site", "speed", "evidence", "speed_from")])
  sites <- attr(forecast$options, "sites")[options[["site"]]]
  data.frame(
    Site = options[["site"]], `Speed of a node` = paste0(number_text(options[["speed"]]), " times ", forecast$job$node),
    Evidence = options[["evidence"]], From = options[["speed_from"]],
    `Prices as of` = vapply(sites, function(s) if (length(s$as_of)) format(s$as_of) else "unknown", ""),
    Source = vapply(sites, function(s) first_of(s$source, "unknown"), ""),
    check.names = FALSE, row.names = NULL
  )
}

# What the forecast does not know, said plainly.
report_unknown <- function(forecast) {
  job <- forecast$job
  options <- as_frame(forecast$options)
  sites <- function(evidence) unique(options[["site"]][options[["evidence"]] == evidence])
  claimed <- sites("claimed")
  assumed <- sites("assumed")
  c(
    if (length(claimed)) {
      paste0("The speed of ", toString(claimed), " is the seller's claim, taken with a spread of ",
             percent(assumed_spread$claimed), ". A trial frame there would replace it.")
    },
    if (length(assumed)) {
      paste0("The speed of ", toString(assumed), " is assumed, with a spread of ", percent(assumed_spread$assumed), ".")
    },
    if (job$run_basis == "assumed") {
      paste0("No frame was measured twice: the spread from run to run is assumed to be ", percent(job$run_sd), ".")
    },
    if (any(is_sample(as_frame(job$evidence)))) {
      paste("The frame times are sample data, invented to show the tool.",
            "They say nothing about any real engine or device.")
    },
    if (length(attr(forecast$options, "doubts"))) {
      paste0("Doubtful prices: ", paste(attr(forecast$options, "doubts"), collapse = "; "), ".")
    },
    assumed_lines(forecast),
    trouble_lines(forecast)
  )
}

# What can go wrong, where a card says how often, and where it does not.
trouble_lines <- function(forecast) {
  sites <- attr(forecast$options, "sites")
  known <- vapply(sites, function(s) first_of(s$troubles$fails, 0) + first_of(s$troubles$vanish, 0) +
                    first_of(s$troubles$freeze, 0) > 0, NA)
  if (all(known)) return(NULL)
  paste0("Failed frames and lost nodes are in the forecast where a rate card says how often they are: not at ",
         toString(names(sites)[!known]), ".")
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
