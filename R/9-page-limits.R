# Limits and scaling in the evidence view: probes of a shot with a target to drag, its worst tiles,
# a blind comparison; times over the number of threads or devices.

# The part of Evidence on noise limits.
limits_part <- function() {
  tags <- shiny::tags
  shiny::tagList(
    tags$section(class = "wide", tags$h2("The limit of a shot"), tags$div(
      class = "asked-here", pick_one("limit_shot", "Shot", c("none" = "")),
      pick_one("limit_engine", "Engine", c("none" = "")),
      does_button("probe", "Probe it here ...")
    ), shiny::uiOutput("probing")),
    tags$div(id = "limit-part", class = "wide", hidden = NA,
             page_figure("limit", "Noise against samples",
                         paste(
                           "Points: probes. Lines: each frame's fit, the band 95 % of the one",
                           "that needs most. The",
                           "line across is the target: drag it, or move the slider."),
                         more = tags$div(
                       class = "field", tags$label(`for` = "target", "Noise target"),
                       tags$output(id = "target-said", `for` = "target"),
                       tags$input(type = "range", id = "target", min = 0, max = 200, step = 1,
                                  value = 100)
                     )),
             shiny::uiOutput("limit_says"), shiny::uiOutput("limit_sheet")),
    shiny::uiOutput("scaling", class = "wide")
  )
}

pick_one <- function(id, label, choices) shiny::selectInput(id, label, choices, selectize = FALSE)

# Server of the part on noise limits.
limits_server <- function(input, output, session, work) {
  state <- shiny::reactiveVal(list())
  # Each window has its own study there.
  ask_here <- function(f, ...)
    ask_process(other_process(work, "here"), f, ..., window = session$token)
  trouble <- function(e) state(list(trouble = work_trouble(e)))
  promises::then(promises::as.promise(ask_disk_process(work, compute_shots)), function(x) {
    shiny::updateSelectInput(session, "limit_shot", choices = x$shots)
    shiny::updateSelectInput(session, "limit_engine", choices = x$engines)
  }, trouble)
  shiny::observeEvent(input$probe, {
    page_ask(session, "probe_sure", "Probe it here?",
             paste0("Two frames of ", input$limit_shot,
                    " are rendered twice at each of three counts of samples, on ",
                    "this machine. Their times go to the ledger."),
             paste("The same as:", limit_command(input)))
  })
  run_page_probe(input, output, session, work, state, ask_here)
  says <- shiny::reactiveVal(NULL)
  shiny::observeEvent(list(state()$facts, input$target_noise), {
    if (is.null(state()$facts)) return(says(NULL))
    promises::then(promises::as.promise(ask_here(answer_limits,
                                                 or_else(input$target_noise,
                                                         state()$facts$target))),
                   says, trouble)
    invisible()
  })
  output$limit_says <- shiny::renderUI(if (length(says())) shiny::tagList(
    html_sentences(says()$says),
    plain_table(says()$doublings, "Cost and gain of each doubling", names(says()$doublings))
  ))
  judge_here(input, output, work, state, ask_here)
  scaling <- shiny::reactiveVal(NULL)
  promises::then(promises::as.promise(ask_disk_process(work, compute_scaling)), scaling, trouble)
  output$scaling <- shiny::renderUI(scaling_block(scaling()))
}

limit_command <- function(input)
  paste("clockpigeon limit", input$limit_shot, "--engine", input$limit_engine)

# Probes a shot in the process that renders here, which keeps the pictures while the page is open.
run_page_probe <- function(input, output, session, work, state, ask_here) {
  tags <- shiny::tags
  task <- NULL
  said <- tempfile("page-said-")
  shiny::observeEvent(input$probe_sure, {
    leave_work(task)
    mine <- ask_here(compute_probes, work$here$limit, work$root, input$limit_shot,
                     input$limit_engine, said = said)
    task <<- mine
    state(list(waiting = limit_command(input)))
    promises::then(promises::as.promise(mine), function(facts) {
      session$sendCustomMessage("limit", facts)
      state(list(facts = facts))
    }, function(e) if (identical(task, mine))
                   state(list(trouble = work_trouble(e), of = limit_command(input))))
    invisible()
  })
  shiny::observeEvent(input$leave_probe, leave_work(task))
  session$onSessionEnded(function() leave_work(task))
  output$probing_says <- say_work(function() length(state()$waiting) > 0, said)
  output$probing <- shiny::renderUI({
    x <- state()
    if (length(x$waiting)) return(waiting_block("Probing", "probing_says", "leave_probe"))
    if (length(x$trouble)) {
      return(tags$p(class = "trouble", role = "status", x$trouble,
                    if (length(x$of)) tags$code(x$of)))
    }
    if (is.null(x$facts)) tags$p(class = "about", "No shot was probed in this window.")
  })
}

# The worst tiles, open or blind. In the blind view the user's judgement is recorded before the
# tiles are named.
judge_here <- function(input, output, work, state, ask_here) {
  tags <- shiny::tags
  sheet <- shiny::reactiveVal(NULL)
  broken <- function(e) sheet(list(trouble = work_trouble(e)))
  look <- function(blind) {
    promises::then(promises::as.promise(ask_here(compute_tiles, blind)), sheet, broken)
    invisible()
  }
  shiny::observeEvent(state()$facts, look(FALSE))
  shiny::observeEvent(input$blind, look(TRUE))
  shiny::observeEvent(input$judged, {
    promises::then(promises::as.promise(ask_here(record_judgement, work$root,
                                                 as.character(input$clean))), sheet, broken)
    invisible()
  })
  output$limit_sheet <- shiny::renderUI({
    x <- sheet()
    if (is.null(x)) return(NULL)
    if (length(x$trouble)) return(tags$p(class = "trouble", x$trouble))
    picture <- tags$img(class = "sheet", src = x$src, alt = x$alt)
    tags$section(tags$h2("The worst tiles"), picture, if (length(x$letters)) {
      shiny::tagList(shiny::checkboxGroupInput("clean", "Which are clean enough?", x$letters,
                                               inline = TRUE),
                     does_button("judged", "These, and no others"))
    } else shiny::tagList(if (length(x$judged)) plain_table(x$judged, "What they were"),
                          does_button("blind", "Look at them blind ...")))
  })
}

# ---- in the processes beside ---------------------------------------------------------------------

compute_shots <- function(root) {
  project <- read_project(root, parts = c("shots", "engines"))
  able <- vapply(project$engines, function(engine) "samples" %in% engine$limits, NA)
  list(shots = names(project$shots), engines = names(project$engines)[able])
}

compute_probes <- function(limit, root, shot, engine, window = "one") {
  worked_for$studies[[window]] <- study_limit(limit(root, shot, engine), 0.05)
  limit_facts(worked_for$studies[[window]])
}

# Data for the browser: the probes and fit of each frame; the price of each target; the start of the
# target.
limit_facts <- function(study) {
  pairs <- as_frame(study$probes$pairs)
  n <- exp(seq(log(min(pairs[["samples"]]) / 1.5), log(64 * max(pairs[["samples"]])),
               length.out = 80))
  frames <- lapply(seq_along(study$fits), function(i) {
    own <- pairs_of_setting(study$probes, i)
    curve <- as_frame(stats::predict(study$fits[[i]], n))
    list(frame = study$frames[["frame"]][i], governs = study$frames[["governs"]][i],
         samples = I(own[["samples"]]), noise = I(own[["noise"]]), curve = I(curve[["noise"]]),
         lower = I(curve[["noise_lower"]]), upper = I(curve[["noise_upper"]]),
         time = I(curve[["seconds"]]))
  })
  ends <- range(unlist(lapply(frames, `[[`, "curve")))
  targets <- unique(signif(exp(seq(log(ends[1]), log(ends[2]), length.out = 200)), 2))
  needs <- limit_needs(study, targets)
  list(shot = study$probes$shot$shot, at = I(n), frames = frames, targets = I(targets),
       needs = I(ifelse(is.na(needs), -1, needs)), target = study$targets[["noise"]])
}

# Limit of a shot by its probes, computed in the page's worker process.
answer_limits <- function(noise, window = "one") {
  study <- study_limit(worked_for$studies[[window]]$probes,
                       check_number(noise, "the target", above = 0))
  worked_for$studies[[window]] <- study
  at <- which(study$frames[["governs"]])
  counts <- range(study$probes$pairs[["samples"]])
  steps <- as_frame(limit_doublings(study$fits[[at]], counts[1],
                                    max(counts[2], 2 * study$frames[["samples"]][at], na.rm = TRUE),
                                    NA_real_,
                                    length(study$probes$shot$frames)))
  list(says = c(Answer = limit_answer(study), Target = sub("^Target: ", "", answer_lines(study)),
                unlist(lapply(finding_of_study(study, 1e4L), function(text) c(Note = text)))),
       doublings = data.frame(samples = count_text(steps$samples),
                              time = format_duration(steps$seconds),
                              noise = noise_text(steps$noise),
                              "more time" = ifelse(is.na(steps$more_s), "",
                                                   format_duration(steps$more_s)),
                              check.names = FALSE))
}

compute_tiles <- function(blind, window = "one") {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  sheet <- contact_sheet(worked_for$studies[[window]], path, blind = blind,
                         seed = as.integer(wall_clock() %% 1e6))
  worked_for$sheets[[window]] <- if (blind) sheet
  list(src = paste0("data:image/png;base64,",
                    openssl::base64_encode(readBin(path, "raw", file.size(path)))),
       alt = paste0("Crops of the worst tiles at each count of samples",
                    if (!blind) paste0(": ", toString(sheet$label))),
       letters = if (blind) sheet$letter)
}

record_judgement <- function(root, clean, window = "one") {
  study <- worked_for$studies[[window]]
  project <- read_project(root, parts = character())
  x <- as_frame(with_ledger(project$ledger, function(ledger) {
    judge_sheet(ledger, worked_for$sheets[[window]], clean, study$probes$shot$shot,
                study$frames[["frame"]][study$frames[["governs"]]], user_name())
  }, FALSE))
  c(compute_tiles(FALSE, window), list(judged = data.frame(
    letter = x$letter, tile = x$tile, samples = x$samples, noise = noise_text(x$noise),
    judged = ifelse(x$accepted, "clean enough", "not clean enough"), check.names = FALSE
  )))
}

# Times over the number of threads and of devices, where the ledger has the same frames at several.
compute_scaling <- function(root) {
  project <- read_project(root, parts = character())
  rows <- with_ledger(project$ledger, newest_timings)
  units <- c(threads = "threads", devices = "device_count")
  card_of <- function(x, unit) {
    fit <- tryCatch(fit_scaling(x$n, x$seconds, unit = unit),
                    clockpigeon_error_scaling = function(e) NULL)
    if (is.null(fit)) return(NULL)
    of <- x$of
    list(figure = made_picture(ggplot2::autoplot(fit), height = 6),
         says = paste0(of$scene, " with ", of$engine, " ", or_unknown(of$engine_version), " at ",
                       first_of(null_if_na(of$node), of$site), ": ", length(x$n), " times of ",
                       x$frames, " frame", if (x$frames > 1) "s", "."))
  }
  cards_of <- function(unit) lapply(counted_times(rows, units[[unit]], 2), card_of, unit = unit)
  unlist(lapply(names(units), cards_of), recursive = FALSE)
}

scaling_block <- function(x) {
  tags <- shiny::tags
  x <- Filter(length, x)
  if (!length(x)) {
    return(tags$section(tags$h2("More threads, more devices"),
                        empty_view(
                          paste(
                          "No frames were timed with several numbers of threads or devices. Write",
                          "threads: [1, 2, 4] into a plan."), "clockpigeon bench PLAN.yaml")))
  }
  lapply(seq_along(x), function(k) {
    page_picture(paste0("scaling-", k), "More threads, more devices", x[[k]]$figure, x[[k]]$says)
  })
}
