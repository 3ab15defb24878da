# The report: a page that a producer can read.

#' Write a report
#'
#' One self-contained HTML page that needs no network and no script, and prints on A4. Its first
#' screen is the question, the answer and the two figures that it rests on; then the plan and its
#' fallback, what would change it, all options with their ranges, the evidence, what is not known,
#' and what is needed to make the decision again. For a settled job also the promise and the
#' outcome.
#'
#' @param choice From [choose_option()].
#' @param path The file to write, `.html`.
#' @param comparison A [compare_timings()] result to show with the evidence, or `NULL`.
#' @param title Title of the page.
#' @param settled From [settle_job()], of the job that was placed, or `NULL`.
#' @return `path`, invisibly. The file appears whole or not at all.
#' @section Conditions: `clockpigeon_error_package` when htmltools or ggplot2 is missing, with how
#'   to install it; `clockpigeon_error_file` when the page cannot be written there.
#' @examplesIf requireNamespace("htmltools", quietly = TRUE) && interactive()
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' choice <- choose_option(forecast_job(plan_options(job, project$sites)), deadline = "10 h")
#' report(choice, tempfile(fileext = ".html"))
#' @export
report <- function(choice, path = "report.html", comparison = NULL, title = "Where to render",
                   settled = NULL) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  path <- check_text(path, argument("path"))
  if (!dir.exists(dirname(path)))
    stop_input("file", "its folder does not exist", path, "Make the folder first.")
  if (!is.null(comparison))
    check_class(comparison, argument("comparison"), "cp_comparison", "compare_timings()")
  if (!is.null(settled)) check_class(settled, argument("settled"), "cp_settled", "settle_job()")
  for (package in c("htmltools", "ggplot2")) need_package(package, "reports")
  facts <- report_facts(choice, comparison)
  facts$title <- check_text(title, argument("title"))
  page <- report_page(facts, report_figures(choice, facts), settled)
  write_text(paste0("<!DOCTYPE html>\n", as.character(htmltools::doRenderTags(page))), path)
}

# Its figures, by name; those that the choice has not are absent.
report_figures <- function(choice, facts) {
  shown <- c("tradeoff", if (facts$timeline) c("chance", "timeline"), "cost")
  made <- lapply(stats::setNames(shown, shown), function(show) {
    half <- show %in% c("tradeoff", "chance")
    made_picture(ggplot2::autoplot(choice, show = show), if (half) 7.4 else 9, if (half) 4.8 else 4)
  })
  made
}

# The whole page, of tags. `facts`: from report_facts().
report_page <- function(facts, figures, settled = NULL) {
  tags <- htmltools::tags
  section <- function(title, ...) tags$section(tags$h2(title), ...)
  listed <- function(says) if (length(says)) tags$ul(lapply(unname(says), tags$li))
  figure <- function(name) if (length(figures[[name]])) report_figure(figures[[name]])
  css <- paste(readLines(system.file("report", "report.css", package = "clockpigeon"),
                         encoding = "UTF-8"),
               collapse = "\n")
  tags$html(
    lang = "en",
    tags$head(tags$meta(charset = "utf-8"),
              tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
              tags$title(facts$title),
              tags$style(htmltools::HTML(css))),
    tags$body(tags$main(
      tags$header(tags$h1(facts$title), tags$p(class = "fine", facts$question)),
      tags$section(
        class = "first", tags$p(class = "lead", facts$headline), html_sentences(facts$answer),
        listed(facts$warnings), tags$div(class = "beside", figure("tradeoff"), figure("chance"))
      ),
      section("The plan", plain_table(facts$parts, "Parts of the plan"),
              if (length(facts$policy)) tags$p(facts$policy), figure("timeline"),
              tags$p("The best single option: ", facts$picked, "."),
              listed(paste0("How it comes about, ", names(facts$how), ": ", facts$how, "."))),
      if (length(facts$changes)) section("Changes that would move the plan", listed(facts$changes)),
      if (length(facts$worth)) section("Other options", listed(facts$worth)),
      section("The options",
              tags$p(class = "fine",
                     "Times are from now; each range holds the middle 80 % of draws."),
              plain_table(facts$options, "Options"), figure("cost"), tags$h3("Why not the others"),
              plain_table(facts$others, "Why not the others"),
              listed(if (length(facts$left_out)) paste0(facts$left_out, "."))),
      section("The evidence", tags$p(paste0(facts$evidence, ".")),
              plain_table(facts$shots, "Shots"), tags$h3("How fast a node of each site is"),
              plain_table(facts$speeds, "Speeds of sites"),
              if (length(facts$comparison)) htmltools::tagList(
                tags$h3("Versions of the engine, like with like"),
                plain_table(facts$comparison, "Versions")
              ),
              if (length(facts$disclosed)) htmltools::tagList(
                tags$h3("Discounts and credits of the sites, so that they can be ignored"),
                listed(facts$disclosed)
              )),
      section("Unknown", listed(facts$unknown)),
      if (length(facts$first)) section("What to measure next", listed(facts$first)),
      if (length(settled)) settled_section(settled, section),
      section("To make it again", tags$p(class = "fine", facts$made), listed(facts$record))
    ))
  )
}

report_figure <- function(x) {
  htmltools::tags$img(src = x$src, alt = x$alt, width = x$width, height = x$height)
}

# Promise and result, step by step.
settled_section <- function(x, section) {
  tags <- htmltools::tags
  section(paste("Promise and outcome of job", x$job), tags$p(settle_head(x)),
          plain_table(settled_table(x), "Steps"),
          report_figure(made_picture(ggplot2::autoplot(x), 9, 4)),
          tags$ul(lapply(sub("^[!*] ", "", finding_texts(x, 400L)), tags$li)))
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
    Option = table[["option"]], Standing = standing,
    `Done after` = middle("finish", format_duration),
    `In time` = format_percent(table[["p_deadline"]]),
    Cost = middle("cost", format_money), `In budget` = format_percent(table[["p_budget"]]),
    `Speed is` = table[["evidence"]], check.names = FALSE
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
    timeline = any(is.finite(forecast$draws[["finish_s"]])), disclosed = list_discounts(scenario),
    shots = report_shots(forecast), evidence = evidence_line(main_job(scenario)),
    speeds = report_speeds(scenario), unknown = unname(unknown),
    left_out = left_out_words(scenario), first = next_measures(choice)[["says"]],
    parts = report_parts(choice), policy = plan_record(choice)$policy,
    record = reproduce_lines(choice_record(choice)),
    comparison = if (!is.null(comparison)) report_comparison(comparison),
    made = paste0("Made ", format(scenario$now, "%Y-%m-%d %H:%M UTC", tz = "UTC"), " from ",
                  forecast$n, " draws, seed ", forecast$seed, ".")
  )
}

# The answer's sentences under what they answer.
headed_answer <- function(choice) {
  said <- answer_words(choice)
  stats::setNames(said, answer_heads[names(said)])
}

report_question <- function(choice) {
  job <- main_job(choice$forecast$scenario)
  paste0(job_subject(job), ": ", sub(":$", ".", question_words(choice)))
}

job_words <- function(job) {
  paste0(job_frames(job), " frames of ", job_subject(job))
}
job_subject <- function(job) {
  paste0(toString(vapply(job$shots, `[[`, "", "shot")), " with ", job$engine, " ", job$version)
}

# Who renders what.
report_parts <- function(choice) {
  parts <- as_frame(choice$plan$parts)
  out <- data.frame(Part = parts[["option"]], Frames = parts[["frames"]],
                    Count = paste(parts[["count"]]), Cost = format_money(parts[["cost_mean"]]))
  names(out)[4] <- paste0("Cost on average (", choice$forecast$scenario$currency, ")")
  out
}

report_shots <- function(forecast) {
  job <- main_job(forecast$scenario)
  rows <- Map(function(shot, curve, total) {
    data.frame(Shot = shot$shot, Frames = format_frames(shot$frames),
               Size = paste(shot$size, collapse = " x "), Limit = format_limit(shot$limit),
               `Frames measured` = length(curve$frame),
               `On one node` = paste0(format_duration(total[["median"]]), " (",
                                      format_duration(total[["lower"]]), " to ",
                                      format_duration(total[["upper"]]), ")"), check.names = FALSE)
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
    `Prices as of` = vapply(sites, function(s) if (length(s$as_of)) format(s$as_of) else "unknown",
                            ""),
    Source = vapply(sites, function(s) first_of(s$source, "unknown"), ""),
    check.names = FALSE, row.names = NULL
  )
}

report_comparison <- function(x) {
  all <- x[["scene"]] == "all scenes"
  ratio <- paste0(number_text(x[["ratio"]]), " (", range_text(x[["lower"]], x[["upper"]]), ")")
  out <- data.frame(
    Engine = x[["engine"]], Scene = ifelse(all, paste0("all (", x[["basis"]], ")"), x[["scene"]]),
    Old = x[["old"]], New = x[["new"]], Pairs = x[["pairs"]],
    `Old time` = format_duration(x[["old_s"]]), `New time` = format_duration(x[["new_s"]]),
    `Ratio old/new` = ratio, `Time saved` = format_percent(x[["time_saved"]]),
    Verdict = x[["verdict"]], Note = x[["note"]], check.names = FALSE
  )
  if (all(out$Note == "")) out$Note <- NULL
  out
}
