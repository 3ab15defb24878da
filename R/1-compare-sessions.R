# Sessions: runs of one plan, or of one day where no plan is known. A machine is faster or slower as
# a whole from one to the next, which no number of runs within a session averages away.

# Sd of log time from session to session where nothing measures it.
assumed_drift <- 0.10

# The session of each row: its plan, or its day.
session_of <- function(plan_id, measured_at)
  ifelse(is.na(plan_id), substr(measured_at, 1, 10), plan_id)

# The same within one day, where a machine does not change by as much.
assumed_hour_drift <- 0.05

# Speed changes of the whole machine from one session to the next: sd of log time beyond the spread
# of single runs, with its degrees of freedom and basis. Pairs of sessions that measured three cells
# or more in common are the evidence. The assumed spread counts as three more pairs, since few pairs
# are weak evidence, and is used alone without pairs. Sessions of one day (`hour_sd`) are kept apart
# from those of different days, which alone show how days differ if there are any.
session_sd <- function(means, run_sd, starts = NULL, prior = 3) {
  found <- session_pairs(means, 3)
  squares <- pair_squares(found, run_sd)
  apart <- vapply(found, function(p) {
    is.null(starts) || !isTRUE(abs(starts[[p$sessions[1]]] - starts[[p$sessions[2]]]) < 12 * 3600)
  }, NA)
  pooled <- function(x, assumed) sqrt(max(0, sum(x) + prior * assumed^2) / (length(x) + prior))
  days <- if (any(apart)) squares[apart] else squares
  list(sd = pooled(days, assumed_drift), df = length(days) + prior,
       basis = if (length(days)) "measured" else "assumed",
       hour_sd = pooled(squares[!apart], assumed_hour_drift),
       hour_basis = if (any(!apart)) "measured" else "assumed")
}

# When each session began, in s since 1970, by name; NA where that is not known.
session_starts <- function(rows) {
  at <- as.numeric(as.POSIXct(rows[["measured_at"]], tz = "UTC", format = "%Y-%m-%dT%H:%M:%OS"))
  c(tapply(at, rows[["plan_id"]], min))
}

# How the mean of some rows, each frame counted once, is spread over sessions: shares that add up to
# one.
session_shares <- function(rows) {
  cell <- row_key(rows, c("scene", "frame"))
  session <- session_of(rows[["plan_id"]], rows[["measured_at"]])
  share <- 1 / stats::ave(numeric(nrow(rows)), cell, FUN = length) / length(unique(cell))
  c(tapply(share, ifelse(is.na(session), "unknown", session), sum))
}

# The variance that sessions add to a forecast, in units of the drift's: one for the session of the
# job itself, and for each session that frame times (`own`) or a site's speed (its matched frames
# `here` and `there`) were measured in, the square of what rests on it. A session that both rest on
# cancels out of them. Measured in one other session: 2; in m: 1 + 1/m in all.
session_load <- function(own, matched = NULL) {
  names <- union(names(own), names(matched$here))
  of <- function(x) ifelse(names %in% names(x), x[names], 0)
  1 + sum((of(own) - of(matched$here))^2) + sum(matched$there^2)
}

# Mean log seconds of each cell (rows) in each session (columns; one plan_id is one); with many
# sessions the last forty, which tell the machine as it is.
session_means <- function(cell, rows) {
  sessions <- utils::tail(unique(stats::na.omit(rows[["plan_id"]])), 40)
  if (!length(sessions)) return(matrix(numeric(), 0, 0))
  known <- rows[["plan_id"]] %in% sessions
  tapply(log(rows[["wall_s"]][known]),
         list(cell[known], factor(rows[["plan_id"]][known], sessions)), mean)
}

# Each two sessions (`sessions`, their names) with their differences (`off`) over the cells that
# they have in common, `least` of them or more.
session_pairs <- function(means, least) {
  if (ncol(means) < 2) return(list())
  found <- lapply(utils::combn(ncol(means), 2, simplify = FALSE), function(pair) {
    off <- means[, pair[1]] - means[, pair[2]]
    list(sessions = colnames(means)[pair], off = as.vector(off[!is.na(off)]))
  })
  Filter(function(p) length(p$off) >= least, found)
}

# Spread of one run, estimated from cells that two sessions measured, the sessions' own difference
# taken out; NULL with fewer than two degrees of freedom.
paired_sd <- function(means) {
  pairs <- lapply(session_pairs(means, 2), `[[`, "off")
  df <- sum(lengths(pairs) - 1)
  if (df >= 2) sqrt(sum(vapply(pairs, function(off) sum((off - mean(off))^2), 0)) / 2 / df)
}

# Mean squared difference of each pair of sessions less the part that runs explain: an estimate of
# one session's variance.
pair_squares <- function(pairs, run_sd) {
  vapply(pairs, function(p) (mean(p$off)^2 - 2 * run_sd^2 / length(p$off)) / 2, 0)
}
