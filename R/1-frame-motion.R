# Continuity of a sequence: pictures that shift, change light, or do not move.

# Pictures that are elsewhere than those around them, in other light, or did not move on.
motion_findings <- function(looks, frames) {
  n <- length(frames)
  none <- frame_finding(integer(), "", "", "")
  if (n < 4) return(none)
  grid <- do.call(cbind, looks$grid)
  colour <- t(as.matrix(looks$facts[c("red", "green", "blue")]))
  # Shares of red, green and blue are unstable in pictures that are nearly black.
  dark <- colSums(colour) < 0.12
  colour <- colour / rep(pmax(colSums(colour), 1e-6), each = 3)
  colour[, dark] <- NA
  apart <- function(x) function(a, b) {
    by <- colMeans(abs(x[, a, drop = FALSE] - x[, b, drop = FALSE]))
    ifelse(is.na(by), 0, by)
  }
  shape <- find_jumps(apart(grid), n, 0.02)
  tint <- find_jumps(apart(colour), n, 0.012)
  found <- none
  for (run in shape$runs) {
    near <- c(run$from - 1, run$to + 1)
    near <- near[near >= 1 & near <= n][1]
    same <- suppressWarnings(stats::cor(grid[, run$from], grid[, near], method = "spearman"))
    light <- isTRUE(same > 0.97)
    found <- rbind(found, run_finding(
      run, shape, if (light) "light" else "jump",
      if (light) "is in other light than those around it" else
      "shows something else than those around it",
      "its blocks differ by "))
  }
  for (run in tint$runs) {
    if (any(run$from:run$to %in% found$index)) next
    found <- rbind(found, run_finding(run, tint, "light", "has other colours than those around it",
                                      "its red, green and blue differ by "))
  }
  cut <- setdiff(shape$cuts, 1)
  found <- rbind(found, frame_finding(
    cut, "cut", "begins something else, and the shot names no cut there",
    paste0("its blocks differ by ", format_share(shape$step[cut]),
           " of white from the picture before, and go on by ", format_share(shape$usual[cut]),
           " a frame"), "doubt", size = shape$step[cut], bound = shape$bound[cut],
    sure = finding_confidence(shape$step[cut] / shape$bound[cut])))
  rbind(found, frozen_findings(looks, shape$step, shape$usual,
                               c(shape$cuts, unlist(lapply(c(shape$runs, tint$runs), unlist)))))
}

run_finding <- function(run, jumps, code, what, by) {
  n <- length(jumps$step)
  size <- min(jumps$step[setdiff(c(run$from, run$to + 1), c(1, n + 1))])
  frame_finding(run$from:run$to, code, what,
                paste0(by, format_share(size),
                       " of white from the pictures beside it, which go on by ",
                       format_share(jumps$usual[run$from]), " a frame"),
                size = size, bound = jumps$bound[run$from],
                sure = finding_confidence(size / jumps$bound[run$from]))
}

# Steps between pictures by some measure that are beyond what they are there; `least`: what is seen.
find_jumps <- function(apart, n, least) {
  step <- c(NA, apart(2:n, seq_len(n - 1)))
  usual <- running_usual(step)
  bound <- pmax(least, 5 * usual)
  c(jump_runs(which(step > bound), n, apart, step, usual),
    list(step = step, usual = usual, bound = bound))
}

# The usual step around each: the middle one of the eight before and behind it; of all where these
# are fewer.
running_usual <- function(step, reach = 8) {
  n <- length(step)
  all <- stats::median(step, na.rm = TRUE)
  vapply(seq_len(n), function(i) {
    near <- step[setdiff(max(1, i - reach):min(n, i + reach), i)]
    near <- near[!is.na(near)]
    if (length(near) < 3) all else stats::median(near)
  }, 0)
}

# Sorts large steps: a run of up to eight pictures after which the sequence is where it was before,
# or a cut. A single picture at either end of the sequence counts as a run.
jump_runs <- function(big, n, apart, step, usual, longest = 8) {
  runs <- list()
  cuts <- integer()
  k <- 1
  while (k <= length(big)) {
    from <- big[k]
    # Does it come back?
    back <- big[big > from & big <= from + longest]
    back <- Find(function(to) {
      apart(to, from - 1) < 0.5 * min(step[from], step[to]) + (to - from) * usual[from]
    }, back)
    if (length(back)) {
      runs <- c(runs, list(list(from = from, to = back - 1)))
      k <- match(back, big) + 1
    } else if (k == 1 && from == 2 && n > 5) {
      runs <- c(runs, list(list(from = 1, to = 1)))
      k <- k + 1
    } else if (from == n && n > 5) {
      runs <- c(runs, list(list(from = n, to = n)))
      k <- k + 1
    } else {
      cuts <- c(cuts, from)
      k <- k + 1
    }
  }
  list(runs = runs, cuts = cuts)
}

# Frames that repeat the frame before. The shot must move on both sides, and the step after the
# repeat must catch up (it is about twice as long after one repeated frame): a hold, or a movement
# that turns round, has no such step.
frozen_findings <- function(looks, step, usual, known) {
  n <- length(step)
  still <- still_frames(looks, step, usual)
  starts <- which(still$frames & !c(FALSE, utils::head(still$frames, -1)))
  found <- lapply(starts, function(from) {
    after <- which(!still$frames & seq_len(n) > from)
    if (!length(after) || from < 3 || any(c(from - 1, from, after[1]) %in% known)) return(NULL)
    frozen_run(from:(after[1] - 1), step, still$same, still$measured[from])
  })
  do.call(rbind, c(list(frame_finding(integer(), "", "", "")), found))
}

# Frames whose step is no more than noise where the shot moves (`frames`), those with the very
# values of the frame before (`same`), and those at which the usual step stands out of the noise
# (`measured`).
still_frames <- function(looks, step, usual) {
  x <- looks$facts
  # The step that noise alone gives between the block means of two pictures.
  pixels <- x[["width"]][1] * x[["height"]][1] / length(looks$grid[[1]])
  noise <- vapply(looks$rough, stats::median, 0) / 4.79
  floor <- 1.13 * stats::median(noise) / sqrt(pixels)
  same <- c(FALSE, x[["hash"]][-1] == x[["hash"]][-length(step)])
  still <- c(FALSE, (step < 0.2 * pmax(usual - floor, 0) + 1.3 * floor | same)[-1])
  measured <- usual > 4 * floor
  still <- still & (measured | same) & usual > 4e-4
  still[is.na(still)] <- FALSE
  list(frames = still, same = same, measured = measured)
}

# Are the pictures of a short run identical, where hardly any others are and none near it?
is_rare_repeat <- function(at, same) {
  near <- setdiff(max(1, at[1] - 4):min(length(same), at[length(at)] + 4), at)
  all(same[at]) && length(at) <= 3 && mean(same) < 0.1 && !any(same[near])
}

# Finding of a run `at` of still frames, or NULL if the shot does not move on both sides, or does
# not catch up after it. Where noise hides the catching up, identical values suffice, if they are
# rare in this sequence.
frozen_run <- function(at, step, same, measured) {
  from <- at[1]
  to <- at[length(at)]
  earlier <- max(2, from - 3):(from - 1)
  later <- if (to + 2 <= length(step)) (to + 2):min(length(step), to + 4)
  pace <- stats::median(step[c(earlier, later)])
  caught <- step[to + 1]
  # It moves on both sides, not for one picture only.
  sides <- c(stats::median(step[earlier]), if (length(later)) stats::median(step[later]) else Inf)
  moves <- min(step[from - 1], caught) >= 0.6 * pace && min(sides) >= 0.5 * pace
  if (!moves || length(at) > 25) return(NULL)
  exact <- all(same[at])
  alone <- is_rare_repeat(at, same)
  bound <- 1 + 0.45 * length(at)
  if (caught < bound * pace && !(alone && !measured)) return(NULL)
  kind <- if (exact) "every value is the same" else
    paste("its blocks differ by", format_share(step[at]), "of white")
  frame_finding(at, "frozen", "shows what frame before it shows",
                paste0(kind, ", where the shot goes on by ", format_share(pace),
                       " a frame; the next catches up with ", format_share(caught)),
                size = caught / pace, bound = bound,
                sure = if (exact) 1 else finding_confidence(caught / pace / (1 + 0.3 * length(at))))
}
