# The live view of a job: the screen of `watch`, redrawn as frames arrive.

# Redraws until the user quits or the job ends; always restores the terminal. `look(last)` returns
# the job's state, `order(what)` records an order, `hear(0)` reports whether events were written.
# Returns the last state.
live_watch <- function(look, order, every = 2, screen = live_screen(),
                       hear = function(seconds) FALSE) {
  screen$enter()
  on.exit(screen$leave())
  x <- look(NULL)
  view <- list(from = 0, asks = FALSE, said = NULL)
  looked <- steady_clock()
  took <- 0
  repeat {
    screen$draw(live_lines(x, view, screen$size()))
    key <- screen$key(min(0.25, every))
    view <- live_key(view, key, x, order)
    if (isTRUE(view$quit)) break
    # Looking takes a tenth of the processor at most; waiting for a site costs nothing.
    if (steady_clock() - looked >= max(every, 10 * took) || view$refresh || hear(0)) {
      began <- sum(proc.time()[1:2])
      x <- look(x)
      looked <- steady_clock()
      took <- sum(proc.time()[1:2]) - began
    }
  }
  x
}

# Effect of a key on the view: q quits, p pauses and resumes, s stops after a confirmation, arrows
# move.
live_key <- function(view, key, x, order) {
  view$refresh <- FALSE
  if (view$asks) {
    view$asks <- FALSE
    view$said <- "Not stopped."
    if (key %in% c("y", "Y")) {
      order("stopped")
      view$said <- "Stopped: what is done stays."
      view$refresh <- TRUE
    } else if (key == "") {
      view$asks <- TRUE
      view$said <- NULL
    }
    return(view)
  }
  if (key %in% c("q", "escape", "ctrl-c")) view$quit <- TRUE
  if (key == "p") {
    what <- if (isTRUE(x$happened$paused)) "resumed" else "paused"
    order(what)
    view$said <- paste0(toupper(substr(what, 1, 1)), substring(what, 2), ".")
    view$refresh <- TRUE
  }
  if (key == "s") view$asks <- TRUE
  view$from <- max(0, view$from +
                   switch(key, down = 1, up = -1, "page-down" = 10, "page-up" = -10, 0))
  view
}

# Lines of the screen: as much of the state as fits, and the keys below it.
live_lines <- function(x, view, size) {
  lines <- watch_lines(x, size[["width"]])
  room <- size[["height"]] - 2
  from <- min(view$from, max(0, length(lines) - room))
  shown <- lines[seq_len(length(lines)) > from]
  more <- length(shown) - room
  shown <- c(utils::head(shown, room), rep("", max(0, -more)))
  foot <- if (view$asks) "Stop the job? What is done stays. y yes, any other key no"
          else paste0("q quit  p ", if (isTRUE(x$happened$paused)) "go on" else "pause", "  s stop",
                      if (more > 0 || from > 0) "  up, down: the rest",
                      if (length(view$said)) paste0("   ", view$said))
  c(shown, "", foot)
}

# A terminal: its alternate screen, its size and its keys, which tests replace.
live_screen <- function(put = write_at_once) {
  keys <- cli::has_keypress_support()
  list(
    enter = function() put("\033[?1049h\033[?25l"),
    leave = function() put("\033[?25h\033[?1049l"),
    size = function()
    list(width = max(40, cli::console_width()), height = max(12, terminal_height())),
    draw = function(lines)
    put("\033[H", paste0(marked_colours(lines), "\033[K", collapse = "\r\n"), "\033[J"),
    key = function(seconds) {
      until <- steady_clock() + seconds
      repeat {
        key <- if (keys) cli::keypress(block = FALSE) else NA_character_
        if (!is.na(key) && nzchar(key) && key != "none") return(key)
        if (steady_clock() >= until) return("")
        Sys.sleep(0.02)
      }
    }
  )
}

# The terminal's lines, as it says itself; 24 where it does not.
terminal_height <- function() {
  said <- suppressWarnings(as.integer(Sys.getenv("LINES")))
  if (is.na(said)) {
    said <- tryCatch(suppressWarnings(as.integer(strsplit(system2("stty", "size", stdout = TRUE,
                                                                  stderr = FALSE, stdin = ""),
                                                          " ")[[1]][1])), error = function(e) NA)
  }
  if (length(said) != 1 || is.na(said) || said < 1) 24L else said
}

# Colour in addition to the marks of alarms, if there is any.
marked_colours <- function(lines) {
  ifelse(startsWith(lines, "! "), cli::col_red(lines),
         ifelse(startsWith(lines, "* "), cli::col_magenta(lines), lines))
}

# One JSON object per change, until all frames are received or the job is stopped.
stream_watch <- function(look, every = 2, put = write_at_once, wait = Sys.sleep) {
  last <- NULL
  x <- NULL
  repeat {
    x <- look(x)
    object <- watch_object(x)
    said <- object[setdiff(names(object), "at")]
    if (!identical(said, last)) {
      put(jsonlite::toJSON(object, auto_unbox = TRUE, dataframe = "rows", na = "null",
                           null = "null", digits = NA),
          "\n")
    }
    last <- said
    if (object$there == object$frames || isTRUE(object$stopped)) return(x)
    wait(every)
  }
}

# A watched job as plain lists for JSON.
watch_object <- function(x) {
  parts <- as_frame(x$parts)
  moment <- function(seconds) utc_now(x$placed + seconds)
  finish <- quantile_of(x$draws[["finish_s"]], c(0.1, 0.5, 0.9))
  alarms <- as_frame(x$alarms)
  list(job = x$job, at = moment(x$passed_s), there = sum(parts[["here"]]),
       ready = sum(parts[["there"]] - parts[["here"]]), frames = sum(parts[["frames"]]),
       work = round(stats::weighted.mean(parts[["work"]], parts[["frames"]]), 4),
       done = as.list(stats::setNames(
         ifelse(is.finite(finish), moment(finish), NA), c("p10", "p50", "p90"))),
       cost_mean = round(x$mean, 2), currency = x$state$scenario$currency,
       p_deadline = x$p_deadline, p_budget = x$p_budget, paused = isTRUE(x$happened$paused),
       stopped = isTRUE(x$happened$stopped),
       alarms = alarms[c("code", "level", "site", "says", "action")])
}
