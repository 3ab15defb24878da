# Job sheets: everything needed to place frames at a site by hand, for people and for programs.

# Writes the sheet of one part of a job, as Markdown and JSON, and the parcels it sends; returns the
# paths. `trial`: of its trial frames alone.
write_sheet <- function(place, k, folder, trial = FALSE) {
  sheet <- part_sheet(place, k, folder)
  site <- place$parts[["site"]][k]
  if (!trial) return(write_sheet_files(sheet, folder, site))
  write_sheet_files(trial_sheet(sheet), folder, paste0(site, "-trial"))
}

# The columns of a part whose frames were refused and are not there.
refused_columns <- function(place, ledger, k) {
  columns <- place$split$runs[[k]]
  frames <- job_columns(place$state$job)[columns, , drop = FALSE]
  refused <- refused_frames(job_events(ledger, place$job))
  here <- length(place$seen) > 0 &
    is.finite(or_else(place$seen$came[columns], rep(Inf, length(columns))))
  columns[row_key(frames, c("shot", "frame")) %in% row_key(refused, c("shot", "frame")) & !here]
}

# A sheet of frames that are to be rendered again, at their share of the part's price.
write_repeat_sheet <- function(place, k, folder, columns) {
  part <- as.list(as_frame(place$parts)[k, ])
  share <- length(columns) / part$count
  for (name in grep("^(cost|full)_", names(part), value = TRUE)) part[[name]] <- part[[name]] *
    share
  part$count <- length(columns)
  write_sheet_files(job_sheet(place, job_part(place$state$job, columns), part, folder), folder,
                    paste0(part$site, "-again"))
}

# The same for trial frames alone: their share of the price.
trial_sheet <- function(sheet) {
  whole <- sheet$count
  sheet$shots <- lapply(sheet$shots, function(shot) {
    shot$frames <- format_frames(shot$trial_frames)
    shot$count <- length(shot$trial_frames)
    shot
  })
  sheet$count <- sum(vapply(sheet$shots, `[[`, 0L, "count"))
  share <- sheet$count / whole
  for (name in c("mean", "nine_in_ten"))
    sheet$price[[name]] <- round(sheet$price[[name]] * share, 2)
  sheet$cap$amount <- ceiling(100 * 3 * sheet$price$nine_in_ten) / 100
  if (length(sheet$cap$in_unit)) sheet$cap$in_unit <- ceiling(sheet$cap$in_unit * share * 3)
  sheet
}

write_sheet_files <- function(sheet, folder, name) {
  files <- file.path(folder, paste0("sheet-", name, c(".md", ".json")))
  write_text(sheet_page(sheet), files[1])
  write_text(record_json(sheet), files[2])
  files
}

part_sheet <- function(place, k, folder) {
  part <- as.list(as_frame(place$parts)[k, ])
  job_sheet(place, job_part(place$state$job, place$split$runs[[k]]), part, folder)
}

# Frames that the checkpoint takes from an own pool for another site: a separate part, and the
# columns of its frames.
rescue_part <- function(place, frames) {
  rescue <- place$decision$plan$rescue
  key <- unlist(lapply(place$state$job$shots, function(shot) paste(shot$shot, shot$frames)))
  columns <- which(key %in% paste(frames[["shot"]], frames[["frame"]]))
  row <- match(rescue$option, place$state$options[["option"]])
  options <- place$state$options[row, ]
  of_part <- part_draws(place$state, row, columns)
  draws <- of_part[["cost"]]
  full <- full_price(of_part)
  list(columns = columns,
       part = list(site = rescue$site, option = rescue$option, tier = options[["tier"]],
                   hire = options[["hire"]], nodes = options[["nodes"]],
                   spread = options[["spread"]], count = length(columns), cost_mean = mean(draws),
                   cost_p90 = quantile_of(draws, 0.9), cost_p99 = quantile_of(draws, 0.99),
                   full_mean = mean(full), full_p90 = quantile_of(full, 0.9)))
}

write_rescue <- function(place, rescue, folder) {
  write_sheet_files(job_sheet(place, job_part(place$state$job, rescue$columns), rescue$part,
                              folder), folder,
                    rescue$part$site)
}

# Highest cost of a part: its cost in 99 % of cases, within the rest of the budget.
part_cap <- function(place, part) {
  left <- place$state$asked$budget - (place$judged$mean - part$cost_mean)
  min(part$cost_p99, if (is.finite(left)) max(left, part$cost_mean))
}

# Up to three frames that tell most of a shot.
trial_frames <- function(frames) sort(first_probes(frames, min(3, length(frames))))

# The sheet for a site by hand.
job_sheet <- function(place, job, part, folder) {
  project <- place$project
  site <- project$sites[[part$site]]
  engine <- project$engines[[job$engine]]
  currency <- job$currency
  digits <- max(4, nchar(max(unlist(lapply(job$shots, `[[`, "frames")))))
  kind <- or_else(engine$output, "png")
  shots <- lapply(unname(job$shots), function(shot) {
    c(list(shot = shot$shot, scene = scene_for(job$engine, shot),
           frames = format_frames(shot$frames), count = length(shot$frames),
           size = paste(shot$size, collapse = "x"), limit = format_limit(shot$limit)),
      list(output = kind,
           name = sprintf(paste0("%s-%0", digits, "d.%s"), shot$shot, shot$frames[1], kind),
           trial_frames = trial_frames(shot$frames)),
      parcel_of(project, shot$shot, folder))
  })
  cap <- part_cap(place, part)
  own_unit <- sheet_unit(site, currency, job$rates)
  list(job = place$job, site = site$site, tier = part$tier, nodes = part$nodes,
       spread = part$spread, engine = job$engine, version = job$version, count = part$count,
       shots = shots, folder = file.path(folder, "frames"),
       reports = if (length(site$reports)) I(vapply(site$reports, `[[`, "", "file")),
       deadline = if (is.finite(place$state$asked$deadline_s)) {
         format(place$now + place$state$asked$deadline_s, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
       },
       needed_by = if (is.finite(place$state$asked$deadline_s)) {
         format_moment(place$now + place$state$asked$deadline_s, first_of(project$time_zone, "UTC"))
       },
       price = list(currency = currency, mean = round(part$cost_mean, 2),
                    nine_in_ten = round(part$cost_p90, 2)),
       cap = c(list(currency = currency, amount = round(cap, 2)),
               if (length(own_unit))
               list(unit = own_unit$unit, in_unit = ceiling(cap / own_unit$worth))),
       made_at = utc_now(place$now))
}

# A site's own unit and what one of it is worth; NULL where it sells in money.
sheet_unit <- function(site, currency, rates) {
  if (site$currency == currency) return(NULL)
  rate <- rate_to(site, currency, rates)
  list(unit = site$currency, worth = rate$rate)
}

# The parcel of a shot, where a manifest says what belongs to it.
parcel_of <- function(project, shot, folder) {
  manifest <- project$manifests[[shot]]
  if (is.null(manifest) || !requireNamespace("zip", quietly = TRUE)) return(NULL)
  at <- file.path(folder, "parcels")
  dir.create(at, FALSE, TRUE)
  packed <- tryCatch(pack_shot(manifest, project$root, at), clockpigeon_error_pack = identity)
  if (inherits(packed, "error")) return(list(no_parcel = packed$what))
  list(parcel = packed[["parcel"]], parcel_version = packed[["version"]],
       parcel_bytes = packed[["parcel_bytes"]])
}

# The sheet for people.
sheet_page <- function(x) {
  money <- function(amount) format_money(amount, x$price$currency)
  cap <- paste0(money(x$cap$amount),
                if (length(x$cap$unit)) paste0(" (", x$cap$in_unit, " ", x$cap$unit, ")"))
  shots <- unlist(lapply(x$shots, function(s) {
    c("", paste("##", s$shot), "",
      paste("- Scene:", s$scene),
      paste0("- Frames: ", s$frames, " (", s$count, ")"),
      paste0("- Size: ", s$size, "; limit: ", s$limit, "; output: ", toupper(s$output)),
      paste0("- Names of the pictures: `", s$name,
             "` and so on: the shot, and the frame in as many digits"),
      if (length(s$parcel))
      paste0("- Send: `", basename(s$parcel), "` (", format_size(s$parcel_bytes), ", version ",
             s$parcel_version, ")")
      else paste0("- Send: the scene and all it needs; there is no parcel of it, since ",
                  or_else(s$no_parcel, "it has no manifest")),
      paste0("- Before the rest, see frames ", toString(s$trial_frames),
             ": complete, right, and as fast as claimed"))
  }))
  c(paste0("# ", x$job, " at ", x$site), "",
    paste0("- Order: ", x$tier, ", ", x$nodes, if (x$nodes == 1) " node" else " nodes", ", ",
           x$engine, " ", x$version, if (x$spread != "frames") paste0(", spread by ", x$spread)),
    paste0("- Frames in all: ", x$count),
    if (length(x$deadline)) paste("- Needed by:", x$needed_by),
    paste0("- Price promised: ", money(x$price$mean), " on average, up to ",
           money(x$price$nine_in_ten), " in 9 of 10 cases"),
    paste0("- Spend cap to set there before it starts: ", cap),
    paste0("- Put the delivered frames into `", x$folder, "`, in any folders"),
    if (length(x$reports)) paste0("- Put its reports on frames next to that folder, as ",
                                  paste0("`", x$reports, "`", collapse = ", "),
                                  ", and again as they grow"),
    paste0("- Then: `clockpigeon watch ", x$job, "`"), shots)
}
