# Evidence: what the ledger knows of a job's shots, and how fast a site is beside the node they were measured on.

# Spreads of log time that stand in where nothing was measured; each is shown as assumed wherever it is used.
assumed_spread <- list(run = 0.10, claimed = 0.25, assumed = 0.35, like = 0.03)

#' A job: shots to be rendered, and the evidence for their times
#'
#' @param shots A shot from [read_shot()] or a list of them.
#' @param engine Name of the engine.
#' @param timings Timings, as [timings()] returns them.
#' @param version Version of the engine; the newest that was measured when `NULL`.
#' @param currency ISO 4217 code in which costs are shown.
#' @param rates Exchange rates as in a project's `rates`; needed when a site sells in another currency.
#' @return A list of class `job`: the shots, `node` (the node on which most of their frames were measured: the reference), `curves` (a
#'   [frame_curve()] for each shot on that node), `run_sd` (spread of log time of one frame from run to run), and the evidence.
#' @section Conditions: `clockpigeon_error_evidence` when no finished frame of a shot was measured at the shot's own size and limit. Times at another
#'   size or limit are not scaled.
#' @examples
#' project <- read_project(demo_file())
#' render_job(project$shots[c("gears", "basin")], "sundew", example_timings())
#' @export
render_job <- function(shots, engine, timings, version = NULL, currency = "EUR", rates = NULL) {
  shots <- as_list_of(shots, "shot", argument("shots"), "read_shot()")
  engine <- check_text(engine, argument("engine"))
  check_columns(timings, argument("timings"), names(timing_columns))
  currency <- check_currency(currency, argument("currency"))
  rows <- as_frame(timings)
  rows <- rows[is_evidence(rows) & rows[["engine"]] %in% engine, , drop = FALSE]
  if (!nrow(rows)) {
    known <- unique(timings[["engine"]][is_evidence(timings)])
    stop_input("evidence", paste0("no finished frame was measured with the engine ", engine), argument("engine"),
               paste0("Measure some (clockpigeon bench), or forecast with ", either(if (length(known)) known else "an engine that was measured"), "."))
  }
  if (is.null(version)) version <- utils::tail(order_levels(unique(rows[["engine_version"]])), 1)
  rows <- rows[rows[["engine_version"]] %in% version, , drop = FALSE]
  found <- do.call(rbind, lapply(shots, shot_evidence, rows = rows, engine = engine, version = version))
  own <- found[is.na(found[["site"]]), , drop = FALSE]
  at <- reference_node(own, shots, engine, version)
  own <- own[own[["node"]] == at, , drop = FALSE]
  curves <- lapply(shots, function(shot) {
    here <- own[own[["scene"]] == shot$scene, , drop = FALSE]
    frame_curve(here[["frame"]], here[["wall_s"]], shot$frames, shot$cuts)
  })
  structure(c(list(shots = shots, engine = engine, version = version, currency = currency, rates = rates, node = at, curves = curves,
                   evidence = as_table(found)), run_spread(own)), class = "job")
}

# The rows that speak of a shot: its scene at its own size and limit.
shot_evidence <- function(shot, rows, engine, version) {
  limit <- limit_columns(shot$limit)
  same <- rows[["scene"]] == shot$scene & rows[["width"]] == shot$size[["width"]] & rows[["height"]] == shot$size[["height"]] &
    rows[["limit_kind"]] == limit$limit_kind & rows[["limit_value"]] == limit$limit_value &
    (if (is.na(limit$features)) is.na(rows[["features"]]) else rows[["features"]] %in% limit$features) & rows[["frame"]] %in% shot$frames
  found <- rows[same %in% TRUE, , drop = FALSE]
  if (nrow(found)) return(found)
  near <- rows[rows[["scene"]] == shot$scene, , drop = FALSE]
  seen <- unique(sprintf("%sx%s at %s %s", near[["width"]], near[["height"]], near[["limit_kind"]], format(near[["limit_value"]])))
  stop_input("evidence", paste0("no finished frame of it was measured with ", engine, " ", version, " at ", shot$size[["width"]], "x", shot$size[["height"]], " and ",
                                format_limit(shot$limit)), paste("shot", shot$shot),
             paste0("Measure some: clockpigeon bench.", if (length(seen)) paste0(" Its scene was measured at ", either(seen), " only.")))
}

# The own node on which most frames were measured, all shots of the job among them.
reference_node <- function(own, shots, engine, version) {
  scenes <- unique(vapply(shots, `[[`, "", "scene"))
  covers <- vapply(split(own[["scene"]], own[["node"]]), function(s) all(scenes %in% s), NA)
  nodes <- names(covers)[covers]
  if (!length(nodes)) {
    stop_input("evidence", paste0("no node of yours has measured all shots with ", engine, " ", version), "the ledger", "Measure frames of each shot on one node.")
  }
  frames <- vapply(nodes, function(node) nrow(unique(own[own[["node"]] == node, c("scene", "frame")])), 0L)
  nodes[which.max(frames)]
}

# Spread of log time of one frame from run to run, pooled over frames.
run_spread <- function(own) {
  logs <- log(own[["wall_s"]])
  cell <- row_key(own, c("scene", "frame"))
  left <- logs - stats::ave(logs, cell)
  df <- nrow(own) - length(unique(cell))
  if (df < 2) return(list(run_sd = assumed_spread$run, run_basis = "assumed"))
  list(run_sd = sqrt(sum(left^2) / df), run_basis = "measured")
}

# How fast a node of a site is beside the reference node: log factor, its standard error, degrees of freedom, and the basis.
# NULL when nothing is known. In this order: the pool is made of such nodes, frames were tried there, the seller's claim.
site_speed <- function(job, site) {
  if (job$node %in% site$nodes_like) {
    return(list(log_factor = 0, se = assumed_spread$like, df = Inf, evidence = "measured", from = paste("on", job$node)))
  }
  tried <- site_trials(job, site)
  if (length(tried)) {
    n <- length(tried)
    spread <- if (n > 1) max(stats::sd(tried), job$run_sd) else max(assumed_spread$run, job$run_sd)
    return(list(log_factor = mean(tried), se = spread / sqrt(n), df = max(n - 1, 3), evidence = "measured", from = paste(n, "trial frames there")))
  }
  for (claim in site$speeds) {
    if (claim$engine == job$engine && claim$relative_to == job$node) {
      from <- paste0("card says ", format(claim$factor), " times ", job$node)
      return(list(log_factor = log(claim$factor), se = assumed_spread[[claim$basis]], df = Inf, evidence = claim$basis, from = from))
    }
  }
  NULL
}

# Log ratios, reference node over site, of the frames tried at the site.
site_trials <- function(job, site) {
  rows <- as_frame(job$evidence)
  means <- function(keep) {
    x <- rows[keep %in% TRUE, , drop = FALSE]
    tapply(log(x[["wall_s"]]), row_key(x, c("scene", "frame")), mean)
  }
  here <- means(is.na(rows[["site"]]) & rows[["node"]] == job$node)
  there <- means(rows[["site"]] == site$site)
  both <- intersect(names(here), names(there))
  as.numeric(here[both] - there[both])
}
