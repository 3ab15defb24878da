# Frame of all views of the page: the head, the navigation, figures with their files, keys.

# Views by the word in their address: `title`, `key` that goes there, `script` (a module of
# inst/page).
page_views <- list(
  decide = list(title = "Decide", key = "1", script = "decide.js"),
  evidence = list(title = "Evidence", key = "2", script = "limits.js"),
  sites = list(title = "Sites", key = "3", script = "page.js"),
  running = list(title = "Running", key = "4", script = "running.js"),
  after = list(title = "After", key = "5", script = "page.js")
)

# The view that a request's query, as shiny has it, asks for.
asked_view <- function(query) {
  view <- page_query(query)[["view"]]
  if (isTRUE(view %in% names(page_views))) view else "decide"
}

# Part of a query after the view: one text, or NULL.
asked_of_view <- function(query, name) {
  x <- page_query(query)[[name]]
  if (length(x) == 1 && nzchar(x)) x
}

# A query as a list of texts; an empty one where it is no query, such as one with a null byte.
page_query <- function(query) {
  tryCatch(shiny::parseQueryString(or_else(query, "")), error = function(e) list(),
           warning = function(w) list())
}

# An address of the page. `...`: what the view is of.
view_address <- function(view, ...) {
  given <- Filter(length, list(view = view, ...))
  paste0("/?", paste0(names(given), "=", vapply(given, utils::URLencode, "", reserved = TRUE),
                      collapse = "&"))
}

# A whole view. `left`: what stands on the left of everything; `...`: what is in the middle.
page_shell <- function(title, view, left, ..., keys = character()) {
  tags <- shiny::tags
  of <- page_views[[view]]
  bslib::page(
    theme = bslib::bs_theme(version = 5), lang = "en",
    title = paste0(of$title, ": ", title, ", Clock Pigeon"), tags$head(
      tags$link(rel = "stylesheet", href = "page/page.css"),
      tags$link(rel = "icon", href = "data:,"),
      tags$script(type = "module", src = paste0("page/", of$script))
    ),
    tags$a(class = "skip", href = "#middle", "To the middle"),
    tags$header(
      tags$h1(title),
      tags$nav(`aria-label` = "Views", unname(Map(function(name, x) {
        tags$a(href = view_address(name), `data-key` = x$key,
               `aria-current` = if (name == view) "page", x$title)
      }, names(page_views), page_views))),
      tags$p(id = "connection", role = "status")
    ),
    tags$div(class = "columns", left, tags$main(id = "middle", class = view, tabindex = "-1", ...)),
    keys_dialog(keys),
    tags$dialog(id = "ask", `aria-labelledby` = "ask-title", tags$h2(id = "ask-title"),
                tags$div(id = "ask-texts"),
                tags$button(type = "button", id = "ask-no", class = "order", "No"),
                tags$button(type = "button", id = "ask-yes", class = "order", "Yes"))
  )
}

# Asks before something is done; `input[[id]]` is set by a yes. (shiny's own dialog needs a script
# in the page.)
page_ask <- function(session, id, title, ...) {
  session$sendCustomMessage("ask", list(id = id, title = title, texts = I(c(...))))
}

# A list of what a view can be of, each an address; `current` is shown.
page_choices <- function(view, of, names, current, says = NULL) {
  tags <- shiny::tags
  address <- function(name) do.call(view_address, c(list(view), stats::setNames(list(name), of)))
  tags$ul(class = "choices", lapply(seq_along(names), function(k) {
    tags$li(tags$a(href = address(names[k]),
                   `aria-current` = if (identical(names[k], current)) "true", names[k]),
            if (length(says)) tags$span(says[k]))
  }))
}

# A figure that the browser draws, with what it shows in words and its files.
page_figure <- function(id, title, about, more = NULL) {
  tags <- shiny::tags
  save <- function(kind) {
    tags$button(type = "button", class = "save", `data-figure` = id, `data-kind` = kind,
                `aria-label` = paste0(title, " as ", toupper(kind)), toupper(kind))
  }
  tags$section(
    class = "figure", tags$h2(title), tags$p(class = "about", about),
    tags$div(id = id, class = "plot"), more,
    tags$p(class = "saves", "Save:", save("svg"), save("png"), save("csv"))
  )
}

# An answer: its title and its sentences, and what is still to come.
answer_block <- function(title, says, more = NULL, pick = NA) {
  tags <- shiny::tags
  shiny::tagList(
    tags$h2(title, `data-pick` = if (is.na(pick)) "" else pick),
    html_sentences(says),
    if (length(more)) tags$p(class = "waiting", more)
  )
}

# Notice of running work: its name, its last message (the output `says`), a way out (the input
# `leave`).
waiting_block <- function(what, says = "work_says", leave = "leave_work") {
  shiny::tags$p(class = "waiting", paste(what, "... "), shiny::textOutput(says, inline = TRUE), " ",
                does_button(leave, "Leave it"))
}

# A button that sets `input[[does]]`.
does_button <- function(does, text)
  shiny::tags$button(type = "button", class = "order does", `data-does` = does, text)


# Text of an empty view: the reason, and the command that fills it.
empty_view <- function(why, command) {
  tags <- shiny::tags
  tags$section(class = "empty", tags$p(why), tags$p("Run ", tags$code(command), "."))
}

keys_dialog <- function(more = character()) {
  tags <- shiny::tags
  views <- vapply(page_views, `[[`, "", "title")
  keys <- c("?" = "this list",
            stats::setNames(paste("the view", views), vapply(page_views, `[[`, "", "key")), more)
  tags$dialog(id = "keys", `aria-label` = "Keys", tags$h2("Keys"),
              tags$dl(unname(Map(function(key, does)
                                 shiny::tagList(tags$dt(tags$kbd(key)), tags$dd(does)), names(keys),
                                 keys))),
              tags$button(type = "button", id = "keys-close", "Close"))
}

# Summary of a project's ledger; NULL if there is none yet.
with_ledger_of <- function(root, code) {
  project <- read_project(root, parts = character())
  if (has_ledger(project$ledger)) with_ledger(project$ledger, code)
}

# Jobs of a project that were placed, in the order in which they were.
project_jobs <- function(root) {
  or_else(with_ledger_of(root, function(ledger) placed_jobs(ledger, stopped = TRUE)), character())
}

# `x` from made_picture(), in its place in the page.
page_picture <- function(id, title, x, about = NULL) {
  if (is.null(x)) return(NULL)
  page_figure(id, title, about, more = shiny::tags$img(
    class = "made", src = x$src, alt = x$alt, width = x$width, height = x$height, `data-of` = id,
    `data-rows` = as.character(jsonlite::toJSON(x$rows, auto_unbox = TRUE, na = "null", digits = 7))
  ))
}

# Figures of a decision that R draws: stages and lines of cost, where there is a plan.
decided_figures <- function(choice) {
  if (is.na(choice$pick)) return(NULL)
  made <- function(show) {
    tryCatch(made_picture(ggplot2::autoplot(choice, show = show)),
             clockpigeon_error = function(e) NULL)
  }
  list(timeline = made("timeline"), cost = made("cost"))
}
