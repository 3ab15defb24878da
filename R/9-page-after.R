# The view of jobs that ended: frames that are not usable, the bill against the promise, what was
# learned.

after_page <- function(title) {
  tags <- shiny::tags
  page_shell(
    title, "after",
    tags$div(class = "question", role = "region", `aria-label` = "Job", tags$div(
      tags$h2("Jobs that were placed"), shiny::uiOutput("jobs"),
      tags$div(class = "orders",
               shiny::actionButton("look", "Look at its pictures", class = "order"),
               shiny::actionButton("leave", "Leave it", class = "order", disabled = NA))
    )),
    shiny::uiOutput("bill", class = "wide"), shiny::uiOutput("pictures", class = "wide"),
    shiny::uiOutput("learned", class = "wide")
  )
}

# Server of the view After.
after_server <- function(input, output, session, work, query) {
  tags <- shiny::tags
  all <- project_jobs(work$root)
  job <- or_else(asked_of_view(query, "job"), if (length(all)) all[length(all)])
  output$jobs <- shiny::renderUI(if (length(all)) page_choices("after", "job", all, job) else
                                 tags$p("None."))
  if (!isTRUE(job %in% all)) {
    output$bill <- shiny::renderUI(empty_view("No such job was placed here.",
                                              "clockpigeon place JOB"))
    return(invisible())
  }
  ask <- function(f, ...) {
    x <- shiny::reactiveVal(NULL)
    promises::then(promises::as.promise(ask_disk_process(work, f, ...)), x,
                   function(e) x(list(trouble = work_trouble(e))))
    x
  }
  settled <- ask(compute_settlement, job)
  taught <- ask(compute_scores)
  output$bill <- shiny::renderUI(bill_block(settled(), job))
  output$learned <- shiny::renderUI(learned_block(taught()))
  looked <- shiny::reactiveVal(NULL)
  looking <- NULL
  shiny::observeEvent(input$look, {
    if (length(looking)) return()
    looked(list(waiting = TRUE))
    # A separate process, which can be ended at any time.
    looking <<- looked_at_pictures(work$root, job)
    session$sendCustomMessage("looking", TRUE)
    over <- function(x) {
      looking <<- NULL
      session$sendCustomMessage("looking", FALSE)
      looked(x)
    }
    promises::then(looking$done, over, function(e) over(list(trouble = work_trouble(e))))
    invisible()
  })
  shiny::observeEvent(input$leave, if (length(looking)) looking$end())
  session$onSessionEnded(function() if (length(looking)) looking$end())
  output$pictures <- shiny::renderUI(pictures_block(looked(), job))
}

# ---- the bill ------------------------------------------------------------------------------------

compute_settlement <- function(root, job) {
  project <- read_project(root, parts = c("shots", "sites", "rates"))
  with_ledger(project$ledger, function(ledger) {
    if (!nrow(job_charges(ledger, job))) return(list(none = "bill"))
    if (!job %in% job_outcomes(ledger)[["job"]]) return(list(none = "settled"))
    x <- settle_job(project, ledger, job)
    list(head = settle_head(x), figure = made_picture(ggplot2::autoplot(x)),
         steps = settled_table(x), findings = finding_texts(x, 400L))
  }, FALSE)
}

# A settled bill on the page.
bill_block <- function(x, job) {
  tags <- shiny::tags
  if (is.null(x)) return(tags$p(class = "waiting", "Settling ..."))
  if (length(x$trouble)) return(answer_block(paste("Job", job), c(Trouble = x$trouble)))
  if (length(x$none)) {
    return(empty_view(if (x$none == "bill") paste0("No bill of job ", job, " is known.") else
      paste0("Job ", job, " has a bill that was not settled."), paste0("clockpigeon settle ", job,
                                                                       if (x$none == "bill")
                                                                       " --bill FILE")))
  }
  shiny::tagList(
    tags$section(tags$h2("Promise and bill"), tags$p(x$head),
                 plain_table(x$steps, "Steps from promise to bill", names(x$steps)[2:3])),
    page_picture("steps", "From promise to bill", x$figure),
    tags$section(tags$h2("Of the bill"), tags$ul(lapply(sub("^[!*] ", "", x$findings), tags$li)))
  )
}

# ---- its pictures --------------------------------------------------------------------------------

# Verifies a job's pictures in a separate process: `done`, a promise, and `end()`.
looked_at_pictures <- function(root, job) {
  profile <- start_work_process(paste0("page-look-", paste(openssl::rand_bytes(4), collapse = "")))
  task <- ask_process(profile, compute_verification, root, job)
  close <- function() mirai::daemons(0, .compute = profile)
  list(done = promises::then(promises::as.promise(task), function(x) {
    close()
    x
  }, function(e) {
    close()
    stop("It was left before all pictures were looked at.", call. = FALSE)
  }), end = close)
}

# Verify a job's pictures, in the page's worker process.
compute_verification <- function(root, job) {
  old <- setwd(root)
  on.exit(setwd(old))
  project <- read_project(root, parts = c("shots", "sites", "rates"))
  tryCatch(with_ledger(project$ledger, function(ledger) {
    x <- verify_frames(job, project, ledger)
    suspects <- sheet_suspects(x, 8)
    sheet <- if (nrow(suspects)) suspect_data_url(x)
    f <- as_frame(x$findings)
    list(looked = x$looked, frames = nrow(x$frames),
         usable = sum(x$frames[["verdict"]] == "usable"),
         findings = f[c("shot", "frame", "code", "weight", "what", "evidence")], sheet = sheet,
         shown = paste(suspects[["sequence"]], suspects[["frame"]], suspects[["code"]]))
  }), clockpigeon_error = function(e) list(trouble = conditionMessage(e)))
}

# Pictures that need attention, on the page.
pictures_block <- function(x, job, most = 200) {
  tags <- shiny::tags
  head <- tags$h2("Frames that are not usable")
  if (is.null(x))
    return(tags$section(head, tags$p(class = "about",
                                     "Its pictures were not looked at in this window.")))
  if (isTRUE(x$waiting))
    return(tags$section(head, tags$p(class = "waiting", "Looking at its pictures ...")))
  if (length(x$trouble)) return(tags$section(head, tags$p(class = "trouble", x$trouble)))
  f <- utils::head(x$findings, most)
  tags$section(
    head, tags$p(paste0(x$usable, " of ", x$frames, " frames are usable; ", x$looked,
                        " pictures were looked at.",
                        if (nrow(x$findings) > most)
                        paste0(" The first ", most, " findings are shown."))),
    if (nrow(f))
    plain_table(data.frame(shot = f[["shot"]], frame = f[["frame"]], weight = f[["weight"]],
                           what = f[["what"]], evidence = f[["evidence"]]), "Findings", "frame"),
    if (length(x$sheet)) tags$img(class = "sheet", src = x$sheet, alt = paste0(
      "Suspects between the frames before and after them: ", toString(x$shown), ".")),
    if (nrow(f))
    tags$p("Run ", tags$code(paste0("clockpigeon verify ", job, " --again")),
           " to render them again.")
  )
}

# ---- what was learned ----------------------------------------------------------------------------

compute_scores <- function(root) {
  project <- read_project(root, parts = character())
  x <- with_ledger(project$ledger, learned)
  if (!NROW(x$scores)) return(list(none = TRUE))
  list(figure = tryCatch(made_picture(ggplot2::autoplot(x)), clockpigeon_error = function(e) NULL),
       says = c(claim_lines(as_frame(x$scores), 400L), correction_lines(x, 400L)),
       scores = as_frame(x$scores))
}

# Lessons of a job, on the page.
learned_block <- function(x) {
  tags <- shiny::tags
  if (is.null(x)) return(NULL)
  if (length(x$trouble)) return(tags$section(tags$h2("What was learned"), tags$p(x$trouble)))
  if (isTRUE(x$none)) {
    return(shiny::tagList(tags$h2("What was learned"),
                          empty_view("No job was settled yet.", "clockpigeon settle JOB")))
  }
  s <- x$scores
  says <- x$says[nzchar(x$says)]
  scores <- data.frame(site = s[["site"]], what = figure_words(s[["what"]]), at = s[["at"]],
                       `said by` = source_words(s), jobs = s[["jobs"]],
                       `in range` = ifelse(is.na(s[["inside"]]), "", s[["inside"]]),
                       `took times` = round(s[["bias"]], 2), check.names = FALSE)
  shiny::tagList(
    page_picture("learned-figure", "Forecasts and outcomes", x$figure),
    tags$section(tags$h2("What was learned"), tags$ul(lapply(sub("^- ", "", says), tags$li)),
                 plain_table(scores, "Scores of forecasts", c("jobs", "in range", "took times")))
  )
}

# The sheet of suspect frames as an address that holds the picture.
suspect_data_url <- function(x) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  suspect_sheet(x, path)
  bytes <- readBin(path, "raw", file.size(path))
  paste0("data:image/png;base64,", openssl::base64_encode(bytes))
}
