# How a job stands, as it is sent to the browser: all of it once, then what changed.

# State of a job, as the browser and the sentences use it. `frames`: for each frame `state`,
# `seconds`, `node` (a number in `nodes`, from 0; -1), `begun` and `ended` (seconds from the
# placing; NA).
page_state <- function(x, belief, trouble = NULL) {
  scenario <- x$state$scenario
  columns <- job_columns(x$state$job)
  alarms <- as_frame(x$alarms)
  cost <- quantile_of(x$draws[["cost"]], c(0.1, 0.5, 0.9))
  finite <- function(v) ifelse(is.finite(v), v, NA)
  charged <- if (all(is.na(x$at_sites[["charged"]]))) NA else
    sum(x$at_sites[["charged"]], na.rm = TRUE)
  stopped <- isTRUE(x$happened$stopped)
  list(
    job = x$job, title = paste0("Job ", x$job, ", placed ",
                                clock_text(x$placed, first_of(scenario$time_zone, "UTC"),
                                           date = TRUE)),
    says = watch_words(x), trouble = if (length(trouble)) trouble,
    alarms = data.frame(level = alarms[["level"]],
                        says = paste0(capital_text(alarms[["says"]]), ".", recycle0 = TRUE),
                        action = alarms[["action"]]),
    shots = split(columns[["frame"]], factor(columns[["shot"]], unique(columns[["shot"]]))),
    frames = frame_facts(x, columns), nodes = I(as.character(x$nodes[["node"]])),
    now = x$passed_s, placed = as.numeric(x$placed), zone = first_of(scenario$time_zone, "UTC"),
    deadline = finite(x$state$asked$deadline_s),
    belief = lapply(belief[c("at_s", "p10", "p50", "p90")], function(v) I(finite(v))),
    money = list(currency = scenario$currency, p10 = cost[[1]], p50 = cost[[2]], p90 = cost[[3]],
                 mean = x$mean, charged = charged, budget = finite(x$state$asked$budget),
                 promised = x$promised$cost_mean),
    paused = isTRUE(x$happened$paused), stopped = stopped, elsewhere = NROW(x$at_sites) > 0,
    over = if (stopped || all(x$here)) TRUE
  )
}

# Frames of a watched job in numbers, as the browser draws them.
frame_facts <- function(x, columns) {
  told <- x$frames
  told <- told[is.na(told[["piece"]]), , drop = FALSE]
  at <- match(row_key(columns, c("shot", "frame")), row_key(told, c("shot", "frame")))
  state <- told[["state"]][at]
  there <- is.finite(x$came) & !state %in% c("arrived", "usable", "failed", "lost")
  state[there] <- "arrived"
  state[is.na(state)] <- "waiting"
  ended <- ifelse(state %in% c("rendering", "waiting"), NA,
                  ifelse(is.finite(x$came), x$came, told[["since"]][at]))
  begun <- told[["begun"]][at]
  seconds <- ifelse(is.na(told[["seconds"]][at]) & !is.na(ended), ended - begun,
                    told[["seconds"]][at])
  data.frame(state = match(state, frame_states) - 1L, seconds = round(seconds, 3),
             node = match(told[["node"]][at], x$nodes[["node"]], 0L) - 1L, begun = round(begun, 3),
             ended = round(ended, 3))
}

# The same with the frames that are not as they were sent last: rows of their place and what they
# are.
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
