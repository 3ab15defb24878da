# The view of jobs that run: frames, nodes, belief and money as they come, and orders that ask
# first.

# The view Running.
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
      "strip", "Frames",
      paste(
        "Height: seconds per frame. Below: full, received; ring, rendering; cross, failed; empty,",
        "not started."),
      more = shiny::tagList(canvas("strip", "Frames"), tags$p(
        id = "strip-said", class = "about",
        "Arrow keys select a frame; + and - zoom."
      ))
    )),
    page_figure("belief", "Finish, as forecast over time",
                paste0("Band and line: 80 % range and median. Dotted: now. The job finishes where ",
                       "the two meet.")),
    page_figure("spent", "Money",
                "Cost so far, forecast at the end, promise and budget."),
    tags$div(class = "wide", page_figure(
      "lanes", "Nodes",
      "Frames of each node over time. Cross: failed. Open end: rendering.",
      more = shiny::tagList(canvas("lanes", "Nodes over time"),
                            tags$p(id = "lanes-said", class = "about", ""))
    )),
    keys = c(f = "the frames", n = "the nodes", arrows = "from frame to frame, from run to run",
             "+ and -" = "draw nearer and away")
  )
}

# Server of the view Running.
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
    output$stands <- shiny::renderUI(empty_view(paste0("There is no job ", job,
                                                       " that was placed."),
                                                "clockpigeon watch"))
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
    pause = list(what = "paused",
                 ask = paste0("No more of its frames are begun until it goes on; what renders is ",
                              "finished.")),
    resume = list(what = "resumed", ask = "Its frames start again."),
    stop = list(what = "stopped",
                ask = "Finished frames stay; the rest is not rendered. It cannot be restarted."),
    fetch = list(what = "fetch",
                 ask = paste0("Pictures that are ready at its sites are fetched and held ",
                              "against their sums."))
  )
  output$orders <- shiny::renderUI({
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
      page_ask(session, "sure", paste0(capital_text(id), " job ", job, "?"), asked[[id]]$ask,
               paste0("The same as: clockpigeon ", id, " ", job))
    })
  })
  shiny::observeEvent(input$sure, {
    if (is.null(pending)) return()
    what <- asked[[pending]]$what
    pending <<- NULL
    said("Asked for ...")
    promises::then(promises::as.promise(ask_disk_process(work, send_page_order, job, what)),
                   function(words) {
      said(words)
      follower$again(job)
    }, function(e) said(work_trouble(e)))
    invisible()
  })
}
