# Progress: what runs, and how long is left, on standard error.

# Estimates the remaining time from the finished trials: each remaining trial costs the mean of its
# shot and engine version so far, or of all trials so far if there is none. On a terminal one line
# is rewritten; elsewhere a line is printed now and then.
progress_timer <- function(plan, show, clock = steady_clock, out = stderr()) {
  total <- nrow(plan)
  kind <- row_key(plan, c("shot", "engine", "version"))
  wall <- rep(NA_real_, total)
  live <- isatty(out)
  failed <- 0L
  said <- -Inf
  say <- function(text, always = FALSE) {
    if (!show) return(invisible())
    if (live) return(cat("\r", formatC(substr(text, 1, 78), width = -78), sep = "", file = out))
    if (!always && clock() - said <= 5) return(invisible())
    cat(text, "\n", sep = "", file = out)
    said <<- clock()
  }
  end_line <- function() if (live && show) cat("\n", file = out)
  list(
    before = function(i) {
      trial <- as_frame(plan)[i, , drop = FALSE]
      name <- paste0(trial$engine, if (!is.na(trial$version)) paste0(" ", trial$version))
      say(paste0("trial ", i, " of ", total, ": ", trial$shot, " frame ", trial$frame, ", ", name,
                 time_left_text(wall, kind, i)))
    },
    after = function(i, timing) {
      wall[i] <<- if (length(timing$wall_s)) timing$wall_s else 0
      if (timing$status != "ok") {
        failed <<- failed + 1L
        say(paste0("trial ", i, ": ", gsub("_", " ", timing$status), ": ", timing$note),
            always = TRUE)
        end_line()
      }
    },
    end = function() {
      say(paste0(total, " trials in ", format_duration(sum(wall, na.rm = TRUE)),
                 if (failed) paste0(", ", failed, " not ok")), always = TRUE)
      end_line()
    }
  )
}

# Time of the trials from the i-th on, as the end of a sentence; nothing before any has ended.
time_left_text <- function(wall, kind, i) {
  done <- !is.na(wall)
  if (!any(done)) return("")
  means <- tapply(wall[done], kind[done], mean)
  ahead <- means[kind[seq(i, length(wall))]]
  ahead[is.na(ahead)] <- mean(wall[done])
  paste0(", about ", format_duration(sum(ahead)), " left")
}
