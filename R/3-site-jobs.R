# Requests to a site about a job: its price, placing, state, frames and bill.

# Work for a site, as the protocol has it. `job`: from render_job(), or a part of one; `option`: its
# `tier`, `hire` and `nodes`; `hashes`: a data frame of `shot`, `path` and `sha256` of the files
# that were sent.
site_work <- function(job, option, output, hashes = NULL) {
  given <- function(value) length(value) && !is.na(value)
  work_of <- function(shot) {
    own <- hashes[hashes[["shot"]] == shot$shot, , drop = FALSE]
    limit <- list(samples = shot$limit$samples, noise = shot$limit$noise, time_s = shot$limit$time)
    files <- Map(function(path, sha256) list(path = path, sha256 = sha256),
                 own[["path"]], own[["sha256"]], USE.NAMES = FALSE)
    c(list(shot = shot$shot, scene = scene_for(job$engine, shot),
           frames = format_frames(shot$frames), width = shot$size[[1]], height = shot$size[[2]],
           limit = Filter(given, limit), output = output),
      if (NROW(own)) list(files = files))
  }
  shots <- lapply(unname(job$shots), work_of)
  hire <- null_if_na(option[["hire"]])
  c(list(engine = job$engine, version = if (is.na(job$version)) NULL else job$version,
         tier = option[["tier"]]),
    if (length(hire)) list(hire = hire), list(nodes = option[["nodes"]], shots = shots))
}

ask_quote <- function(service, work) {
  ask_json(service, "POST", "/quotes", work, needed = c(
    expected = "charge", up_to = "charge", currency = "currency", seconds = "seconds"
  ))
}

# Places an order (the work, a `name`, `trial`, a `cap`) under a key: asked again, it is not placed
# again.
place_at_site <- function(service, order, key) {
  ask_json(service, "POST", "/jobs", order, key = key, needed = c(job = "text", state = "state"))
}

order_at_site <- function(service, job, order, key, cap = NULL) {
  ask_json(service, "POST", paste0("/jobs/", path_piece(job), "/orders"),
           c(list(order = order), if (length(cap)) list(cap = cap)), key = key,
           needed = c(state = "state"))
}

site_job <- function(service, job) {
  ask_json(service, "GET", paste0("/jobs/", path_piece(job)),
           needed = c(state = "state", frames = "count", ready = "count", spent = "charge",
                      currency = "currency", last_event = "count"))
}

site_bill <- function(service, job) {
  ask_json(service, "GET", paste0("/jobs/", path_piece(job), "/bill"), needed = c(
    lines = "rows", total = "amount", currency = "currency", last = "flag"
  ))
}

delete_at_site <- function(service, job) {
  ask_service(service, "DELETE", paste0("/jobs/", path_piece(job)))
  invisible()
}

# Engines and versions that a site says it has, as a list of versions by engine.
site_engines <- function(service) {
  rows <- sound_rows(ask_pages(service, "/engines", "engines"),
                     c(engine = "text", versions = "rows"))$rows
  versions <- lapply(rows, function(row) unlist(Filter(answer_types$text, row$versions)))
  stats::setNames(versions, vapply(rows, `[[`, "", "engine"))
}
