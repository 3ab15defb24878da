# The view of what is known: the ledger as a table, comparisons, curves of shots, speeds, what is
# assumed, what to measure next.

# The view Evidence.
evidence_page <- function(title) {
  tags <- shiny::tags
  page_shell(
    title, "evidence",
    tags$form(class = "question", `aria-label` = "Timings shown", tags$div(
      tags$h2("Timings"),
      pick_one("scene", "Scene", c("all" = "")), pick_one("engine", "Engine", c("all" = "")),
      pick_one("where", "Node or site", c("all" = "")),
      pick_one("status", "How they ended", c("all" = "")),
      pick_one("group", "Group by",
               c("none" = "", stats::setNames(group_columns, gsub("_", " ", group_columns)))),
      pick_one("compare", "Compare by", factor_label(names(compare_factors)))
    )),
    tags$section(class = "wide", tags$h2("The ledger"), shiny::uiOutput("counted", class = "about"),
                 DT::DTOutput("timings"),
                 # Brought in later its scripts would be ones in the page, which are not let run.
                 ledger_table(data.frame())$dependencies,
                 shiny::downloadLink("timings_csv", "Save these as CSV")),
    shiny::uiOutput("compared", class = "wide"), shiny::uiOutput("known", class = "wide"),
    shiny::uiOutput("measured", class = "wide"), limits_part()
  )
}

filter_inputs <- c("scene", "engine", "where", "status")
group_columns <- c("scene", "shot", "engine", "engine_version", "node", "site", "device",
                   "limit_value", "kind")
shown_columns <- c(measured_at = "measured", scene = "scene", frame = "frame",
                   rendered_by = "engine", limit = "limit", where = "where", device = "device",
                   wall_s = "seconds", status = "ended", kind = "kind")

filtered_rows <- function(x, input) {
  for (id in filter_inputs) {
    if (length(x) && nzchar(or_else(input[[id]], "")))
      x <- x[x[[id]] %in% input[[id]], , drop = FALSE]
  }
  x
}

# How many of all timings are shown. `all`: rows of compute_timings().
counted_text <- function(x, all) {
  older <- attr(all, "older")
  paste0(format(nrow(x), big.mark = ","), " of ", format(nrow(all), big.mark = ","),
         " timings, times in seconds.",
         if (length(older)) paste("", older, "older ones are in the ledger and not shown."),
         if (any(all[["sample"]])) " Sample data, invented.")
}

# Server of the view Evidence.
evidence_server <- function(input, output, session, work, query) {
  rows <- shiny::reactiveVal(NULL)
  about <- shiny::reactiveVal(NULL)
  trouble <- shiny::reactiveVal(NULL)
  told <- function(e) trouble(work_trouble(e))
  load <- function() {
    promises::then(promises::as.promise(ask_disk_process(work, compute_timings)), function(x) {
      for (id in filter_inputs) {
        shiny::updateSelectInput(session, id, choices = c("all" = "", levels(x[[id]])),
                                 selected = asked_of_view(query, id))
      }
      rows(x)
    }, told)
    promises::then(promises::as.promise(ask_process(work$profile, compute_known)), about, told)
    invisible()
  }
  load()
  keep_in_address(input, session, query, rows)
  kept <- shiny::reactive(filtered_rows(rows(), input))
  shown <- shiny::reactive({
    x <- kept()
    by <- input$group
    if (is.null(x)) return(NULL)
    if (nzchar(or_else(by, ""))) return(as_frame(grouped_times(x, by)))
    stats::setNames(x[names(shown_columns)], shown_columns)
  })
  output$counted <- shiny::renderUI({
    x <- kept()
    if (is.null(x) && length(trouble())) return(answer_block("Evidence", c(Trouble = trouble())))
    if (is.null(x)) return("Reading the ledger ...")
    if (!nrow(rows())) return(empty_view("The ledger has no timings yet.", "clockpigeon bench"))
    counted_text(x, rows())
  })
  index <- shiny::reactive(searchable_table(shown()))
  # No table before there are rows: what is searched for in an empty one would be lost when they
  # come.
  output$timings <- DT::renderDT(ledger_table(shiny::req(shown())), server = TRUE,
                                 funcFilter = function(data, params) {
    table_answer(data, params, shiny::isolate(index()))
  })
  output$timings_csv <- shiny::downloadHandler("timings.csv", function(path) {
    write_csv(shown(), path)
  })
  show_comparisons(input, output, work, rows, told)
  output$known <- shiny::renderUI({
    if (length(trouble())) return(shiny::tags$p(class = "trouble", trouble()))
    if (is.null(about()))
      return(shiny::tags$p(class = "waiting", "Working out what is known of the job ..."))
    known_block(about())
  })
  measure_buttons(input, output, session, work, about, load)
  limits_server(input, output, session, work)
}

# The address holds the view's settings, and restores them; filters follow once their values are
# known.
keep_in_address <- function(input, session, query, rows) {
  for (id in c("group", "compare")) {
    if (length(asked_of_view(query, id)))
      shiny::updateSelectInput(session, id, selected = asked_of_view(query, id))
  }
  shiny::observe({
    asked <- lapply(stats::setNames(nm = c(filter_inputs, "group", "compare")), function(id) {
      if (nzchar(or_else(input[[id]], ""))) input[[id]]
    })
    if (length(rows())) shiny::updateQueryString(do.call(view_address, c(list("evidence"), asked)))
  })
}

# Show comparisons by the chosen factor.
show_comparisons <- function(input, output, work, rows, told) {
  compared <- shiny::reactiveVal(NULL)
  speeds <- shiny::reactiveVal(NULL)
  shiny::observe({
    rows()
    by <- gsub(" ", "_", or_else(input$compare, "engine version"))
    promises::then(promises::as.promise(ask_disk_process(work, compute_comparison, by)), compared,
                   told)
    invisible()
  })
  promises::then(promises::as.promise(ask_disk_process(work, compute_speeds)), speeds, told)
  output$compared <- shiny::renderUI(shiny::tagList(
    compared_block(compared()),
    page_picture("speeds", "Speeds of devices", speeds(), "All timings, by scene and device.")
  ))
}

# Timings of the ledger as the table shows them: texts as factors, which are searched and sorted by
# their levels.
compute_timings <- function(root) {
  project <- read_project(root, parts = character())
  if (!has_ledger(project$ledger))
    stop_input("ledger", "there is none yet", project$ledger, "Run clockpigeon bench.")
  read <- with_ledger(project$ledger, last_timings)
  x <- as_frame(read)
  x$where <- ifelse(is.na(x[["site"]]), x[["node"]], x[["site"]])
  x$limit <- ifelse(is.na(x[["limit_kind"]]), NA, paste(x[["limit_value"]], x[["limit_kind"]]))
  x$rendered_by <- paste(x[["engine"]],
                         ifelse(is.na(x[["engine_version"]]), "", x[["engine_version"]]))
  x$measured_at <- sub("T", " ", substr(x[["measured_at"]], 1, 16))
  x$sample <- is_sample(x)
  # No more than is shown: the page keeps it for each window.
  x <- x[unique(c(names(shown_columns), group_columns, "where", "status", "wall_s", "sample"))]
  texts <- vapply(x, is.character, NA)
  x[texts] <- lapply(x[texts], factor)
  structure(x, older = attr(read, "older"))
}

# Distinct values of each column in small letters, and the value of each row: made once for many
# searches.
searchable_table <- function(x) {
  lapply(x, function(column) {
    if (is.factor(column)) return(list(texts = tolower(levels(column)), codes = as.integer(column)))
    distinct <- unique(column)
    list(texts = tolower(as.character(distinct)), codes = match(column, distinct))
  })
}

ledger_table <- function(x) {
  if (!length(x)) x <- data.frame(timings = character())
  numbers <- which(vapply(x, is.numeric, NA)) - 1
  x[] <- lapply(x, function(v) if (is.numeric(v)) signif(v, 6) else v)
  DT::datatable(x, rownames = FALSE, escape = TRUE, selection = "none", class = "plain",
                style = "default", colnames = gsub("_", " ", names(x)),
                options = list(pageLength = 15, dom = "frtip", searchDelay = 120, autoWidth = FALSE,
                               columnDefs = list(list(className = "number",
                                                      targets = as.list(unname(numbers))))))
}

# Rows for the table: those in which each word of the search occurs, ordered, one page of them.
# `index`: from searchable_table(); a text is searched only in the distinct values of a column.
table_answer <- function(data, params, index = searchable_table(data)) {
  n <- nrow(data)
  at <- seq_len(n)
  for (word in strsplit(trimws(or_else(params$search[["value"]], "")), "[[:space:]]+")[[1]]) {
    hit <- logical(length(at))
    for (column in index) hit <- hit |
      grepl(tolower(word), column$texts, fixed = TRUE)[column$codes[at]] %in% TRUE
    at <- at[hit]
  }
  keys <- lapply(params$order, function(one) {
    k <- as.integer(one[["column"]]) + 1
    key <- if (is.numeric(data[[k]])) data[[k]][at] else
      rank_of(index[[k]]$texts)[index[[k]]$codes[at]]
    if (identical(one[["dir"]], "desc")) -key else key
  })
  if (length(keys)) at <- at[do.call(order, unname(keys))]
  from <- suppressWarnings(as.integer(or_else(params$start, 0)))
  many <- suppressWarnings(as.integer(or_else(params$length, 15)))
  page <- if (is.na(many) || many < 0) at else
    at[seq_along(at) > from & seq_along(at) <= from + many]
  rows <- as_frame(data)[page, , drop = FALSE]
  rows[] <- lapply(rows, function(v) {
    if (is.numeric(v)) v else htmltools::htmlEscape(ifelse(is.na(v), "", as.character(v)))
  })
  list(draw = as.integer(params$draw), recordsTotal = n, recordsFiltered = length(at),
       data = unname(lapply(seq_len(nrow(rows)),
                            function(i) unname(as.list(rows[i, , drop = FALSE])))),
       # All rows that are found are sent nowhere: nothing here asks for them.
       DT_rows_all = list(), DT_rows_current = page)
}

rank_of <- function(texts) match(texts, sort(unique(texts)))

# ---- comparisons, and what is known of the question's job ----------------------------------------

compute_comparison <- function(root, by) {
  project <- read_project(root, parts = character())
  x <- tryCatch(with_ledger(project$ledger, function(ledger) compare_timings(ledger, by)),
                clockpigeon_error = identity)
  if (inherits(x, "error")) return(list(none = conditionMessage(x)))
  if (!nrow(x)) return(list(none = paste0("No two timings differ in ", factor_label(by),
                                          " alone.")))
  list(figure = made_picture(ggplot2::autoplot(x), height = 3.6), table = report_comparison(x))
}

# Relative speeds of the ledger's devices.
compute_speeds <- function(root) {
  project <- read_project(root, parts = character())
  tryCatch(made_picture(ggplot2::autoplot(fit_speeds(with_ledger(project$ledger, newest_timings)))),
           clockpigeon_error = function(e) NULL)
}

compared_block <- function(x) {
  tags <- shiny::tags
  if (is.null(x)) return(NULL)
  if (length(x$none))
    return(tags$section(tags$h2("Like with like"), tags$p(class = "about", x$none)))
  shiny::tagList(
    page_picture("ratios", "Like with like", x$figure,
                 paste0("Ratio of the old time to the new, with its 95 % interval, of timings ",
                        "that differ in nothing else.")),
    plain_table(x$table, "Comparison", c("Pairs", "Old time", "New time"))
  )
}

# Evidence of the question's job: curves of its shots, speeds of sites, gaps, next measurements.
compute_known <- function() {
  forecast <- worked_for$made$forecast
  job <- main_job(forecast$scenario)
  choice <- make_decision(forecast, worked_for$made$asked, details = FALSE)
  curves <- Map(function(shot, curve) {
    if (!inherits(curve, "cp_curve")) return(NULL)
    list(shot = shot$shot, figure = made_picture(ggplot2::autoplot(curve)),
         says = slow_frame_words(curve))
  }, job$shots, job$curves)
  curves <- unname(Filter(length, curves))
  list(curves = curves, speeds = report_speeds(forecast$scenario),
       unknown = unname(unknown_words(forecast)), evidence = evidence_line(job),
       measures = as_frame(next_measures(choice)))
}

# Likely place of the slowest frame, and the best frame to measure next.
slow_frame_words <- function(curve) {
  slow <- slowest(curve)
  open <- setdiff(curve$frames, curve$frame)
  c(paste0("The slowest frame takes ", format_duration(slow[["median"]]), " (80 % range ",
           format_duration(slow[["lower"]]),
           " to ", format_duration(slow[["upper"]]), "), most often frame ", slow[["frame"]], " (",
           format_percent(slow[["chance"]]), ")."),
    if (length(open)) paste0("The next frame to measure is ", next_probe(curve)[["frame"]][1], "."))
}

known_block <- function(x) {
  tags <- shiny::tags
  shiny::tagList(
    tags$section(tags$h2("Basis of the forecast"), tags$p(paste0(x$evidence, ".")),
                 plain_table(x$speeds, "Speeds of sites", character())),
    lapply(seq_along(x$curves), function(k) {
      page_picture(paste0("curve-", k), paste("Frame times of", x$curves[[k]]$shot),
                   x$curves[[k]]$figure,
                   paste(c("Points: measured. Band: 80 % range of the others.",
                           x$curves[[k]]$says), collapse = " "))
    }),
    tags$section(tags$h2("Unknown"), tags$ul(lapply(x$unknown, tags$li)))
  )
}

# What to measure next, with commands; measurements on this machine have a button.
measure_buttons <- function(input, output, session, work, about, load) {
  tags <- shiny::tags
  state <- shiny::reactiveVal(list())
  said <- tempfile("page-said-")
  task <- NULL
  output$measured <- shiny::renderUI({
    rows <- about()$measures
    if (is.null(rows)) return(NULL)
    tags$section(tags$h2("What to measure next"),
                 if (nrow(rows)) tags$ol(class = "measures", measure_items(rows))
                 else tags$p("Nothing is worth measuring."),
                 shiny::uiOutput("measuring"))
  })
  output$measuring <- shiny::renderUI({
    x <- state()
    if (length(x$waiting))
      waiting_block(paste("Measuring:", x$waiting), "measuring_says", "leave_measure")
    else tags$p(role = "status", x$says)
  })
  output$measuring_says <- say_work(function() length(state()$waiting) > 0, said)
  shiny::observeEvent(input$measure, {
    row <- about()$measures[input$measure, ]
    page_ask(session, "measure_sure", "Measure here?", row[["says"]],
             paste("The same as:", row[["command"]]))
  })
  shiny::observeEvent(input$measure_sure, {
    if (length(state()$waiting)) return()
    row <- about()$measures[input$measure, ]
    task <<- measured_here(work, row, said)
    state(list(waiting = row[["command"]]))
    promises::then(promises::as.promise(task), function(x) {
      state(list(says = "Measured. The forecast is being updated."))
      ask_question(work)
      load()
    }, function(e) state(list(says = work_trouble(e))))
    invisible()
  })
  shiny::observeEvent(input$leave_measure, leave_work(task))
}

measure_items <- function(rows) {
  tags <- shiny::tags
  lapply(seq_len(nrow(rows)), function(i) {
    command <- rows[["command"]][i]
    tags$li(tags$span(rows[["says"]][i]),
            if (startsWith(command, "clockpigeon ")) tags$code(command),
            if (rows[["what"]][i] %in% c("probe", "cheap")) {
              tags$button(type = "button", class = "order measure", `data-row` = i,
                          "Run it here ...")
            })
  })
}
