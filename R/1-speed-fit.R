# Other hardware: how fast each rig is, and how long a scene takes on one it never ran on.

new_speed_fit <- record_type(
  "cp_speed_fit", scenes = is.character, rigs = is.character, cells = is.list, mean = is.numeric,
  claims = maybe(is.data.frame), islands = is.list, claim_sd = is.numeric, theta = is.numeric,
  weight = is.numeric, mode = is.numeric, wider = is.numeric, spreads = is.data.frame,
  says = maybe(is.character)
)

#' Fit how fast rigs are from an uneven table of timings
#'
#' Log time is the sum of a scene's part, a rig's part, their interaction and the run's own spread;
#' all but the overall mean are normal about 0 (a mixed model with crossed random effects: Searle,
#' Casella & McCulloch 1992, *Variance components*). A rig is a device with its count, engine and
#' version. Most scenes never ran on most rigs: the interaction's spread says how far such a
#' forecast may be off.
#'
#' The four spreads are found by maximum of the restricted likelihood times weak priors, and not
#' taken as known: forecasts are averaged over draws around that maximum (importance sampling),
#' which matters where the table is small. Cells (scene x rig) are counted once each by their mean,
#' so that the cost grows with the cells, not with the timings.
#'
#' @param timings A data frame or tibble: `scene`, `wall_s`, and `rig`, or in its place what makes
#'   one (`device`, `device_count`, `engine`, `engine_version`, as in [timings()]). Rows that are no
#'   evidence (failed, warm-up) are left out. Where frames, limits, sizes or features of a scene
#'   differ, their own effects are taken out first by least squares within the scene, so that rigs
#'   are compared on what both rendered; forecasts are for the scene's mean.
#' @param claims Claimed speeds of sellers, as weak evidence: a data frame with `rig`, `relative_to`
#'   (rigs) and `factor` (how many times as fast).
#' @param claim_sd Spread of the log of claims about the truth; `NULL`: estimated from claims about
#'   rigs that were measured, with 0.25 standing in as the knowledge of four claims
#'   (`claim_sd_of()`).
#' @return A list of class `cp_speed_fit`: `spreads` (a tibble: scene, rig, interaction, run, each
#'   with an 80 % interval), `scenes`, `rigs` (with the `island` each belongs to), `says`.
#'   [predict()] forecasts, [summary()][summary.cp_speed_fit] compares rigs.
#' @section Conditions: `clockpigeon_error_speeds` when there are no timings to fit;
#'   `clockpigeon_error_type` for times that are not above 0.
#' @examples
#' known <- data.frame(scene = c("a", "a", "b", "b", "c"),
#'                     rig = c("old", "new", "old", "new", "old"),
#'                     wall_s = c(100, 52, 40, 19, 300))
#' fit <- fit_speeds(known)
#' predict(fit, "c", "new")
#' summary(fit)
#' @export
fit_speeds <- function(timings, claims = NULL, claim_sd = NULL) {
  found <- speed_rows(timings)
  scenes <- sort(unique(found$rows[["scene"]]))
  rigs <- sort(unique(c(found$rows[["rig"]], claims[["rig"]], claims[["relative_to"]])))
  cells <- speed_cells(found, scenes, rigs)
  model <- list(scenes = scenes, rigs = rigs, cells = cells, mean = mean(cells$y),
                claims = check_claims(claims))
  model$islands <- table_islands(model)
  model$claim_sd <- if (is.null(claim_sd)) claim_sd_of(model)
    else check_number(claim_sd, argument("claim_sd"), above = 0)
  model <- c(model, fit_sds(model))
  model$wider <- interaction_by_engine(model)
  model$spreads <- sd_table(model)
  model$says <- speed_sentence(model)
  new_speed_fit(model)
}

# Scene, rig and log seconds of the rows that are evidence, as alike() gives them.
speed_rows <- function(timings) {
  check_columns(timings, argument("timings"), c("scene", "wall_s"))
  x <- as_frame(timings)
  if (all(c("status", "activity", "repeat", "warm") %in% names(x)))
    x <- x[is_evidence(x), , drop = FALSE]
  if (!"rig" %in% names(x)) {
    check_columns(x, argument("timings"), rig_columns)
    x[["rig"]] <- rig_name(x)
  }
  x <- x[!is.na(x[["scene"]]) & !is.na(x[["rig"]]), , drop = FALSE]
  if (!nrow(x)) {
    stop_input("speeds", "has no finished timing with a scene and a rig", argument("timings"),
               "Measure some: clockpigeon bench.")
  }
  rows <- data.frame(scene = as.character(x[["scene"]]), rig = as.character(x[["rig"]]),
                     y = log(check_seconds(x[["wall_s"]], "argument `timings`, wall_s")))
  parts <- intersect(c("frame", "limit_kind", "limit_value", "width", "height", "features"),
                     names(x))
  alike(rows, row_key(x, c("scene", parts)))
}

# The rows with the effects of the parts of a scene (frames, limits, ...) taken out, and how many
# were. Parts and cells in turn, each given the other (backfitting: Buja, Hastie & Tibshirani 1989,
# Ann. Stat. 17, 453), cells first, so that parts that only one rig rendered are not taken for its
# speed.
alike <- function(rows, part) {
  part <- match(part, unique(part))
  scene <- match(rows[["scene"]], unique(rows[["scene"]]))
  parts <- max(part) - max(scene)
  if (parts == 0) return(list(rows = rows, parts = parts))
  cell <- match(paste(scene, rows[["rig"]]), unique(paste(scene, rows[["rig"]])))
  mean_by <- function(v, by) (rowsum(v, by)[, 1] / tabulate(by))[by]
  effect <- numeric(nrow(rows))
  for (i in 1:200) {
    last <- effect
    effect <- mean_by(rows[["y"]] - mean_by(rows[["y"]] - effect, cell), part)
    effect <- effect - mean_by(effect, scene)
    if (max(abs(effect - last)) < 1e-7) break
  }
  rows[["y"]] <- rows[["y"]] - effect
  list(rows = rows, parts = parts)
}

unknown_device <- "unknown device"
rig_columns <- c("device", "device_count", "engine", "engine_version")

rig_name <- function(x) {
  count <- x[["device_count"]]
  device <- ifelse(is.na(x[["device"]]), unknown_device, x[["device"]])
  paste0(ifelse(is.na(count) | count == 1, "", paste0(count, " x ")), device, ", ", x[["engine"]],
         ifelse(is.na(x[["engine_version"]]), "", paste0(" ", x[["engine_version"]])))
}

# Cells of the table: counts, mean log times, and the squares within them.
speed_cells <- function(found, scenes, rigs) {
  rows <- found$rows
  i <- match(rows[["scene"]], scenes)
  j <- match(rows[["rig"]], rigs)
  y <- rows[["y"]]
  cell <- (i - 1) * length(rigs) + j
  order <- sort(unique(cell))
  at <- match(cell, order)
  n <- tabulate(at, length(order))
  sums <- as.vector(rowsum(y, at))
  mean <- sums / n
  list(i = (order - 1) %/% length(rigs) + 1, j = (order - 1) %% length(rigs) + 1, n = n, y = mean,
       within = sum((y - mean[at])^2),
       df = max(length(y) - length(order) - found$parts, 0))
}

check_claims <- function(claims) {
  if (is.null(claims))
    return(data.frame(rig = character(), relative_to = character(), factor = numeric()))
  check_columns(claims, argument("claims"), c("rig", "relative_to", "factor"))
  check_seconds(claims[["factor"]], "argument `claims`, factor")
  as_frame(claims)
}

# Which scenes and rigs are connected by timings (or claims): the smallest label spreads until
# nothing changes.
table_islands <- function(model) {
  i <- model$cells$i
  j <- length(model$scenes) + model$cells$j
  a <- length(model$scenes) + match(model$claims[["rig"]], model$rigs)
  b <- length(model$scenes) + match(model$claims[["relative_to"]], model$rigs)
  from <- c(i, a)
  to <- c(j, b)
  label <- seq_len(length(model$scenes) + length(model$rigs))
  repeat {
    low <- pmin(label[from], label[to])
    new <- label
    down <- tapply(c(low, low), c(from, to), min)
    new[as.integer(names(down))] <- pmin(new[as.integer(names(down))], down)
    new <- new[new]
    if (identical(new, label)) break
    label <- new
  }
  label <- match(label, unique(label))
  list(scene = label[seq_along(model$scenes)], rig = label[-seq_along(model$scenes)])
}

#' How far sellers' claims were off
#'
#' The spread of the log of claimed over measured speed ratios, among claims about rigs that ran the
#' same scenes; few such claims are helped out by a spread of 0.25, counted as four claims.
#'
#' @param fit A [fit_speeds()] with claims.
#' @return The spread of log claims.
#' @section Conditions: none.
#' @noRd
claim_sd_of <- function(fit) {
  cells <- fit$cells
  off <- vapply(seq_len(nrow(fit$claims)), function(k) {
    of <- function(rig) {
      here <- cells$j %in% match(rig, fit$rigs)
      stats::setNames(cells$y[here], cells$i[here])
    }
    new <- of(fit$claims[["rig"]][k])
    old <- of(fit$claims[["relative_to"]][k])
    both <- intersect(names(new), names(old))
    if (length(both)) log(fit$claims[["factor"]][k]) - mean(old[both] - new[both]) else NA_real_
  }, 0)
  off <- off[!is.na(off)]
  sqrt((4 * 0.25^2 + sum(off^2)) / (4 + length(off)))
}

# Weak priors of the log spreads: scene, rig, interaction, run; sd of the log 1, 1, 0.8, 0.8.
spread_prior <- list(mean = log(c(1, 0.5, 0.12, 0.08)), sd = c(1, 1, 0.8, 0.8))

# Mode of the four log spreads, and weighted draws around it.
fit_sds <- function(model, draws = 200) {
  aim <- function(theta) {
    fit <- speed_equations(model, exp(theta))$log_likelihood
    -fit + sum((theta - spread_prior$mean)^2 / (2 * spread_prior$sd^2))
  }
  found <- stats::nlminb(spread_prior$mean, aim, control = list(rel.tol = 1e-9))
  hessian <- stats::optimHess(found$par, aim)
  root <- tryCatch(chol(solve((hessian + t(hessian)) / 2)),
                   error = function(e) diag(spread_prior$sd))
  # In a large table the spreads are well known, and drawing them would only cost time.
  if (max(diag(root)) < 0.03) draws <- 1
  z <- if (draws == 1) matrix(0, 1, 4) else with_seed(1, matrix(stats::rt(4 * draws, 6), draws))
  theta <- rep(found$par, each = draws) + z %*% root
  weight <- if (draws == 1) 1 else {
    log_w <- -apply(theta, 1, aim) - rowSums(stats::dt(z, 6, log = TRUE))
    exp(log_w - max(log_w))
  }
  keep <- weight > 1e-3 * max(weight)
  list(theta = theta[keep, , drop = FALSE], weight = weight[keep] / sum(weight[keep]),
       mode = found$par)
}

# The mixed model's equations (Henderson 1975, Biometrics 31, 423) for mean, scenes and rigs, the
# interaction within the cells' variance; the restricted likelihood, the estimates and their
# covariance. Scenes are eliminated first: their part of the matrix is diagonal, so that only mean
# and rigs make a dense system.
speed_equations <- function(model, sd, full = FALSE) {
  cells <- model$cells
  claims <- model$claims
  variance <- sd[3]^2 + sd[4]^2 / cells$n
  w <- 1 / variance
  y <- cells$y - model$mean
  n_scene <- length(model$scenes)
  n_rig <- length(model$rigs)
  d <- as.vector(residual_scatter(w, cells$i, n_scene)) + 1 / sd[1]^2  # scenes
  b <- matrix(0, n_scene, n_rig + 1)                          # scenes x (mean, rigs)
  b[, 1] <- residual_scatter(w, cells$i, n_scene)
  b[cbind(cells$i, cells$j + 1)] <- w
  a <- matrix(0, n_rig + 1, n_rig + 1)
  by_rig <- residual_scatter(w, cells$j, n_rig)
  a[1, 1] <- sum(w)
  a[1, -1] <- a[-1, 1] <- by_rig
  diag(a)[-1] <- by_rig + 1 / sd[2]^2
  right_scene <- residual_scatter(w * y, cells$i, n_scene)
  right <- c(sum(w * y), residual_scatter(w * y, cells$j, n_rig))
  fixed <- sum(w * y^2)
  log_det <- sum(log(variance)) + n_scene * log(sd[1]^2) + n_rig * log(sd[2]^2)
  if (nrow(claims)) {
    wc <- 1 / (model$claim_sd^2 + 2 * sd[3]^2)
    h <- matrix(0, nrow(claims), n_rig + 1)
    k <- seq_len(nrow(claims))
    base <- cbind(k, 1 + match(claims[["relative_to"]], model$rigs))
    claimed <- cbind(k, 1 + match(claims[["rig"]], model$rigs))
    h[base] <- 1
    h[claimed] <- h[claimed] - 1
    said <- log(claims[["factor"]])
    a <- a + wc * crossprod(h)
    right <- right + wc * drop(crossprod(h, said))
    fixed <- fixed + wc * sum(said^2)
    log_det <- log_det - nrow(claims) * log(wc)
  }
  schur <- a - crossprod(b / sqrt(d))
  root <- chol(schur)
  rest <- right - drop(crossprod(b, right_scene / d))
  beta <- backsolve(root, backsolve(root, rest, transpose = TRUE))
  scene <- drop(right_scene - b %*% beta) / d
  explained <- sum(beta * right) + sum(scene * right_scene)
  fit <- -(log_det + sum(log(d)) + 2 * sum(log(diag(root))) + fixed - explained) / 2
  # Runs within cells determine the last spread alone.
  if (cells$df) fit <- fit - cells$df * log(sd[4]) - cells$within / (2 * sd[4]^2)
  out <- list(log_likelihood = fit, beta = beta, scene = scene)
  if (full) {
    out$root <- root
    out$d <- d
    out$b <- b
  }
  out
}

residual_scatter <- function(x, at, n) {
  out <- numeric(n)
  sums <- rowsum(x, at)
  out[as.integer(rownames(sums))] <- sums
  out
}

# Mean and covariance of log time in the cells asked for (scene, rig; 0 is one that was never seen),
# given the spreads; the interaction in it, and where `run` the run's own spread.
cell_forecast <- function(model, sd, i, j, run = TRUE) {
  eq <- speed_equations(model, sd, full = TRUE)
  n_rig <- length(model$rigs)
  seen <- i > 0
  of_rig <- j > 0
  m <- length(i)
  # A cell is h'(mean, rigs) + scene; scene = d^-1 (right - b beta).
  h <- matrix(0, m, n_rig + 1)
  h[, 1] <- 1
  h[cbind(seq_len(m), j + 1)[of_rig, , drop = FALSE]] <- 1
  back <- h
  back[seen, ] <- h[seen, , drop = FALSE] - (eq$b / eq$d)[i[seen], , drop = FALSE]
  mean <- drop(h %*% eq$beta)
  mean[seen] <- mean[seen] + eq$scene[i[seen]]
  half <- backsolve(eq$root, t(back), transpose = TRUE)
  own <- ifelse(seen, 1 / eq$d[pmax(i, 1)], sd[1]^2) + ifelse(of_rig, 0, sd[2]^2)
  # A cell that ran knows its interaction.
  cells <- model$cells
  at <- match(paste(i, j), paste(cells$i, cells$j))
  share <- ifelse(is.na(at), 0, sd[3]^2 / (sd[3]^2 + sd[4]^2 / cells$n[at]))
  residual <- ifelse(is.na(at), 0, cells$y[at] - model$mean - mean)
  variance <- (1 - share)^2 * (colSums(half^2) + own) + sd[3]^2 * (1 - share)
  wider <- ifelse(of_rig, first_of(model$wider, rep(1, n_rig))[pmax(j, 1)], 1)
  variance <- variance + (wider - 1) * sd[3]^2 * (1 - share)
  list(mean = model$mean + mean + share * residual, variance = variance + wider * run * sd[4]^2)
}

# Variance of interaction and runs of each rig relative to the whole table: two releases of one
# engine may differ scene by scene, or run on a restless machine, while all other rigs agree.
# Compares the residuals of the engine's cells with those that the common variances imply (two prior
# cells' worth of these); never below 1.
interaction_by_engine <- function(model, prior = 2) {
  engine <- ifelse(grepl(", ", model$rigs), sub("^.*, ([^ ]+).*$", "\\1", model$rigs), "")
  if (length(unique(engine)) < 2) return(rep(1, length(engine)))
  sd <- exp(model$theta[which.max(model$weight), ])
  eq <- speed_equations(model, sd, full = TRUE)
  cells <- model$cells
  rest <- cells$y - model$mean - eq$beta[1] - eq$beta[1 + cells$j] - eq$scene[cells$i]
  squares <- rest^2 / (sd[3]^2 + sd[4]^2 / cells$n)
  wider <- vapply(unique(engine), function(name) {
    mine <- engine[cells$j] == name
    # A level of each rig was fitted to its cells.
    df <- max(sum(mine) - length(unique(cells$j[mine])), 1)
    max(1, (prior + sum(squares[mine])) / (prior + df))
  }, 0)
  unname(wider[engine])
}

sd_table <- function(fit) {
  of <- function(k) {
    order <- order(fit$theta[, k])
    sum <- cumsum(fit$weight[order])
    exp(fit$theta[order, k][pmin(findInterval(c(0.1, 0.9), sum) + 1, length(sum))])
  }
  ends <- vapply(1:4, of, numeric(2))
  as_table(list(part = c("scene", "rig", "interaction", "run"), sd = exp(fit$mode),
                lower = ends[1, ], upper = ends[2, ]))
}

speed_sentence <- function(fit) {
  n <- max(fit$islands$rig, fit$islands$scene)
  islands <- vapply(seq_len(n), function(k) {
    names <- c(fit$rigs[fit$islands$rig == k], fit$scenes[fit$islands$scene == k])
    paste0("(", k, ") ", first_three(names))
  }, "")
  c(if (n > 1)
      paste0("the table falls into ", n, " islands with nothing in common: ",
             paste(islands, collapse = "; "), ". No forecast leads from one to another"),
    if (!fit$cells$df)
      "no scene ran twice on one rig: the run's spread cannot be told from the interaction's")
}

first_three <- function(x) {
  if (length(x) <= 3) return(toString(x))
  paste0(toString(x[1:3]), " and ", length(x) - 3, " more")
}
