# Fit: which sites can do a job, and what stands in the way of the others.

new_eligibility <- table_type("cp_eligibility", c("site", "field", "needs", "has", "answer"))

#' Can these sites do this job?
#'
#' Holds what the shots of a job need (their own `needs`, engine and version, limits, sizes to send,
#' the slowest frame, the memory that was measured) against what each rate card says the site can
#' do. A card that does not speak of what is needed gives `unknown`, which never counts as fitting;
#' what was rendered there with this very version is known to fit.
#'
#' @param job From [render_job()].
#' @param sites A site from [read_site()] or a list of them.
#' @return A tibble of class `cp_eligibility`, one row for each requirement of a site: `site`,
#'   `field`, `needs`, `has`, `answer` (`fits`, `does not fit`, `unknown`), `says` (which side to
#'   move; `NA` where it fits). `summary()` gives one row a site: `site`, `answer` (the worst of its
#'   rows) and `because`.
#' @section Conditions: `clockpigeon_error_type` for arguments of the wrong kind.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' summary(eligible(job, project$sites))
#' @export
eligible <- function(job, sites) {
  check_class(job, argument("job"), "cp_job", "render_job()")
  sites <- as_list_of(sites, "cp_site", argument("sites"), "read_site()")
  needs <- job_needs(job, sites)
  new_eligibility(do.call(rbind, unname(lapply(sites, site_eligibility, job = job, needs = needs))))
}

# The rows of one site.
site_eligibility <- function(site, job, needs) {
  can <- site$can
  tried <- job$evidence[["site"]] %in% site$site |
    is.na(job$evidence[["site"]]) & job$evidence[["node"]] %in% site$nodes_like
  # Rendered frames prove a capability that the card does not state.
  if (any(tried) && is.null(can$versions[[job$engine]])) can$versions[[job$engine]] <- job$version
  for (name in c("limits", "memory")) if (any(tried) && is.null(can[[name]]))
    can[[name]] <- needs[[name]]
  data.frame(site = site$site,
             rbind(eligibility_rows(needs, can, site$engines), eligibility_community(needs, site)))
}

#' @noRd
#' @export
summary.cp_eligibility <- function(object, ...) {
  x <- as_frame(object)
  parts <- split(x, factor(x$site, unique(x$site)))
  as_table(data.frame(site = names(parts),
                      answer = vapply(parts, function(p) eligibility_answer(p$answer), ""),
                      because = vapply(parts, function(p) {
                        worst <- p[p$answer == eligibility_answer(p$answer) & p$answer != "fits", ,
                                   drop = FALSE]
                        paste(worst$says, collapse = "; ")
                      }, ""), row.names = NULL))
}

# Requirements of a job: the union over its shots, and the largest of each amount. Its total and its
# slowest frame are computed only for sites with a bound on them.
job_needs <- function(job, sites) {
  stated <- lapply(job$shots, `[[`, "needs")
  all_of <- function(name) unique(unlist(lapply(stated, `[[`, name)))
  most <- function(name) {
    amounts <- unlist(lapply(stated, `[[`, name))
    if (length(amounts)) max(amounts)
  }
  named <- function(name) do.call(c, unname(lapply(stated, `[[`, name)))
  kinds <- Filter(length, lapply(stated, `[[`, "devices"))
  measured <- job$evidence[["peak_mem_mb"]][!is.na(job$evidence[["peak_mem_mb"]])]
  limits <- lapply(job$shots, function(shot) names(Filter(length, shot$limit)))
  reach <- job_reach(job, sites)
  list(
    engine = job$engine, version = job$version, add_ons = named("add_ons"), hosts = named("hosts"),
    devices = if (length(kinds)) Reduce(intersect, kinds), memory = most("memory"),
    measured_memory = if (length(measured)) max(measured) * 1e6,
    device_memory = most("device_memory"), limits = unique(unlist(limits)),
    cameras = all_of("cameras"), outputs = all_of("outputs"), channels = all_of("channels"),
    spread = all_of("spread"),
    confidential = any(vapply(stated, function(n) isTRUE(n$confidential), NA)),
    upload = max(vapply(job$shots, `[[`, 0, "upload")),
    total = reach$total, slowest = reach$longest, speeds = device_speeds(job)
  )
}

# The median total of a job, and the 90 % point of its longest frame; NULL when no site has a bound
# on either.
job_reach <- function(job, sites) {
  bound <- vapply(sites, function(site) length(c(site$community$smallest_job, site$can$frame_cap)) >
                  0, NA)
  if (!any(bound)) return(NULL)
  paths <- lapply(job$curves, function(curve) curve_paths(curve, enough_draws(curve, 2000)))
  list(total = sum(vapply(paths, function(x) stats::median(x$total), 0)),
       longest = max(vapply(paths, function(x) stats::quantile(x[["slowest"]], 0.9, names = FALSE),
                            0)))
}

# How many times as fast as the reference node each device is, by the job's own evidence.
device_speeds <- function(job) {
  rows <- as_frame(job$evidence)
  rows <- rows[is.na(rows[["site"]]) & !is.na(rows[["device"]]), , drop = FALSE]
  nodes <- unique(rows[c("node", "device")])
  speeds <- vapply(nodes[["node"]], function(node) {
    found <- node_speed(job, node)
    if (is.null(found)) NA_real_ else exp(found$log_factor)
  }, 0)
  known <- !is.na(speeds)
  stats::setNames(as.list(speeds[known]), nodes[["device"]][known])
}

# Why a site is no option for a job, as a code and in words: what does not fit (`unfit`), or is not
# known (`unknown_fit`); NULL when all fits.
eligibility_trouble <- function(site, job, needs) {
  found <- as_frame(summary.cp_eligibility(new_eligibility(site_eligibility(site, job, needs))))
  if (found$answer == "fits") return(NULL)
  unknown <- found$answer == "unknown"
  list(code = if (unknown) "unknown_fit" else "unfit",
       reason = paste0(if (unknown) "unknown: ", found$because))
}
