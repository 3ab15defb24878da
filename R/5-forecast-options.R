# Options: the ways to render a job.

#' The options of a job
#'
#' Crosses sites, tiers and node counts. A site that cannot do the job, or of which too little is known, is no option;
#' it is kept with the reason and shown wherever the options are.
#'
#' @param job From [render_job()].
#' @param sites A site from [read_site()] or a list of them.
#' @return A tibble of class `job_options`, one row an option: `option` (its name), `site`, `tier`, `nodes`, `speed`
#'   (of a node, relative to the job's reference node), `evidence` (measured, claimed, assumed), `speed_from`.
#'   Attributes: `left_out`, a tibble of `site` and `reason`; `doubts`, what is doubtful about the rate cards (no date,
#'   old, no source).
#' @section Conditions: `clockpigeon_error_option` when no site is left.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' plan_options(job, project$sites)
#' @export
plan_options <- function(job, sites) {
  check_class(job, argument("job"), "job", "render_job()")
  sites <- as_list_of(sites, "site", argument("sites"), "read_site()")
  names(sites) <- vapply(sites, `[[`, "", "site")
  reasons <- vapply(sites, why_not, "", job = job, needs = job_needs(job))
  left_out <- as_table(data.frame(site = names(sites)[nzchar(reasons)], reason = unname(reasons[nzchar(reasons)])))
  sites <- sites[!nzchar(reasons)]
  if (!length(sites)) {
    stop_input("option", paste0("no site can do this job: ",
                                paste(left_out[["site"]], left_out[["reason"]], collapse = "; ")),
               instead = "Add a site, or measure trial frames there.")
  }
  rows <- bind_tables(lapply(sites, site_options, job = job))
  out <- as_table(rows, class = "job_options")
  attr(out, "sites") <- sites
  attr(out, "left_out") <- left_out
  attr(out, "doubts") <- unlist(lapply(sites, card_doubts), use.names = FALSE)
  out
}

# Why a site cannot do a job; empty when it can. What is not known counts as cannot.
why_not <- function(site, job, needs = job_needs(job)) {
  trouble <- fit_trouble(site, job, needs)
  if (nzchar(trouble)) return(trouble)
  if (is.null(site_speed(job, site))) {
    return(paste0("unknown speed: no trial frames there, and no claim for ", job$engine, " relative to ", job$node))
  }
  if (is.null(rate_to(site, job$currency, job$rates))) {
    return(paste0("no exchange rate from ", site$currency, " to ", job$currency))
  }
  if (length(site$open)) return("renders only in its hours, which forecasts do not follow yet")
  if (is.null(site$link) && site$kind != "own" && any(vapply(job$shots, function(s) s$upload + s$frame_size > 0, NA))) {
    return("unknown link: transfers cannot be timed")
  }
  ""
}

site_options <- function(site, job) {
  speed <- site_speed(job, site)
  bind_tables(lapply(site$tiers, function(tier) {
    nodes <- sort(unique(tier$nodes))
    data.frame(option = paste0(site$site, " ", tier$tier, ", ", nodes, ifelse(nodes == 1, " node", " nodes")),
               site = site$site, tier = tier$tier,
               nodes = nodes, speed = exp(speed$log_factor), evidence = speed$evidence, speed_from = speed$from)
  }))
}
