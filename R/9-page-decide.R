# The view that decides: the question on the left of everything, the answer live.

# The page. Its values come with the draws, and from the address.
decide_page <- function(title) {
  tags <- shiny::tags
  page_shell(
    title, "decide",
    tags$form(class = "question", `aria-label` = "Question", tags$div(question_fields_of_page())),
    tags$section(id = "said", `aria-live` = "polite", `aria-busy` = "true", shiny::uiOutput("answer")),
    page_figure("tradeoff", "Cost against finish",
                "Each mark is an option: the middle of its draws, with the range of 8 in 10. Filled: it fits."),
    page_figure("chance", "Chance of being done by then", "Of the option that is picked; the line is the deadline."),
    tags$section(class = "wide", tags$h2("Options"),
                 tags$div(class = "scroll", tabindex = "0", role = "region", `aria-label` = "Options",
                          tags$table(id = "options", class = "plain", tags$thead(), tags$tbody())),
                 tags$button(type = "button", class = "order", id = "all-options", hidden = NA, "Show all")),
    shiny::uiOutput("more", class = "wide"),
    keys = c(d = "the deadline", b = "the budget", c = "the chance", a = "the answer",
             "arrows" = "move a slider; Page Up and Page Down by more")
  )
}

# What is asked. Where a range is at its end nothing is asked of it.
question_fields_of_page <- function() {
  tags <- shiny::tags
  range <- function(id, label, least, most, step) {
    value <- shiny::restoreInput(id, most)
    tags$div(class = "field", tags$label(`for` = id, label), tags$output(id = paste0(id, "-said"), `for` = id),
             tags$input(type = "range", class = "page-range", id = id, min = least, max = most, step = step,
                        value = if (is.numeric(value)) value else most),
             tags$div(class = "marks", id = paste0(id, "-marks"), `aria-hidden` = "true"))
  }
  shiny::tagList(
    range("deadline", "Done by", 0, 3.2e7, 60), range("budget", "For at most", 0, 1e7, 0.01),
    range("confidence", "With a chance of", 0.5, 0.99, 0.01),
    tags$div(class = "field", shiny::radioButtons("rule", "Take", inline = FALSE, choices = c(
      "the cheapest in time" = "cheapest", "the fastest in budget" = "fastest", "the best quality in both" = "best"
    ))),
    tags$div(class = "field", shiny::checkboxInput("each", "ask the chance of time and of money each, not of both")),
    tags$div(class = "field", shiny::checkboxGroupInput("without", "Leave out", choices = character()))
  )
}

# Draws go to the browser once; sentences follow each question: of single options at once, of all plans when they have
# been searched.
decide_server <- function(input, output, session, work) {
  made <- shiny::reactiveVal(NULL)
  failed <- shiny::reactiveVal(NULL)
  searched <- shiny::reactiveVal(NULL)
  promises::then(promises::as.promise(work$question), onFulfilled = function(x) {
    shiny::updateCheckboxGroupInput(session, "without", choices = unique(x$forecast$scenario$options[["site"]]),
                                    selected = shiny::isolate(or_else(shiny::restoreInput("without", character()),
                                                                      character())))
    session$sendCustomMessage("facts", page_facts(x$forecast, x$asked))
    made(x)
  }, onRejected = function(e) failed(list(of = NULL, why = conditionMessage(e))))
  asked <- shiny::debounce(shiny::reactive(page_asked(input, made())), 40)
  said <- shiny::reactive(if (length(asked())) page_said(made()$forecast, asked()$question, asked()$without))
  search <- one_at_a_time(function(question) searched_answer(work, question$question, question$without),
                          function(question, x) searched(list(of = question, said = x)),
                          function(question, e) failed(list(of = question, why = conditionMessage(e))))
  shiny::observeEvent(asked(), {
    search(asked())
    session$doBookmark()
  }, ignoreNULL = TRUE)
  shiny::onBookmarked(function(url) shiny::updateQueryString(sub("^[^?]*", "", url)))
  output$more <- shiny::renderUI({
    x <- searched()
    if (!identical(x$of, asked()) || is.null(x$said)) return(NULL)
    shiny::tagList(page_made("timeline", "The plan's stages", x$said$figures$timeline),
                   page_made("costs", "Its cost, line by line", x$said$figures$cost))
  })
  output$answer <- shiny::renderUI({
    if (length(failed()) && identical(failed()$of, asked())) {
      return(answer_block("No answer", c(Why = sub("^Error: ", "", failed()$why))))
    }
    if (is.null(asked())) return(shiny::tags$p(class = "waiting", "Working out the forecast ..."))
    final <- identical(searched()$of, asked())
    x <- if (final) searched()$said else said()
    if (is.null(x)) return(answer_block("No option is left", c(Do = "Leave out fewer sites.")))
    answer_block(x$title, x$says, if (!final) "Plans of several sites and with a fallback are still searched.", x$pick)
  })
}

# The question that the inputs stand for, as decide() takes it, with the sites that are left out; NULL before there is a
# forecast.
page_asked <- function(input, made) {
  if (is.null(made) || !length(input$deadline) || !length(input$budget)) return(NULL)
  number <- function(x) if (is.numeric(x)) x else Inf
  list(question = list(deadline_s = number(input$deadline), budget = number(input$budget),
                       confidence = min(max(input$confidence, 0.01), 0.9999),
                       rule = check_choice(input$rule, "the page's rule", choice_rules),
                       together = !isTRUE(input$each)),
       without = sort(as.character(input$without)))
}

# What the browser judges by itself: of each option the middle of its finish and its mean cost, and all draws as 32-bit
# floats; what the question begins with; the ends of its ranges.
page_facts <- function(forecast, asked) {
  facts <- option_facts(forecast)
  table <- facts$table
  floats <- function(name) {
    openssl::base64_encode(writeBin(as.numeric(unlist(lapply(facts$draws, `[[`, name))), raw(), size = 4,
                                    endian = "little"))
  }
  finite <- function(x) x[is.finite(x)]
  scenario <- forecast$scenario
  list(options = I(table[["option"]]), sites = I(table[["site"]]), own = I(table[["own"]]), n = forecast$n,
       noise = I(ifelse(is.na(table[["noise"]]), 1e300, table[["noise"]])),
       finish_p50 = I(pmin(table[["finish_p50"]], 1e300)), cost_mean = I(table[["cost_mean"]]),
       evidence = I(as.character(table[["evidence"]])), finish = floats("finish_s"), cost = floats("cost"),
       now = as.numeric(scenario$now), zone = or_else(scenario$time_zone, "UTC"), currency = scenario$currency,
       longest = 1.5 * max(c(finite(table[["finish_p50"]]), finite(asked$deadline_s), 3600)),
       dearest = 1.5 * max(c(finite(table[["cost_mean"]]), finite(asked$budget), 1)),
       asked = Map(function(x) if (is.numeric(x) && is.infinite(x)) "none" else x, asked))
}
