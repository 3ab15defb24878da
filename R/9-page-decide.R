# The view that decides: the question on the left of everything, the answer live.

# The page. Its values come with the draws, and from the address.
decide_page <- function(title) {
  tags <- shiny::tags
  page_shell(
    title, "decide",
    tags$form(class = "question", `aria-label` = "Question", tags$div(question_fields_of_page())),
    tags$section(id = "said", `aria-live` = "polite", `aria-busy` = "true",
                 shiny::uiOutput("answer")),
    page_figure("tradeoff", "Cost against finish",
                "Each mark is an option: median and 80 % ranges. Filled: it fits."),
    page_figure("chance", "Finished by then",
                "Share of draws of the picked option. Dashed: deadline."),
    tags$section(class = "wide", tags$h2("Options"),
                 tags$div(class = "scroll", tabindex = "0", role = "region",
                          `aria-label` = "Options",
                          tags$table(id = "options", class = "plain", tags$thead(), tags$tbody())),
                 tags$button(type = "button", class = "order", id = "all-options", hidden = NA,
                             "Show all")),
    shiny::uiOutput("more", class = "wide"),
    keys = c(d = "the deadline", b = "the budget", c = "the chance", n = "the noise",
             a = "the answer", "arrows" = "move a slider; Page Up and Page Down by more")
  )
}

# The question. A range at its end sets no limit.
question_fields_of_page <- function() {
  tags <- shiny::tags
  range <- function(id, label, least, most, step, hidden = FALSE) {
    value <- shiny::restoreInput(id, most)
    tags$div(class = "field", hidden = if (hidden) NA, tags$label(`for` = id, label),
             tags$output(id = paste0(id, "-said"), `for` = id),
             tags$input(type = "range", class = "page-range", id = id, min = least, max = most,
                        step = step, value = if (is.numeric(value)) value else most),
             tags$div(class = "marks", id = paste0(id, "-marks"), `aria-hidden` = "true"))
  }
  shiny::tagList(
    range("deadline", "Finish by", 0, 3.2e7, 60), range("budget", "For at most", 0, 1e7, 0.01),
    range("confidence", "How likely", 0.5, 0.99, 0.01),
    tags$div(class = "field", shiny::radioButtons("rule", "Take", inline = FALSE, choices = c(
      "the cheapest in time" = "cheapest", "the fastest in budget" = "fastest",
      "the best quality in both" = "best"
    ))),
    tags$div(class = "field",
             shiny::checkboxInput("each", "apply it to time and money separately")),
    range("noise", "With noise of at most", 0, 1, 0.0001, hidden = TRUE),
    lapply(names(page_pins), function(id) {
      tags$div(class = "field pins",
               shiny::checkboxGroupInput(id, page_pins[[id]], choices = character()))
    })
  )
}

# Pinned and excluded sites, by the names of their switches.
page_pins <- c(only = "Only at", nodes = "Only with nodes", without = "Leave out")

# Draws go to the browser once; sentences follow each question: of single options at once, of all
# plans when they have been searched.
decide_server <- function(input, output, session, work) {
  made <- shiny::reactiveVal(NULL)
  failed <- shiny::reactiveVal(NULL)
  searched <- shiny::reactiveVal(NULL)
  begin <- function() {
    failed(NULL)
    promises::then(promises::as.promise(work$question), onFulfilled = function(x) {
      offer_pins(session, as_frame(x$forecast$scenario$options))
      session$sendCustomMessage("facts", page_facts(x$forecast, x$asked))
      made(x)
    }, onRejected = function(e) failed(list(of = NULL, why = work_trouble(e))))
    invisible()
  }
  begin()
  asked <- shiny::debounce(shiny::reactive(page_request(input, made())), 20)
  said <- shiny::reactive(if (length(asked()))
                          page_forecast_answer(made()$forecast, asked()$question, asked()$kept))
  search <- newest_alone(function(question) searched_answer(work, question$question, question$kept),
                         function(question, x) searched(list(of = question, said = x)),
                         function(question, e) failed(list(of = question, why = work_trouble(e))))
  shiny::observeEvent(asked(), {
    # Results of single options go first: a search would take the processor from them.
    search$drop()
    session$onFlushed(function() shiny::isolate(if (length(asked())) search$ask(asked())))
    session$doBookmark()
  }, ignoreNULL = TRUE)
  shiny::onBookmarked(function(url) shiny::updateQueryString(sub("^[^?]*", "", url)))
  shiny::observeEvent(input$leave_work,
                      if (is.null(made())) leave_work(work$question) else search$leave())
  shiny::observeEvent(input$work_again, {
    if (length(made())) {
      failed(NULL)
      search$ask(asked())
    } else {
      ask_question(work)
      begin()
    }
  })
  output$work_says <- say_work(function() is.null(made()), work$question_says)
  output$more <- shiny::renderUI({
    x <- searched()
    if (!identical(x$of, asked()) || is.null(x$said)) return(NULL)
    shiny::tagList(page_picture("timeline", "The plan's stages", x$said$figures$timeline),
                   page_picture("costs", "Its cost, line by line", x$said$figures$cost))
  })
  output$answer <- shiny::renderUI({
    stopped <- length(failed()) && identical(failed()$of, asked())
    if (is.null(asked())) return(no_answer_block(if (stopped) failed()$why))
    final <- identical(searched()$of, asked())
    x <- if (final) searched()$said else said()
    if (is.null(x))
      return(answer_block("No option is left", c(Do = "Leave out less, or ask for less.")))
    answer_block(x$title, x$says, pick = x$pick,
                 more = if (stopped) plans_failed(failed()$why) else if (!final) plans_searched())
  })
}

# The block before there is an answer. `why`: what stopped the work; NULL while it runs.
no_answer_block <- function(why) {
  if (is.null(why)) return(waiting_block("Working out the forecast"))
  answer_block("No answer", c(Why = why), does_button("work_again", "Work it out"))
}

plans_failed <- function(why) {
  list("Plans of several sites and with a fallback are not in it: ", why,
       does_button("work_again", "Search them"))
}

plans_searched <- function() {
  list("Plans of several sites and with a fallback are still searched. ",
       does_button("leave_work", "Leave it"))
}

# The switches for what the options can be told apart by, as the address has them.
offer_pins <- function(session, options) {
  sites <- unique(options[["site"]])
  counts <- sort(unique(options[["nodes"]]))
  offered <- list(only = sites, nodes = stats::setNames(paste0("nodes=", counts), counts),
                  without = sites)
  for (id in names(offered)) {
    chosen <- shiny::isolate(or_else(shiny::restoreInput(id, character()), character()))
    shiny::updateCheckboxGroupInput(session, id, choices = offered[[id]], selected = chosen,
                                    inline = id == "nodes")
  }
}

# The question that the inputs stand for, as make_decision() takes it, and what options are `kept`
# in it; NULL before there is a forecast.
page_request <- function(input, made) {
  if (is.null(made) || !length(input$deadline) || !length(input$budget)) return(NULL)
  number <- function(x) if (is.numeric(x)) x else Inf
  list(question = list(deadline_s = number(input$deadline), budget = number(input$budget),
                       confidence = min(max(input$confidence, 0.01), 0.9999),
                       rule = check_choice(input$rule, "the page's rule", choice_rules),
                       together = !isTRUE(input$each)),
       kept = list(only = sort(as.character(c(input$only, input$nodes))),
                   without = sort(as.character(input$without)),
                   noise = number(input$noise)))
}

# Facts from which the browser judges: each option's median finish and mean cost, all draws as
# 64-bit numbers (costs in whole minor units), the initial question, and the ends of its ranges.
page_facts <- function(forecast, asked) {
  facts <- option_facts(forecast)
  table <- facts$table
  sent <- function(x)
    openssl::base64_encode(writeBin(as.numeric(x), raw(), size = 8, endian = "little"))
  all <- function(name) unlist(lapply(facts$draws, `[[`, name))
  currency <- forecast$scenario$currency
  finite <- function(x) x[is.finite(x)]
  scenario <- forecast$scenario
  list(options = I(table[["option"]]), sites = I(table[["site"]]),
       nodes = I(as_frame(forecast$scenario$options)[["nodes"]]), own = I(table[["own"]]),
       n = forecast$n, noise = I(ifelse(is.na(table[["noise"]]), 1e300, table[["noise"]])),
       finish_p50 = I(pmin(table[["finish_p50"]], 1e300)), cost_mean = I(table[["cost_mean"]]),
       evidence = I(as.character(table[["evidence"]])), finish = sent(all("finish_s")),
       cost = sent(to_minor(all("cost"), currency)), digits = minor_digits(currency),
       now = as.numeric(scenario$now), zone = or_else(scenario$time_zone, "UTC"),
       currency = scenario$currency,
       longest = 1.5 * max(c(finite(table[["finish_p50"]]), finite(asked$deadline_s), 3600)),
       dearest = 1.5 * max(c(finite(table[["cost_mean"]]), finite(asked$budget), 1)),
       asked = Map(function(x) if (is.numeric(x) && is.infinite(x)) "none" else x, asked))
}
