# Timings of one scene, its shot, and a site: evidence of a job without a project.
own <- function(wall_s, frame, ...)
  some_timings(wall_s, scene = "s", frame = as.integer(frame), ...)
shot_s <- function(...)
  utils::modifyList(structure(list(shot = "s", scene = "s", frames = 1:40, cuts = integer(),
                                   size = c(width = 160L, height = 90L),
                                   limit = list(samples = 8L, noise = NULL, time = NULL),
                                   upload = 0, frame_size = 0),
                              class = "cp_shot"), list(...))
site_x <- function(site = "x", speeds = list(), nodes_like = character()) {
  structure(list(site = site, kind = "rented", engines = "e", nodes_like = nodes_like,
                 speeds = speeds, currency = "EUR"), class = "cp_site")
}
