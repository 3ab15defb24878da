# Alarms of a running job: what is wrong, on what evidence, what to do, and until when that helps.

# `x`: as watch_frames() has it so far. Returns a tibble, the gravest first: `code`, `level` (`now`,
# `soon`, `note`), `site`, `says` (with its evidence), `action`, `until_s` (until when it helps,
# seconds from the placing; NA: any time).
watch_alarms <- function(x) {
  # A job that was stopped needs nothing any more.
  if (isTRUE(x$happened$stopped)) return(as_table(ranked_alarms(NULL)))
  found <- site_alarms(x)
  if (any(is.infinite(x$came))) {
    found <- rbind(look_alarm(x), silent_alarms(x), node_alarms(x), fewer_alarms(x),
                   stuck_alarms(x), heavy_alarm(x), pace_alarms(x), level_alarms(x),
                   fail_alarms(x), strain_alarms(x), found, money_alarm(x), late_alarm(x))
  }
  as_table(ranked_alarms(found))
}

# Clock time, this number of seconds after the placing.
clock_at <- function(x, seconds) by_clock(seconds, x$state$scenario)

# A fallback's checkpoint: the required number of frames, and the actual one.
look_alarm <- function(x) {
  look <- x$look
  if (is.null(look) || !look$due %in% c("send", "later")) return(NULL)
  if (look$due == "later") {
    return(new_alarm("look", "note", NA,
                     paste0("checkpoint ", clock_at(x, look$at_s), ": with fewer than ",
                            look$fewer, " frames finished, the rest goes to ", look$rescue),
                     "Nothing until then.", look$at_s))
  }
  new_alarm("look", "now", NA,
            paste0("checkpoint ", clock_at(x, look$at_s), ": ", look$there,
                   " frames finished, fewer than the required ", look$fewer),
            paste0("Send the frames not started to ", look$rescue, "."),
            x$state$asked$deadline_s)
}

# Nothing came for longer than in 99 of 100 draws, and than between any two frames of 19 in 20 jobs.
silent_alarms <- function(x) {
  parts <- as_frame(x$parts)
  silent <- which(parts[["silent"]])
  bind_tables(lapply(silent, function(k) {
    site <- parts[["site"]][k]
    passed <- x$passed_s - parts[["last"]][k]
    long <- if (is.finite(passed)) paste(" for", format_duration(passed)) else " yet"
    new_alarm("silent", "now", site,
              paste0("no frame from ", site, long,
                     "; in 99 % of cases another frame would have arrived by now"),
              "Check whether it still runs.")
  }))
}

# Nodes that are gone.
node_alarms <- function(x) {
  nodes <- x$nodes
  gone <- nodes[!nodes[["up"]], , drop = FALSE]
  if (!nrow(gone)) return(NULL)
  new_alarm("gone", "now", NA,
            paste0("node ", gone[["node"]], " gone since ", clock_at(x, gone[["last"]])),
            "Check the node. Its frames went to other nodes.")
}

# A frame that is rendered for longer than any frame of the forecast.
stuck_alarms <- function(x) {
  open <- x$frames[x$frames[["state"]] == "rendering", , drop = FALSE]
  if (!nrow(open)) return(NULL)
  most <- longest_frames(x, open)
  took <- x$passed_s - open[["begun"]]
  stuck <- which(took > most)
  if (!length(stuck)) return(NULL)
  # The longest three; where there are many it is no single node.
  others <- length(stuck) - 3
  stuck <- utils::head(stuck[order(-took[stuck])], 3)
  new_alarm("stuck", "now", NA,
            paste0(open[["shot"]][stuck], " ", open[["frame"]][stuck], " is rendered on ",
                   open[["node"]][stuck], " for ", format_duration(took[stuck]),
                   ", longer than in any case of the forecast (", format_duration(most[stuck]), ")",
                   if (others > 0) paste0(", and so are ", others, " more")),
            "See that node: it may be frozen, or the frame is far heavier than its neighbours.")
}

# Finished frames that took longer than in any case of the forecast.
heavy_alarm <- function(x) {
  done <- x$frames[x$frames[["state"]] %in% c("arrived", "usable") &
                   is.finite(x$frames[["seconds"]]) &
                     is.na(x$frames[["piece"]]), , drop = FALSE]
  if (!nrow(done)) return(NULL)
  most <- longest_frames(x, done)
  heavy <- which(done[["seconds"]] > most & done[["seconds"]] > 1)
  if (!length(heavy)) return(NULL)
  at <- heavy[which.max(done[["seconds"]][heavy] / most[heavy])]
  new_alarm("heavy", "note", NA, paste0(
    length(heavy), " of ", nrow(done), if (nrow(done) == 1) " frame" else " frames",
    " took longer than in any case ", "of the forecast: ", done[["shot"]][at], " ",
    done[["frame"]][at], " ", format_duration(done[["seconds"]][at]), ", at most ",
    format_duration(most[at])),
    "Check that frame next to its neighbours. The next forecast includes it.")
}

# The longest that frames take in the draws, at the slowest site of the plan, with some room.
longest_frames <- function(x, frames) {
  options <- x$state$options[x$going$used, , drop = FALSE]
  columns <- match(row_key(frames, c("shot", "frame")),
                   row_key(job_columns(x$state$job), c("shot", "frame")))
  apply(x$state$seconds[, columns, drop = FALSE], 2, max) / exp(min(options[["log_speed"]])) * 1.5 +
    10
}

# Below this factor a slowdown is not worth an alarm, however certain it is.
worth_telling <- 1.1

# Slower from the first frame than the measurements explain.
level_alarms <- function(x) {
  parts <- as_frame(x$parts)
  slow <- parts[parts[["unlike"]] & parts[["beside"]] >= worth_telling & !parts[["slowed"]], ,
                drop = FALSE]
  if (!nrow(slow)) return(NULL)
  new_alarm("unlike", "soon", slow[["site"]], paste0(
    slow[["site"]], " takes ", number_text(slow[["beside"]]),
    " times as long per frame as forecast, more than ", "in 99.5 % of cases"),
    paste0("Check that its version, device and settings are those measured. The times ",
           "below assume its present speed."))
}

# Slower than before: one false alarm in twenty jobs that go as forecast.
pace_alarms <- function(x) {
  parts <- as_frame(x$parts)
  slow <- parts[parts[["slowed"]] & parts[["factor"]] >= worth_telling, , drop = FALSE]
  if (!nrow(slow)) return(NULL)
  new_alarm("slower", "soon", slow[["site"]], paste0(
    slow[["site"]], " has taken ", number_text(slow[["factor"]]),
    " times as long for a frame since ", clock_at(x, slow[["since_s"]]), " as before"),
    "See whether other work, heat or fewer nodes slow it; the times below take it as lasting.")
}

# More frames fail than one in a thousand jobs would have, by the share that the card says.
fail_alarms <- function(x) {
  frames <- x$frames
  runs <- sum(frames[["runs"]])
  failed <- sum(frames[["failures"]])
  if (!failed) return(NULL)
  sites <- x$state$scenario$sites[x$parts[["site"]]]
  share <- max(0.01, vapply(sites, function(site) first_of(site$troubles, list(fails = 0))$fails /
                            100, 0))
  if (stats::pbinom(failed - 1, max(runs, failed), share, lower.tail = FALSE) > 0.001) return(NULL)
  worst <- frames[which.max(frames[["failures"]]), ]
  new_alarm("failing", "now", NA,
            paste0(failed, " of ", runs, " runs failed, the most of ", worst[["shot"]], " ",
                   worst[["frame"]], " (", worst[["failures"]], ")"),
            "See why: clockpigeon jobs, with the job's name and --format csv, says it of each.")
}

# Reports of sites that are reached by their address.
site_alarms <- function(x) {
  sites <- x$at_sites
  if (is.null(sites)) return(NULL)
  bind_tables(lapply(seq_len(nrow(sites)), function(k) {
    site <- as.list(as_frame(sites)[k, ])
    part <- which(x$parts[["site"]] == site$site)
    if (!length(part)) return(NULL)
    columns <- x$going$runs[[part[1]]]
    if (all(x$here[columns])) return(NULL)
    rbind(halted_alarm(x, site, columns), reach_alarm(x, site), behind_alarm(x, site, columns),
          charge_alarm(x, site, part[1], columns), balance_alarm(x, site, part[1]),
          unusable_alarm(site), version_alarm(x, site))
  }))
}

# Nothing more is rendered there.
halted_alarm <- function(x, site, columns) {
  lost <- sum(is.infinite(x$came[columns]))
  if (is.na(site$halted_s) || !lost) return(NULL)
  by <- c(cap = "spend cap reached", order = "stopped by order", "no nodes" = "no nodes left")
  why <- if (site$halted_by %in% names(by)) by[[site$halted_by]] else shown_text(site$halted_by)
  new_alarm("halted", "now", site$site,
            paste0(site$site, " stopped at ", clock_at(x, site$halted_s), ": ", why, "; ",
                   lost, " frames not rendered"),
            paste0("Place the rest again with a new cap, or plan it with clockpigeon choose ",
                   "--done. Fetch the paid frames with clockpigeon fetch."))
}

reach_alarm <- function(x, site) {
  if (is.na(site$silent_s)) return(NULL)
  if (site$by_hand) {
    return(new_alarm("unreached", "soon", site$site, paste0(site$site, " ", site$trouble),
                     paste0("Export the report again, or correct `reports` in the site's file. ",
                            "Frames in the folder are counted anyway.")))
  }
  new_alarm("unreached", "now", site$site,
            paste0("no answer from ", site$site, " since ", clock_at(x, site$silent_s), ": it ",
                   site$trouble), "Check that the site is up. Its reports follow then.")
}

# Pictures that are ready and not here: more than come in between two looks, and not getting fewer.
behind_alarm <- function(x, site, columns) {
  waiting <- is.finite(x$came[columns]) & !x$here[columns]
  old <- waiting & x$passed_s - x$ready[columns] > 300
  if (sum(old) < max(5, 0.05 * length(columns))) return(NULL)
  new_alarm("behind", "soon", site$site,
            paste0(sum(waiting), " frames are ready at ", site$site, " and not here, ", sum(old),
                   " of them for over five minutes"),
            if (site$by_hand) "Download them into the job's folder."
            else "Fetch them without the view: clockpigeon fetch; see the link and the disk here.")
}

# Charges for the finished work compared with the forecast.
charge_alarm <- function(x, site, part, columns) {
  if (is.na(site$charged)) return(NULL)
  weight <- colMeans(x$state$seconds[, columns, drop = FALSE])
  work <- sum(weight[is.finite(x$came[columns])]) / sum(weight)
  mean <- mean(full_price(x$going$draws[[part]]))
  ratio <- charged_ratio(mean, site$charged, work)
  if (work < 0.05 || ratio < 1.2) return(NULL)
  currency <- x$state$scenario$currency
  new_alarm("dearer", "soon", site$site, paste0(
    site$site, " charged ", format_money(site$charged, currency), " for ", format_percent(work),
    " of the work, ", number_text(ratio), " times the price on its card"),
            "Check its bill: clockpigeon jobs, with the job's name.")
}

# Frames that another version made than the one asked for.
version_alarm <- function(x, site) {
  if (is.na(site$other)) return(NULL)
  job <- x$state$job
  new_alarm("version", "now", site$site,
            paste0(site$site, " renders with ", job$engine, " ", site$other, ", required: ",
                   job$version),
            paste0("Stop, and compare a frame with one of your own: clockpigeon picture. ",
                   "Releases light and grain differently."))
}

# Fewer nodes than the plan counts on, well after the others began.
fewer_alarms <- function(x) {
  nodes <- x$nodes
  parts <- as_frame(x$parts)
  options <- x$state$options
  bind_tables(lapply(seq_len(nrow(parts)), function(k) {
    site <- parts[["site"]][k]
    mine <- nodes[startsWith(nodes[["node"]], paste0(site, "/")), , drop = FALSE]
    planned <- min(options[["nodes"]][match(parts[["option"]][k], options[["option"]])],
                   parts[["frames"]][k])
    if (!nrow(mine) || nrow(mine) >= planned || parts[["there"]][k] == parts[["frames"]][k])
      return(NULL)
    start <- first_of(x$state$scenario$sites[[site]]$start, list(p90_s = 300))$p90_s
    since <- x$passed_s - min(mine[["first"]])
    if (since < 2 * start + 120) return(NULL)
    new_alarm("fewer", "soon", site,
              paste0(nrow(mine), " of ", planned, " nodes work at ", site, ", ",
                     format_duration(since), " after the first began"),
              "Ask the site. The times above use the actual arrivals.")
  }))
}

unusable_alarm <- function(site) {
  if (!site$spoilt) return(NULL)
  new_alarm("spoilt", "soon", site$site,
            paste0(site$spoilt, if (site$spoilt == 1) " picture of " else " pictures of ",
                   site$site, " arrived incomplete"),
            paste0("They will be fetched again. If they stay incomplete, ask the site to render ",
                   "them again."))
}

# The budget, and when it is exceeded: spending goes with the work.
money_alarm <- function(x) {
  asked <- x$state$asked
  if (!is.finite(asked$budget) || x$p_budget >= asked$confidence) return(NULL)
  spent <- spent_so_far(x)
  total <- stats::median(x$draws[["cost"]])
  end <- stats::median(x$draws[["finish_s"]])
  share <- if (is.finite(end)) (asked$budget - spent) / max(total - spent, 1e-9) else 1
  passes <- x$passed_s + share * (end - x$passed_s)
  currency <- x$state$scenario$currency
  if (spent > asked$budget) {
    return(new_alarm("money", "now", NA,
                     paste0("over budget: ", format_money(spent, currency), " spent of ",
                            format_money(asked$budget, currency)),
                     if (any(x$frames[["state"]] == "rendering"))
                     "Stop, or raise the budget: running frames cost more."
                     else "No further cost unless the job is placed again."))
  }
  soon <- share > 0 && share < 1
  new_alarm("money", if (x$p_budget < 0.5) "now" else "soon", NA, paste0(
    "the forecast is ", format_money(total, currency), ", the budget ",
    format_money(asked$budget, currency), " (within budget: ", format_percent(x$p_budget), ")",
    if (soon) paste0("; half of the simulations exceed it by ", clock_at(x, passes))),
    paste0(if (total > asked$budget) paste0("Stop, or accept ",
                                            format_money(total - asked$budget, currency), " more.")
           else "Stop, or raise the budget.", " Running frames are billed and lost at a stop."),
    if (soon) passes else NA_real_)
}

# The deadline: the option that still keeps it with the frames not started, and until when it would.
late_alarm <- function(x) {
  asked <- x$state$asked
  if (!is.finite(asked$deadline_s) || x$p_deadline >= asked$confidence) return(NULL)
  level <- if (x$p_deadline < 0.5) "now" else "soon"
  says <- paste0("on time for ", clock_at(x, asked$deadline_s), ": ",
                 format_percent(x$p_deadline), " (required: ", format_percent(asked$confidence),
                 ")")
  if (asked$deadline_s <= x$passed_s) {
    return(new_alarm("late", "now", NA, "the deadline has passed",
                     "Decide which frames come first, and fetch those."))
  }
  ways <- rest_alternatives(x)
  good <- ways[ways[["p_both"]] >= asked$confidence, , drop = FALSE]
  if (!NROW(good)) {
    # If the budget is spent, the option that would keep the deadline is named with its cost.
    kept <- ways[ways[["p_deadline"]] >= asked$confidence & x$p_budget < asked$confidence, ,
                 drop = FALSE]
    if (NROW(kept)) {
      best <- kept[which.min(kept[["cost_mean"]]), ]
      return(new_alarm("late", level, NA, says, paste0(
        "Only above the budget: send the rest to ", best[["option"]], ": ",
        format_percent(best[["p_deadline"]]), ", ",
        format_money(best[["cost_mean"]], x$state$scenario$currency), " in all on average."),
                       best[["until_s"]]))
    }
    best <- ways[which.max(ways[["p_both"]]), , drop = FALSE]
    return(new_alarm("late", level, NA, says, if (NROW(best) && best[["p_both"]] > x$p_both) paste0(
      "No option keeps it now; the rest at ", best[["option"]], " comes nearest, with ",
      format_percent(best[["p_both"]]), ".")
      else "No other option improves it. Tell the client."))
  }
  best <- good[which.min(good[["cost_mean"]]), ]
  new_alarm("late", level, NA, says, paste0(
    "Send the rest to ", best[["option"]], ": ", format_percent(best[["p_both"]]), ", ",
    format_money(best[["cost_mean"]], x$state$scenario$currency), " in all on average."),
            best[["until_s"]])
}
