# The view of sites: cards in words, their price for the question's job, eligibility, and a card
# editor whose result is checked by the same reader and shown as a difference before it is written.

sites_page <- function(title) {
  tags <- shiny::tags
  page_shell(
    title, "sites",
    tags$div(class = "question", role = "region", `aria-label` = "Sites", tags$div(
      tags$h2("Sites"), shiny::uiOutput("sites")
    )),
    tags$section(class = "wide", shiny::uiOutput("card")),
    tags$section(class = "wide", shiny::uiOutput("worked")),
    tags$section(class = "wide", id = "editing", shiny::uiOutput("edit"),
                 shiny::uiOutput("checked"), shiny::uiOutput("edited"))
  )
}

# Server of the view Sites.
sites_server <- function(input, output, session, work, query) {
  tags <- shiny::tags
  again <- shiny::reactiveVal(0)
  project <- shiny::reactive({
    again()
    tryCatch(read_project(work$root, parts = c("shots", "sites", "rates")),
             clockpigeon_error = identity)
  })
  site <- shiny::reactive({
    if (inherits(project(), "error")) return(NULL)
    asked <- or_else(asked_of_view(query, "site"), names(project()$sites)[1])
    project()$sites[[or_else(asked, "")]]
  })
  output$sites <- shiny::renderUI({
    if (inherits(project(), "error") || !length(project()$sites)) return(tags$p("None."))
    all <- project()$sites
    page_choices("sites", "site", names(all), site()$site, vapply(all, function(s) {
      paste0(s$kind, if (length(s$as_of)) paste(", as of", format(s$as_of)))
    }, ""))
  })
  output$card <- shiny::renderUI({
    if (inherits(project(), "error"))
      return(answer_block("Sites", c(Trouble = conditionMessage(project()))))
    if (is.null(site())) return(empty_view("There is no such rate card.", "clockpigeon sites"))
    x <- card_parts(site())
    shiny::tagList(tags$h2(site()$site), tags$p(x$about),
                   plain_table(x$charges, "Charges", "price"), tags$ul(lapply(x$rest, tags$li)))
  })
  worked <- shiny::reactiveVal(NULL)
  shiny::observeEvent(site(), {
    name <- site()$site
    promises::then(promises::as.promise(ask_process(work$profile, compute_prices, name)),
                   function(x) worked(c(list(site = name), x)),
                   function(e) worked(list(site = name, trouble = work_trouble(e))))
    invisible()
  })
  output$worked <- shiny::renderUI({
    if (is.null(site())) return(NULL)
    x <- worked()
    if (!identical(x$site, site()$site))
      return(tags$p(class = "waiting", "Pricing the job here ..."))
    worked_block(x)
  })
  card_editor(input, output, session, work, site, function() again(shiny::isolate(again()) + 1))
}

# Price of the question's job at a site, and whether it can be rendered there.
compute_prices <- function(site) {
  forecast <- worked_for$made$forecast
  table <- option_facts(forecast)$table
  rows <- table[table[["site"]] %in% site, , drop = FALSE]
  job <- main_job(forecast$scenario)
  x <- list(currency = forecast$scenario$currency, question = job_words(job),
            options = rows[order(rows[["cost_mean"]]), , drop = FALSE])
  card <- forecast$scenario$sites[[site]]
  if (length(card)) x$eligibility <- as_frame(eligible(job, card))
  x
}

# Cost of the job at a site, on the page.
worked_block <- function(x) {
  tags <- shiny::tags
  if (length(x$trouble))
    return(answer_block("For the question's job", c(Trouble = x$trouble)))
  rows <- x$options
  body <- data.frame(option = rows[["option"]],
                     `done after` = format_duration(rows[["finish_p50"]]),
                     `80 % range` = paste(format_duration(rows[["finish_p10"]]), "to",
                                       format_duration(rows[["finish_p90"]])),
                     cost = format_money(rows[["cost_mean"]]),
                     `80 % range ` = paste(format_money(rows[["cost_p10"]]), "to",
                                        format_money(rows[["cost_p90"]])),
                     `speed is` = rows[["evidence"]], check.names = FALSE)
  names(body)[4] <- paste0("cost (", x$currency, ")")
  found <- x$eligibility
  shiny::tagList(
    tags$h2("For the question's job"), tags$p(class = "about", x$question),
    if (nrow(body)) plain_table(body, "Price here", names(body)[2:5])
    else tags$p("No option of it is here."),
    if (NROW(found)) shiny::tagList(tags$h2("Does it fit?"), eligibility_block(found))
  )
}

# Requirements that are not met or not stated, with the question to the site.
eligibility_block <- function(rows) {
  asked <- rows[rows[["answer"]] != "fits", , drop = FALSE]
  if (!nrow(asked)) return(shiny::tags$p("All that the job needs is there."))
  plain_table(data.frame(what = gsub("_", " ", asked[["field"]]), needs = asked[["needs"]],
                         has = ifelse(is.na(asked[["has"]]), "unsaid", asked[["has"]]),
                         answer = asked[["answer"]],
                         ask = asked[["says"]]), "Unmet requirements")
}

# ---- a card edited -------------------------------------------------------------------------------

# Editor of a site's rate card.
card_editor <- function(input, output, session, work, site, written) {
  tags <- shiny::tags
  path <- shiny::reactive(card_path(work$root, site()$site))
  found <- shiny::reactiveVal(NULL)
  state <- shiny::reactiveVal(NULL)
  output$edit <- shiny::renderUI({
    if (is.null(site())) return(NULL)
    shiny::tagList(
      tags$h2("Its file"),
      tags$label(`for` = "text", class = "about", paste0("sites/", basename(path()))),
      tags$textarea(id = "text", class = "shiny-input-textarea", rows = 18, spellcheck = "false",
                    paste(readLines(path(), warn = FALSE, encoding = "UTF-8"), collapse = "\n")),
      shiny::actionButton("check", "Check", class = "order")
    )
  })
  # Messages are separate from the text, which stays as typed.
  output$edited <- shiny::renderUI({
    if (is.null(site())) return(NULL)
    shiny::tagList(tags$p(role = "status", state()),
                   edits_block(with_ledger_of(work$root, ledger_edits), basename(path())))
  })
  shiny::observeEvent(input$check, {
    state(NULL)
    found(checked_card(input$text, path(), site()$site))
  })
  output$checked <- shiny::renderUI({
    x <- found()
    if (is.null(x)) return(NULL)
    if (length(x$trouble)) return(tags$p(class = "trouble", role = "alert", x$trouble))
    if (!nrow(x$lines)) return(tags$p("Nothing is changed."))
    shiny::tagList(tags$h2("Changes"), changed_lines(x$lines),
                   shiny::actionButton("write", "Write it ...", class = "order"))
  })
  shiny::observeEvent(input$write, {
    page_ask(session, "write_sure", paste0("Write sites/", basename(path()), "?"),
             paste0("It is written down in the ledger that ", user_name(),
                    " changed it. Decisions made with the old ", "card stay as they are."))
  })
  shiny::observeEvent(input$write_sure, {
    x <- found()
    found(NULL)
    done <- tryCatch(write_card(x, path(), work$root), clockpigeon_error = identity)
    if (inherits(done, "error")) return(state(conditionMessage(done)))
    state(done)
    ask_question(work)
    written()
  })
}

# Earlier changes, with their authors.
edits_block <- function(x, file) {
  tags <- shiny::tags
  if (!NROW(x)) return(NULL)
  x <- x[x[["file"]] == paste0("sites/", file), , drop = FALSE]
  if (!NROW(x)) return(NULL)
  shiny::tagList(tags$h2("Changed here"), tags$ul(lapply(seq_len(nrow(x)), function(i) {
    tags$li(substr(sub("T", " ", x[["made_at"]][i]), 1, 16), " UTC, ", x[["by"]][i],
            tags$pre(class = "changes", x[["change"]][i]))
  })))
}

# The file of a site's rate card.
card_path <- function(root, site) {
  files <- list.files(file.path(root, "sites"), "[.]ya?ml$", full.names = TRUE)
  named <- vapply(files, function(file)
                  identical(tryCatch(read_site(file)$site, error = function(e) NULL), site), NA)
  files[named][1]
}

# A text as the rate card of a site: why it cannot be read (`trouble`), or the lines that differ
# from the file's (`lines`), with the `text` and the file as it was (`old`).
checked_card <- function(text, path, site) {
  text <- sub("\n+$", "", gsub("\r\n?", "\n", or_else(text, "")))
  folder <- tempfile("card-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  draft <- file.path(folder, basename(path))
  writeLines(enc2utf8(text), draft, useBytes = TRUE)
  card <- tryCatch(read_site(draft), clockpigeon_error = identity)
  if (inherits(card, "error")) {
    return(list(trouble = gsub(short_path(draft), basename(path),
                               gsub(draft, basename(path), conditionMessage(card),
                                    fixed = TRUE), fixed = TRUE)))
  }
  if (card$site != site) {
    return(list(trouble = paste0("It names its site ", card$site, "; this file is that of ", site,
                                 ". A new site is a new file.")))
  }
  old <- readLines(path, warn = FALSE, encoding = "UTF-8")
  new <- readLines(draft, warn = FALSE, encoding = "UTF-8")
  list(text = new, old = old, lines = line_changes(old, new))
}

# Lines that go and come, with two around them: `sign` (`-`, `+`, or a space), `line`, `text`.
line_changes <- function(old, new, around = 2) {
  need_package("diffobj", "what changed")
  x <- as_frame(diffobj::ses_dat(old, new))
  sign <- c(Match = " ", Insert = "+", Delete = "-")[as.character(x[["op"]])]
  near <- vapply(seq_along(sign),
                 function(i) any(sign[max(1, i - around):min(length(sign), i + around)] != " "), NA)
  came <- sign == "+"
  data.frame(sign = sign, line = ifelse(came, x[["id.b"]], x[["id.a"]]),
             text = ifelse(came, new[x[["id.b"]]], old[x[["id.a"]]]),
             row.names = NULL)[near, , drop = FALSE]
}

changed_lines <- function(lines) {
  tags <- shiny::tags
  kind <- c("-" = "goes", "+" = "comes", " " = "stays")[lines[["sign"]]]
  tags$div(class = "scroll", tabindex = "0", role = "region",
           `aria-label` = "Changes", tags$ol(
    class = "changes", lapply(seq_len(nrow(lines)), function(i) {
      tags$li(class = kind[[i]],
              tags$span(class = "sign", paste(lines[["sign"]][i], lines[["line"]][i])),
              tags$span(lines[["text"]][i]))
    })
  ))
}

# Writes a checked card where its file is as it was when it was checked; what was written, in words.
write_card <- function(x, path, root) {
  if (!identical(readLines(path, warn = FALSE, encoding = "UTF-8"), x$old)) {
    stop_input("file", "was changed elsewhere meanwhile", path, "Look at it again.")
  }
  project <- read_project(root, parts = character())
  write_whole(path, function(part) writeLines(x$text, part, useBytes = TRUE))
  differ <- x$lines[x$lines[["sign"]] != " ", , drop = FALSE]
  with_ledger(project$ledger, function(ledger) {
    add_edit(ledger, paste0("sites/", basename(path)),
             paste(differ[["sign"]], differ[["text"]], collapse = "\n"))
  }, FALSE)
  went <- sum(differ[["sign"]] == "-")
  paste0("Written: ", went, if (went == 1) " line" else " lines", " went and ", nrow(differ) - went,
         " came.")
}
