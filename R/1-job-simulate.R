# The job, many times over.

#' Simulate a job
#'
#' Draws the whole job: prepare, upload, wait, start and load; the pre-pass; the frames by list
#' scheduling (Graham 1966,
#' *Bounds for certain multiprocessing anomalies*): each to the node that is free first; failures,
#' lost nodes, hours, merging; frames going home one behind the other over the link while others
#' render; encoding; and the rate card's meter, with its cap. Time is kept in whole microseconds,
#' money in whole minor units.
#'
#' Every draw has separate random streams for speed, link, waiting, starting, failures and lost
#' nodes (xoshiro256++, Blackman & Vigna 2021), named by labels: the same seed gives the same draws
#' on any number of threads, and two ways with the same labels share their luck.
#'
#' @param seconds Seconds of each frame on a node of speed 1: a matrix, one row a draw and one
#'   column a frame; or the medians of log-normal times, one a frame, with `run_sd`, the sd of their
#'   log.
#' @param way From [job_way()].
#' @param draws Number of draws; the rows of `seconds` when it is a matrix.
#' @param seed Same seed, same draws.
#' @param run_sd Sd of log seconds, when `seconds` are medians.
#' @param meter What is charged; `NULL` for nothing. A list of `rate_card`, a site from
#'   [read_site()], and any of `tier`, `hire`, `engine` and `on`, as [bill()] takes them; `now`, the
#'   moment of the request, needed if the card charges by the hour of the day; `megapixels` of a
#'   frame, for cards that charge by it.
#' @param keep `TRUE` keeps when each frame is at home, and what each charge comes to.
#' @param drawing How draws are made, a list with any of `labels` (names of the streams: `job`, what
#'   is rendered, `site`, `tier`), `before` (draws that were made already: these go on after them),
#'   `numbers` (of the draws, from 0, where rows of `seconds` were left out), `threads`, and `lanes`
#'   (`FALSE` keeps draws from being scheduled side by side; the result is the same).
#' @param state What has happened of the job already, from which it goes on; `NULL` for nothing. A
#'   list with any of `at_s`, the moment, in seconds from the job's beginning, as all times here
#'   are; `stages`, when each of `prepare`, `upload`, `wait` was over (left out: not yet); `nodes`,
#'   a data frame of what each node did, one row a stretch of time: `node` (its number), `does`
#'   (`start`, `load`, `prepass`, `render`, `failed`, `aborted`, `idle`), `from_s`, `to_s` (`NA`
#'   while running), `frame` (its place in the job), `part`, `runs`; a running frame is `render`
#'   from the moment its node took it; `lost`, a data frame of `node`, `gone_s`, `noticed_s`;
#'   `spent`, money charged so far if the site reported it, in place of the card's price; `left`,
#'   which frames are this way's to render, one `TRUE` or `FALSE` a frame or a matrix of draws x
#'   frames: the others are neither rendered nor charged nor fetched; `each`, a list of such states,
#'   one a draw. Past events do not change. what has not is drawn, and does not end before the
#'   moment. The result counts all of it: a job that was cut at any moment and goes on with the same
#'   seed ends when, and costs what, it would have uncut.
#' @return A list of class `cp_simulated`: `draws`, a tibble with one row a draw: `draw`, `finish_s`
#'   (from now; `Inf` when the job does not end), the stages of its longest chain of events, which
#'   add up to it: `held_s` (until it is released), `prepare_s`, `upload_s`, `wait_s`, `start_s`
#'   (until the first node is ready), `prepass_s`, `render_s`, `closed_s` (outside the hours),
#'   `download_s` (what the link was waited for), `encode_s`; `node_hours` metered, `busy_hours`;
#'   `log_speed` that was drawn; `frames_done`, `frames_lost`, `capped`; and with a rate card, in
#'   its currency: `list`, `minimum`, `discount`, `tax`, `credit`, `to_pay`, `prepaid` (of the
#'   credit), `lost_money` (paid for frames in flight at a cap). With `keep`: `home`, a matrix of
#'   seconds, one row a frame in the order they come home and one column a draw; `lines`, a matrix
#'   of money, one row a charge. For a way that is halted: `begun`, the frames that had started, a
#'   matrix of frames x draws; `finish_s` is when the last of these is at home.
#' @section Conditions: `clockpigeon_error_type` for arguments of the wrong kind.
#' @examples
#' # Equal frames take whole rounds: 10 frames of 60 s on 4 nodes, 3 rounds.
#' simulate_job(rep(60, 10), job_way(nodes = 4), draws = 1)$draws$finish_s
#' saltmill <- read_site(demo_file("sites/saltmill.yaml"))
#' ten <- simulate_job(rep(60, 10), job_way(10), draws = 1, meter = list(rate_card = saltmill))
#' ten$draws$to_pay
#' @export
simulate_job <- function(seconds, way = job_way(),
                         draws = if (is.matrix(seconds)) nrow(seconds) else 2000, seed = 1,
                         run_sd = 0, meter = NULL, keep = FALSE, drawing = NULL, state = NULL) {
  check_class(way, argument("way"), "cp_way", "job_way()")
  draws <- check_count(draws, argument("draws"))
  if (length(meter)) meter <- option_object(meter, "meter", check_metering, "cp_metering")
  how <- option_object(drawing, "drawing", drawing_of)
  frames <- task_frames(seconds, draws, seed, run_sd, how$labels)
  frames$before <- how$before
  tariff <- meter$tariff
  way <- meter_setup(way, meter)
  way$streams <- stream_seeds(seed, how$labels)
  kinds <- vapply(tariff$balances, `[[`, "", "kind")
  minor <- 10^minor_digits(first_of(tariff$currency, "EUR"))
  count <- if (is.matrix(frames$given)) ncol(frames$given) else length(frames$log_median)
  rest <- rest_of_job(state, way, draws, count, minor, how$numbers)
  out <- job_draws(frames, unclass(way), rest, tariff, kinds == "prepaid", draws, how$threads, keep,
                   how$lanes)
  finish_draws(out, tariff, keep, way)
}

new_metering <- record_type("cp_metering", rate_card = is.list, tariff = is.list, now = anything,
                            megapixels = is.numeric)

# Charges of the simulation, checked.
check_metering <- function(rate_card, tier = NULL, hire = NULL, engine = NA_character_, on = NULL,
                           now = NULL, megapixels = 0) {
  check_class(rate_card, argument("rate_card"), "cp_site", "read_site()")
  new_metering(list(rate_card = rate_card, tariff = tariff_of(rate_card, tier, hire, engine, on),
                    now = now, megapixels = check_number(megapixels, argument("megapixels"),
                                                         least = 0)))
}

new_drawing <- record_type("cp_drawing", labels = is.character, before = is.integer,
                           threads = is.integer, lanes = is.logical, numbers = maybe(is.numeric))

# How draws are made, checked.
drawing_of <- function(labels = c(job = "job", site = "site", tier = "tier"), before = 0,
                       threads = 2, lanes = TRUE, numbers = NULL) {
  lost <- setdiff(c("job", "site", "tier"), names(labels))
  if (length(lost))
    stop_input("type", paste("has no", either(lost)), argument("labels"),
               "Name job, site and tier.")
  new_drawing(list(labels = labels, before = check_count(before, argument("before"), least = 0),
                   threads = check_count(threads, argument("threads")),
                   lanes = check_flag(lanes, argument("lanes")),
                   numbers = numbers))
}

# Frame times of the simulation: given seconds, or the parameters of log-normal ones.
task_frames <- function(seconds, draws, seed, run_sd, labels) {
  if (!is.numeric(seconds) || !length(seconds) || anyNA(seconds) || min(seconds) <= 0 ||
      max(seconds) > 1e7) {
    stop_input("type", paste("got", show_value(utils::head(seconds, 3))), argument("seconds"),
               paste0("Give seconds above 0 and at most 1e7, a matrix (draws x frames) or one ",
                      "number a frame."))
  }
  if (!is.matrix(seconds)) {
    return(list(given = NULL, before = 0, log_median = log(seconds),
                sd = check_number(run_sd, argument("run_sd"), least = 0),
                stream = stream_seed(seed, paste("frames", labels[["job"]]))))
  }
  if (nrow(seconds) != draws) {
    stop_input("type", paste("got", draws, "draws of", nrow(seconds), "rows"), argument("draws"),
               "Leave it out, or give as many rows.")
  }
  storage.mode(seconds) <- "double"
  list(given = seconds, before = 0)
}

stream_seeds <- function(seed, labels) {
  of <- function(...) as.numeric(stream_seed(seed, paste(...)))
  site <- labels[["site"]]
  c(speed = of("speed", site), link = of("link", site), wait = of("wait", site, labels[["tier"]]),
    start = of("start", site), fail = of("failures", labels[["job"]]),
    vanish = of("lost nodes", site), job = of("job", labels[["job"]]))
}

# The way with what its meter counts.
meter_setup <- function(way, meter) {
  card <- meter$rate_card
  billed <- first_of(card$billed, list(failed = TRUE, aborted = TRUE))
  way$bills_failed <- billed$failed
  way$bills_aborted <- billed$aborted
  by_hire <- identical(card$meter, "boot to release")
  codes <- activity_codes()
  way$metered <- sum(if (by_hire) codes else
                     codes[c("load", "prepass", "render", "failed", "aborted")])
  way$pixels <- first_of(meter$megapixels, 0) * 1e6
  way$cap <- if (is.null(way$cap) || is.null(meter)) 0 else
    round(way$cap * 10^minor_digits(meter$tariff$currency))
  way$counted <- lapply(meter$tariff$charges, counted_of, tariff = meter$tariff, billed = billed,
                        now = meter$now, by_hire = by_hire)
  way
}

# Quantity that a tariff's charge counts in a simulated job.
counted_of <- function(charge, tariff, billed, now, by_hire) {
  does <- charge$activities
  bits <- intersect(does, c("start", "load", "prepass", "render", "idle"))
  if ("render" %in% does)
    bits <- c(bits, if (billed$failed) "failed", if (billed$aborted) "aborted")
  if (length(charge$hours) && is.null(now)) {
    stop_input("type", "is needed: the card charges by the hour of the day", argument("now"),
               "Give a moment.")
  }
  weight <- if (length(charge$weight)) tariff$defaults[[charge$weight]] *
    if (charge$weight == "score") 1000 else 1
  list(what = charge$value, activities = sum(activity_codes()[bits]),
       each_run = charge$rounded == "run" && !by_hire, step = charge$step,
       rounding = charge$rounding,
       hours = if (length(charge$hours)) hours_after(charge$hours, now, tariff$zone),
       sent = "upload" %in% does,
       fetched = "download" %in% does, weight = first_of(weight, 1))
}

new_simulated <- record_type("cp_simulated", draws = is.data.frame, home = maybe(is.numeric),
                             lines = maybe(is.numeric), begun = maybe(is.logical),
                             currency = maybe(is.character))

# Draws of a simulation as its caller sees them: times from now, node time in hours, money in units.
finish_draws <- function(out, tariff, keep, way) {
  begin <- way$begin
  out$columns <- c(out$columns[1], list(held_s = rep(begin, length(out$columns[[1]]))),
                   out$columns[-1])
  out$columns$prepare_s <- out$columns$prepare_s - begin
  draws <- c(list(draw = seq_along(out$columns$finish_s)), out$columns)
  for (name in c("node", "busy")) {
    draws[[paste0(name, "_s")]] <- draws[[paste0(name, "_s")]] / 3600
  }
  names(draws)[match(c("node_s", "busy_s"), names(draws))] <- c("node_hours", "busy_hours")
  draws$capped <- draws$capped == 1
  money <- c("list", "minimum", "discount", "tax", "credit", "to_pay", "prepaid", "lost_money")
  minor <- 10^minor_digits(first_of(tariff$currency, "EUR"))
  for (name in money) draws[[name]] <- if (!is.null(tariff)) draws[[name]] / minor
  if (keep && !is.null(tariff)) {
    out$lines <- out$lines / minor
    rownames(out$lines) <- vapply(tariff$charges, `[[`, "", "item")
  }
  new_simulated(list(draws = as_table(draws), home = if (keep) out$home,
                     lines = if (keep && !is.null(tariff)) out$lines,
                     begun = if (is.finite(way$halt)) out$begun == 1L, currency = tariff$currency))
}
