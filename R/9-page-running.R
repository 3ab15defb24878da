# The view of jobs that run: frames, nodes, belief and money as they come, and orders that ask first.

running_page <- function(title) {
  tags <- shiny::tags
  canvas <- function(id, label) {
    tags$canvas(id = paste0(id, "-canvas"), tabindex = "0", role = "img", `aria-label` = label,
                `aria-describedby` = paste0(id, "-said"))
  }
  page_shell(
    title, "running",
    tags$div(class = "question", role = "region", `aria-label` = "Job", tags$div(
      tags$h2("Jobs that were placed"), shiny::uiOutput("jobs"), shiny::uiOutput("orders")
    )),
    tags$section(id = "said", `aria-live` = "off", shiny::uiOutput("stands")),
    tags$section(id = "alarms", class = "wide", `aria-live` = "polite", shiny::uiOutput("alarms")),
    tags$div(class = "wide", page_figure(
      "strip", "Frames", paste("Each stands as high as it took; below, how it stands: full is there, a ring renders, a",
                               "cross failed, empty is to come."),
      more = shiny::tagList(canvas("strip", "Frames"), tags$p(id = "strip-said", class = "about", "Arrow keys go from frame to frame, + and - draw nearer and away."))
    )),
    page_figure("belief", "Done, as it was believed at each moment",
                "Band and line: the middle 8 in 10 and the middle. Dotted: now. Where they meet, it is done."),
    page_figure("spent", "Money", "What it comes to in the end, beside the budget and what was promised."),
    tags$div(class = "wide", page_figure(
      "lanes", "Nodes", "What each node rendered, over time. A cross: it failed; open at its end: it renders.",
      more = shiny::tagList(canvas("lanes", "Nodes over time"), tags$p(id = "lanes-said", class = "about", ""))
    )),
    keys = c(f = "the frames", n = "the nodes", arrows = "from frame to frame, from run to run",
             "+ and -" = "draw nearer and away")
  )
}

running_server <- function(input, output, session, work, follower, query) {
  all <- project_jobs(work$root)
  job <- or_else(asked_of_view(query, "job"), if (length(all)) all[length(all)])
  output$jobs <- shiny::renderUI({
    if (!length(all)) return(shiny::tags$p("None."))
    page_choices("running", "job", all, job)
  })
  if (!length(all)) {
    output$stands <- shiny::renderUI(empty_view("No job was placed here.", "clockpigeon place JOB"))
    return(invisible())
  }
  if (!isTRUE(job %in% all)) {
    output$stands <- shiny::renderUI(empty_view(paste0("There is no job ", job, " that was placed."), "clockpigeon watch"))
    return(invisible())
  }
  state <- shiny::reactiveVal(NULL)
  sent <- NULL
  follower$join(job, session, function(x) {
    session$sendCustomMessage("watched", changed_frames(x, sent))
    if (length(x$frames)) sent <<- x$frames
    state(x)
  })
  output$stands <- shiny::renderUI({
    x <- state()
    if (is.null(x)) return(shiny::tags$p(class = "waiting", paste0("Looking at job ", job, " ...")))
    if (is.null(x$says)) return(answer_block(paste("Job", job), c(Trouble = x$trouble)))
    answer_block(x$title, x$says, if (length(x$trouble)) paste(x$trouble, collapse = " "))
  })
  output$alarms <- shiny::renderUI(alarm_list(state()$alarms))
  order_buttons(input, output, session, work, follower, job, state)
}

# Alarms, the gravest first: a word for how grave they are, what is wrong and what to do.
alarm_list <- function(alarms) {
  tags <- shiny::tags
  if (!NROW(alarms)) return(NULL)
  words <- c(now = "act now", soon = "act soon", note = "to know")
  tags$ul(class = "alarms", lapply(seq_len(nrow(alarms)), function(i) {
    row <- alarms[i, ]
    tags$li(class = row[["level"]], tags$strong(words[[row[["level"]]]]), " ", row[["says"]], " ",
            tags$em(row[["action"]]))
  }))
}

# Pause, stop and fetch: each says what it does and asks before.
order_buttons <- function(input, output, session, work, follower, job, state) {
  said <- shiny::reactiveVal(NULL)
  asked <- list(
    pause = list(what = "paused", ask = "No more of its frames are begun until it goes on; what renders is finished."),
    resume = list(what = "resumed", ask = "Its frames are begun again."),
    stop = list(what = "stopped", ask = "What is done stays; the rest is not rendered. It cannot be begun again."),
    fetch = list(what = "fetch", ask = "Pictures that are ready at its sites are fetched and held against their sums.")
  )
  output$orders <- shiny::renderUI({
    held <- shiny::isolate(state())
    paused <- isTRUE(state()$paused)
    if (is.null(state()$says)) return(NULL)
    button <- function(id, label) shiny::actionButton(id, label, class = "order")
    shiny::tags$div(
      class = "orders",
      if (!isTRUE(state()$stopped)) shiny::tagList(
        if (paused) button("resume", "Go on ...") else button("pause", "Pause ..."),
        button("stop", "Stop ...")
      ),
      if (isTRUE(state()$elsewhere)) button("fetch", "Fetch ..."),
      shiny::tags$p(role = "status", said())
    )
  })
  pending <- NULL
  lapply(names(asked), function(id) {
    shiny::observeEvent(input[[id]], {
      pending <<- id
      shiny::showModal(shiny::modalDialog(
        title = paste0(toupper(substr(id, 1, 1)), substring(id, 2), " job ", job, "?"), shiny::tags$p(asked[[id]]$ask),
        shiny::tags$p(class = "about", "The same as: clockpigeon ", id, " ", job),
        footer = shiny::tagList(shiny::modalButton("No"), shiny::actionButton("sure", "Yes")), easyClose = TRUE
      ))
    })
  })
  shiny::observeEvent(input$sure, {
    shiny::removeModal()
    if (is.null(pending)) return()
    what <- asked[[pending]]$what
    pending <<- NULL
    said("Asked for ...")
    promises::then(promises::as.promise(ask_beside(work, ordered_there, job, what)), function(words) {
      said(words)
      follower$again(job)
    }, function(e) said(sub("^Error: ", "", conditionMessage(e))))
    invisible()
  })
}

# Jobs of a project that were placed, in the order in which they were.
project_jobs <- function(root) {
  project <- read_project(root, parts = character())
  if (!file.exists(project$ledger)) return(character())
  with_ledger(project$ledger, function(ledger) placed_jobs(ledger, stopped = TRUE))
}

# ---- what is sent ----------------------------------------------------------------------------------------------------

# How a job stands, as the browser and the sentences have it. `frames`: of each frame `state`, `seconds`, `node` (a
# number in `nodes`, from 0; -1), `begun` and `ended` (seconds from the placing; NA).
page_state <- function(x, belief, trouble = NULL) {
  scenario <- x$state$scenario
  columns <- job_columns(x$state$job)
  alarms <- as_frame(x$alarms)
  cost <- quantile_of(x$draws[["cost"]], c(0.1, 0.5, 0.9))
  finite <- function(v) ifelse(is.finite(v), v, NA)
  charged <- if (all(is.na(x$at_sites[["charged"]]))) NA else sum(x$at_sites[["charged"]], na.rm = TRUE)
  stopped <- isTRUE(x$happened$stopped)
  list(
    job = x$job, title = paste0("Job ", x$job, ", placed ",
                                clock_text(x$placed, first_of(scenario$time_zone, "UTC"), date = TRUE)),
    says = watch_words(x), trouble = if (length(trouble)) trouble,
    alarms = data.frame(level = alarms[["level"]], says = paste0(capital_text(alarms[["says"]]), ".", recycle0 = TRUE),
                        action = alarms[["action"]]),
    shots = split(columns[["frame"]], factor(columns[["shot"]], unique(columns[["shot"]]))),
    frames = frame_facts(x, columns), nodes = I(as.character(x$nodes[["node"]])),
    now = x$passed_s, placed = as.numeric(x$placed), zone = first_of(scenario$time_zone, "UTC"),
    deadline = finite(x$state$asked$deadline_s),
    belief = lapply(belief[c("at_s", "p10", "p50", "p90")], function(v) I(finite(v))),
    money = list(currency = scenario$currency, p10 = cost[[1]], p50 = cost[[2]], p90 = cost[[3]], mean = x$mean,
                 charged = charged, budget = finite(x$state$asked$budget), promised = x$promised$cost_mean),
    paused = isTRUE(x$happened$paused), stopped = stopped, elsewhere = NROW(x$at_sites) > 0,
    over = if (stopped || all(x$here)) TRUE
  )
}

frame_facts <- function(x, columns) {
  told <- x$frames
  told <- told[is.na(told[["piece"]]), , drop = FALSE]
  at <- match(row_key(columns, c("shot", "frame")), row_key(told, c("shot", "frame")))
  state <- told[["state"]][at]
  there <- is.finite(x$came) & !state %in% c("arrived", "usable")
  state[there] <- "arrived"
  state[is.na(state)] <- "waiting"
  ended <- ifelse(state %in% c("rendering", "waiting"), NA, ifelse(is.finite(x$came), x$came, told[["since"]][at]))
  begun <- told[["begun"]][at]
  seconds <- ifelse(is.na(told[["seconds"]][at]) & !is.na(ended), ended - begun, told[["seconds"]][at])
  data.frame(state = match(state, frame_states) - 1L, seconds = round(seconds, 3),
             node = match(told[["node"]][at], x$nodes[["node"]], 0L) - 1L, begun = round(begun, 3),
             ended = round(ended, 3))
}

# The same with the frames that are not as they were sent last: rows of their place and what they are.
changed_frames <- function(x, sent) {
  if (is.null(x$frames)) return(list(trouble = I(x$trouble)))
  now <- x$frames
  differs <- function(a, b) is.na(a) != is.na(b) | (!is.na(a) & !is.na(b) & a != b)
  changed <- if (is.null(sent)) now[["state"]] > 0 else
    Reduce(`|`, Map(differs, now, sent))
  rows <- cbind(which(changed) - 1L, as.matrix(now[changed, , drop = FALSE]))
  dimnames(rows) <- NULL
  out <- x[setdiff(names(x), c("says", "alarms", "title", "trouble"))]
  out$shots <- if (is.null(sent)) lapply(x$shots, I)
  out$all <- nrow(now)
  out$fresh <- is.null(sent)
  out$frames <- rows
  out
}
