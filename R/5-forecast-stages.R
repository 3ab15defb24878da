# Stages: how long all that is not rendering takes at a site, and how we know.

# Unknown stages never count as zero: median and 90 % point in seconds, wide, and shown as assumed.
# Own nodes are on and have no queue, unless a scheduler owns them; rented machines have no queue.
assumed_stages <- list(
  wait = list(managed = c(600, 7200), community = c(3600, 28800), scheduled = c(600, 7200)),
  start = list(rented = c(180, 600), managed = c(60, 300), community = c(60, 300))
)
# Packing, where it was never timed: bytes a second, and how many times as long one in ten takes.
assumed_packing <- list(bytes_s = 30e6, worst = 4)

# Stages of a job at a tier of a site, starting `begin_s` after `now` on a number of `nodes`: a list
# by activity, each with `time` (as job_way() takes it), `basis` (measured, claimed by the card,
# assumed; stated by the shot) and `from`.
site_stages <- function(job, site, tier, now, begin_s = 0, nodes = 1) {
  rows <- job$stage_rows
  said <- function(time, basis, from) list(time = time, basis = basis, from = from)
  measured <- function(activity, by_tier = FALSE) {
    mine <- rows[["activity"]] == activity & rows[["site"]] %in% site$site &
      (!by_tier | rows[["tier"]] %in% tier$tier)
    seen_time(rows[["wall_s"]][mine])
  }
  card <- function(activity, time) {
    found <- if (activity == "wait" && site$kind == "own")
      queue_seen(rows, site, now + begin_s, nodes)
             else measured(activity, activity == "wait")
    if (!is.null(found)) return(found)
    if (!is.null(time)) return(said(time, "claimed", "the card"))
    kind <- if (isTRUE(site$scheduled)) "scheduled" else site$kind
    usual <- assumed_stages[[activity]][[kind]]
    if (is.null(usual)) return(said(no_time, "stated", paste("none at", kind, "sites")))
    said(list(median_s = usual[1], p90_s = usual[2]), "assumed",
         paste("assumed for", kind, "sites"))
  }
  quiet <- length(tier$quiet) && is_in_hours(now + begin_s, tier$quiet$hours, site$time_zone)
  out <- list(
    pack = if (length(site$link)) pack_stage(job) else said(no_time, "stated", "nothing is sent"),
    wait = card("wait", if (quiet) tier$quiet$wait else tier$wait),
    start = card("start", site$start),
    install = said(first_of(site$install, no_time), "claimed", "the card")
  )
  for (name in c("encode", "merge"))
    out[[name]] <- said(time_of_shots(job$shots, name), "stated", "the shot")
  out
}

# Encoding of all shots goes one after the other; of merging the longest counts.
time_of_shots <- function(shots, name) {
  each <- lapply(shots, function(shot) first_of(shot[[name]], no_time))
  if (name == "encode") add_times(each) else each[[which.max(vapply(each, `[[`, 0, "median_s"))]]
}

# Earlier waits in the queue of the scheduler that owns a pool's machines: for this number at these
# hours.
queue_seen <- function(rows, site, moment, nodes) {
  mine <- rows[rows[["activity"]] == "wait" & rows[["site"]] %in% site$site & rows[["wall_s"]] > 0,
               , drop = FALSE]
  if (!nrow(mine)) return(NULL)
  asked <- vapply(mine[["conditions"]], function(text) {
    as.numeric(or_else(if (!is.na(text)) parse_json(text)[["nodes"]], 1))
  }, 0)
  at <- column_moments(mine[["measured_at"]], "measured_at", "UTC", "the ledger")
  time <- queue_time(mine[["wall_s"]], day_part(as.POSIXct(at, origin = "1970-01-01", tz = "UTC")),
                     asked, day_part(moment), nodes)
  if (length(time))
    list(time = time, basis = "measured", from = paste(nrow(mine), "waits in the queue"))
}

# A time seen at least three times: log-normal by its mean and spread, Student's t.
seen_time <- function(seconds) {
  seconds <- seconds[!is.na(seconds) & seconds > 0]
  n <- length(seconds)
  if (n < 3) return(NULL)
  list(time = list(median_s = exp(mean(log(seconds))),
                   sd = stats::sd(log(seconds)) * sqrt(1 + 1 / n), df = n - 1),
       basis = "measured", from = paste(n, "timings"))
}

# Time to pack the shots: measured, stated by the shot, or assumed from its size.
pack_stage <- function(job) {
  rows <- job$stage_rows
  shots <- vapply(job$shots, `[[`, "", "shot")
  each <- lapply(job$shots, function(shot) {
    mine <- rows[["activity"]] == "pack" & rows[["shot"]] %in% shot$shot
    found <- seen_time(rows[["wall_s"]][mine])
    if (!is.null(found)) return(found)
    if (!is.null(shot$pack)) return(list(time = shot$pack, basis = "stated", from = "the shot"))
    median <- shot$upload / assumed_packing$bytes_s
    list(time = list(median_s = median, p90_s = median * assumed_packing$worst), basis = "assumed",
         from = paste("assumed at", format_size(assumed_packing$bytes_s), "a second"))
  })
  worst <- match(c("assumed", "stated", "measured"), vapply(each, `[[`, "", "basis"))
  list(time = add_times(lapply(each, `[[`, "time")), basis = each[[stats::na.omit(worst)[1]]]$basis,
       from = each[[stats::na.omit(worst)[1]]]$from)
}

# One time after the other: medians add up, spreads do not cancel.
add_times <- function(times) {
  times <- Filter(function(t) t$median_s > 0, times)
  if (!length(times)) return(no_time)
  if (length(times) == 1) return(times[[1]])
  sds <- vapply(times, function(t) varying_time(t, "time")[2], 0)
  list(median_s = sum(vapply(times, `[[`, 0, "median_s")), sd = max(sds))
}

# A pre-pass over all shots of the job.
prepass_of <- function(job) {
  each <- Filter(Negate(is.null), lapply(job$shots, `[[`, "prepass"))
  if (!length(each)) return(list(tasks = 0, each = 0, on = "all"))
  counts <- vapply(each, `[[`, 0L, "frames")
  medians <- vapply(each, function(p) p$each$median_s, 0)
  sds <- vapply(each, function(p) varying_time(p$each, "prepass")[2], 0)
  list(tasks = sum(counts),
       each = list(median_s = sum(counts * medians) / sum(counts), sd = max(sds)),
       on = if (any(vapply(each, `[[`, "", "on") == "one")) "one" else "all")
}

is_in_hours <- function(moment, hours, zone) ms_within(moment, 1, hours, zone) > 0

# The way a job goes by one option, in numbers.
option_way <- function(job, option, site, now) {
  known <- site_stages(job, site, site_tier(site, option$tier), now, option$begin_s, option$nodes)
  trouble <- first_of(site$troubles, defaults_of(trouble_fields()))
  frames <- frames_by_shot(job)
  bytes <- vapply(job$shots, `[[`, 0, "frame_size")
  parts <- option_parts(job, option, site)
  linked <- length(site$link) > 0
  job_way(
    node_group(option$nodes,
               list(log_factor = option$log_speed, se = option$speed_se, df = option$speed_df),
               log1p(first_of(site$node_spread, 0) / 100),
               release = first_of(site$release, "idle")),
    stages(prepare = known$pack$time, wait = known$wait$time, start = known$start$time,
           install = known$install$time, merge = known$merge$time, encode = known$encode$time,
           prepass = prepass_of(job)),
    transfer_group(upload = if (linked) sum(vapply(job$shots, `[[`, 0, "upload")) else 0,
                   frame_bytes = if (linked) sum(bytes * frames) / sum(frames) else 0,
                   link = first_of(site$link, 0),
                   link_sd = if (linked) assumed_sd$link else 0),
    spread_group(option$spread, parts$parts, parts$load_s, parts$weight, parts$bytes, parts$link),
    troubles(trouble$fails / 100, trouble$retries, vanish = -log1p(-trouble$vanish / 100),
             freeze = -log1p(-trouble$freeze / 100), notice_s = trouble$notice,
             replaced = trouble$replaced),
    begin_s = option$begin_s,
    open = if (length(site$open)) hours_after(site$open, now, site$time_zone),
    cap = if (length(site$cap)) c(site$cap$amount, first_of(site$cap$lag, 0))
  )
}

# Parts of a frame. Each pays again the scene load that was measured. Bands of one frame are uneven:
# the slowest takes one and a half times the mean.
option_parts <- function(job, option, site) {
  whole <- list(parts = 1L, load_s = 0, weight = NULL, bytes = 0, link = 0)
  if (option$spread %in% c("frames", "ranges")) return(whole)
  layers <- max(vapply(job$shots, function(shot) first_of(shot$layers, 1L), 0L))
  parts <- if (option$spread == "layers") layers else option$nodes
  loads <- job$evidence[["load_s"]][!is.na(job$evidence[["load_s"]])]
  load <- if (length(loads)) mean(loads) else 0.05 * mean(job$evidence[["wall_s"]])
  pixels <- max(vapply(job$shots, function(shot) prod(shot$size), 0))
  shares <- option$spread == "shares"
  list(parts = as.integer(parts), load_s = load,
       weight = if (option$spread == "bands" && parts > 1) seq(0.5, 1.5, length.out = parts),
       bytes = if (shares) 16 * pixels else 0, link = if (shares) first_of(site$link, 125e6) else 0)
}

# Known speed of a node there: of its hire class, and of the usable share.
option_speed <- function(job, option, site) {
  speed <- site_speed(job, site)
  class <- if (!is.na(option$hire)) chosen_hire(site, option$hire)
  if (length(class)) {
    more <- class_speed(class, site)
    speed$log_factor <- speed$log_factor + log(more$factor)
    speed$se <- sqrt(speed$se^2 + more$se^2)
  }
  speed$log_factor <- speed$log_factor + log(first_of(site$share, 100) / 100)
  speed
}

# Speed of a class of machines relative to the first of its site: from the card, or from its
# devices, whose gain is never full.
class_speed <- function(class, site) {
  first <- site$hires[[1]]
  if (class$hire == first$hire) return(list(factor = 1, se = 0, basis = NA_character_))
  if (length(class$speed)) {
    return(list(factor = class$speed / first_of(first$speed, 1), se = assumed_sd$claimed,
                basis = "claimed"))
  }
  devices <- first_of(class$devices, 1L) / first_of(first$devices, 1L)
  list(factor = devices^assumed_device_power, se = assumed_sd$devices * abs(log(devices)),
       basis = "assumed")
}
assumed_device_power <- 0.85

# Stages of an option whose times are assumed, and take any.
untimed_stages <- function(it, now) {
  stages <- site_stages(it$job_of, it$at, it$tier_of, now, it$begin_s)
  Filter(function(stage) stage$basis == "assumed" && stage$time$median_s > 0, stages)
}
