# The last look before a job is placed: what stands against it now, and what would cure it.

# `place`: as plan_place() has it so far. Returns a tibble, what stops it first: `code`, `weight`
# (`stops`, `note`), `site`, `what`, `cure`.
last_look <- function(place, ledger) {
  found <- rbind(
    chance_findings(place), change_findings(place), look_findings(place), pool_findings(place),
    service_findings(place),
    check_findings(place, ledger), disk_findings(place), balance_findings(place),
    trial_findings(place)
  )
  if (is.null(found)) found <- place_finding("", "note", NA, "", "")[0, ]
  as_table(found[order(match(found[["weight"]], c("stops", "note"))), , drop = FALSE])
}

place_finding <- function(code, weight, site, what, cure) {
  if (!length(what)) return(NULL)
  data.frame(code = code, weight = weight, site = site, what = what, cure = cure)
}

# Deadline and budget, from now on.
chance_findings <- function(place) {
  asked <- place$state$asked
  judged <- place$judged
  if (isTRUE(place$seen$happened$stopped)) {
    return(place_finding("stopped", "stops", NA, "the job was stopped",
                         "Decide about the rest: clockpigeon choose --done."))
  }
  # Frames that exist count as received at any time.
  if (length(place$seen) && all(place$seen$here)) return(NULL)
  short <- function(p) p < asked$confidence - 0.005
  # A job that has started continues after its deadline: its first frames are paid for.
  late <- if (length(place$seen)) "note" else "stops"
  if (asked$deadline_s <= 0) {
    return(place_finding("late", late, NA, "the deadline has passed",
                         if (length(place$seen)) "It goes on." else
                         "Decide again with another one."))
  }
  rbind(
    if (short(judged$p_deadline)) {
      place_finding("late", late, NA,
                    paste0("begun now it is done by the deadline with a chance of ",
                                                format_percent(judged$p_deadline), "; required: ",
                           format_percent(asked$confidence)),
                    "Decide again: clockpigeon choose.")
    },
    if (short(judged$p_budget)) {
      place_finding("dear", "stops", NA,
                    paste0("it stays within the budget with a chance of ",
                           format_percent(judged$p_budget),
                           "; required: ", format_percent(asked$confidence)),
                    "Decide again, or raise the budget.")
    }
  )
}

# Shots and cards that are not as they were when it was decided.
change_findings <- function(place) {
  project <- place$project
  used <- c(place$parts[["site"]], place$decision$plan$rescue$site)
  changed <- unlist(lapply(place$decision$inputs, function(x) {
    now <- if (length(x$site)) project$sites[[x$site]] else project$shots[[x$shot]]
    name <- c(x$site, x$shot)[1]
    if (length(x$site) && !x$site %in% used) return(NULL)
    if (is.null(now) || !identical(record_hash(now), x$hash)) name
  }))
  place_finding("changed", "stops", NA, if (length(changed)) {
    paste0(either_and(changed, ""), if (length(changed) == 1) " is" else " are",
           " not as when it was decided")
  }, "Decide again, so that the forecast is of what is sent.")
}

look_findings <- function(place) {
  plan <- place$decision$plan
  if (is.null(plan$look) || !isTRUE(place$judged[["late_look"]])) return(NULL)
  place_finding("look", "stops", NA, "the moment at which the plan looks has passed",
                "Decide again.")
}

# Nodes of own pools: whether there are any, whether they answer and have the version, how many the
# plan counts on.
pool_findings <- function(place) {
  own <- as_frame(place$parts)
  own <- own[own[["kind"]] == "own", , drop = FALSE]
  job <- place$state$job
  engines <- place$project$engines
  if (nrow(own) && !job$engine %in% names(engines)) {
    return(place_finding("engine", "stops", own[["site"]][1],
                         paste("there is no profile of the engine", job$engine),
                         paste0("Write engines/", job$engine, ".yaml: clockpigeon engine.")))
  }
  bind_tables(lapply(seq_len(nrow(own)), function(k) {
    site <- own[["site"]][k]
    if (!own[["here"]][k]) {
      return(place_finding("pool", "stops", site, paste(site, "has no nodes to send frames to"),
                           paste0("Write `pool: [node, node]` in sites/", site,
                                  ".yaml, with names of nodes/.")))
    }
    spread <- spread_trouble(own[["spread"]][k], engines[[job$engine]])
    if (length(spread)) {
      return(place_finding("spread", "stops", site, spread, "Decide with --only spread=frames."))
    }
    ready_findings(place, site, own[["nodes"]][k], engines[job$engine], job$version)
  }))
}

# Why a pool cannot render a plan's spread; NULL where it can.
spread_trouble <- function(spread, engine) {
  if (spread %in% c("frames", "ranges")) return(NULL)
  if (spread != "bands")
    return(paste("an own pool renders whole frames or bands, and the plan has", spread))
  if (!isTRUE(engine$bands)) return(paste(engine$engine, "renders no bands, by its profile"))
  if (!or_else(engine$output, "png") %in% joined_kinds) {
    paste0("bands of ", toupper(engine$output), " cannot be joined, those of ",
           paste(toupper(joined_kinds), collapse = " and "), " can")
  }
}

# Findings of the last look at own nodes: readiness, and nodes that are named twice.
ready_findings <- function(place, site, counted, engines, version) {
  slots <- site_slots(place$project, site)
  names <- vapply(slots, function(slot) slot$node$node, "")
  nodes <- lapply(slots[!duplicated(names)], `[[`, "node")
  said <- node_readiness(nodes, engines, names(engines), version)
  bad <- !said[["ready"]] & !said[["queued"]]
  there <- sum(names %in% said[["node"]][!bad])
  alone <- vapply(slots, function(slot) is_scheduled(slot$node), NA)
  twice <- unique(names[!alone][duplicated(names[!alone])])
  rbind(
    place_finding("shared", "note", site, if (length(twice)) {
      paste0(twice, " renders ", vapply(twice, function(n) sum(names == n), 0L),
             " frames at once on shares of its cores, and the forecast takes each for a whole node")
    }, "Name it once, or let `watch` say how it goes."),
    place_finding("nodes", "note", site, if (any(said[["queued"]])) {
      paste0(said[["node"]], " ", said[["says"]])[said[["queued"]]]
    }, "Frames begin when the scheduler gives a machine."),
    place_finding("nodes", if (there) "note" else "stops", site, if (any(bad)) {
      paste0(said[["node"]][bad], " is not ready: ", said[["says"]][bad])
    }, "See clockpigeon nodes."),
    if (there && there < counted) {
      place_finding("fewer", "stops", site,
                    paste0("the plan counts on ", counted, " nodes at ", site,
                           ", and its pool has ", there),
                    paste0("Name more in `pool` of sites/", site, ".yaml, or decide with --only ",
                           site, ",nodes=", there, "."))
    }
  )
}

# Does the site answer, have the engine's version, and charge as on its card?
service_findings <- function(place) {
  parts <- as_frame(place$parts)
  bind_tables(lapply(which(parts[["kind"]] == "service"), function(k) {
    part <- as.list(parts[k, ])
    columns <- place$split$runs[[k]]
    if (length(place$seen)) columns <- columns[is.infinite(place$seen$came[columns])]
    if (!length(columns)) return(NULL)
    unanswered <- function(e) {
      place_finding("service", "stops", part$site, paste(part$site, sub("^.*?: ", "", e$what)),
                    or_else(e$instead, "See the site."))
    }
    tryCatch(asked_findings(place, part, columns), clockpigeon_error_service = unanswered)
  }))
}

# Findings of the last look at a site with an address.
asked_findings <- function(place, part, columns) {
  project <- place$project
  site <- project$sites[[part$site]]
  service <- site_service(site, tries = 3)
  about <- ask_site(service)
  job <- job_part(place$state$job, columns)
  have <- site_engines(service)[[job$engine]]
  work <- site_work(job, part, or_else(project$engines[[job$engine]]$output, "png"))
  quote <- tryCatch(ask_quote(service, work), clockpigeon_error_service = identity)
  currency <- place$state$job$currency
  rate <- rate_to(site, currency, place$state$job$rates)$rate
  share <- length(columns) / part$count
  money <- function(x) format_money(x, currency)
  rbind(
    place_finding("version", "stops", part$site,
                  if (length(have) && !is.na(job$version) && !job$version %in% have) {
                    paste0(part$site, " has ", job$engine, " ", either(have), ", asked is ",
                           job$version)
                  }, "Ask for what it has, or have it installed there."),
    if (inherits(quote, "error")) {
      place_finding("quote", if (identical(quote$problem, "body")) "note" else "stops", part$site,
                    paste(part$site, "names no price:", quote$what),
                    or_else(quote$instead, "Ask there."))
    } else if (quote$expected * rate > share * part$full_p90 * 1.02) {
      place_finding("quote", "stops", part$site,
                    paste0(part$site, " quotes ", money(quote$expected * rate),
                           "; by its rate card the work costs ", money(share * part$full_mean),
                           " (90 %: at most ", money(share * part$full_p90), ")",
                           gift_words(site, place$state$job)),
                    "Correct its rate card, then choose again.")
    },
    if (abs(about$ahead_s) > 60) {
      place_finding("clock", "note", part$site,
                    paste0("the clock of ", part$site, " is ", format_duration(abs(about$ahead_s)),
                           if (about$ahead_s > 0) " ahead" else " behind"),
                    "Its times are read with that taken off.")
    }
  )
}

# Blocking problems from the check of the shots, by site; warnings are counted.
check_findings <- function(place, ledger) {
  project <- place$project
  used <- setdiff(jobs(ledger)[["name"]], place$job)
  check_at <- function(shot, site) {
    others <- project$manifests[setdiff(names(project$manifests), shot$shot)]
    x <- as_frame(check_shot(project$shots[[shot$shot]], project$sites[[site]],
                             project$manifests[[shot$shot]], project$root, used, others))
    cbind(x, site = rep(site, nrow(x)))
  }
  found <- bind_tables(lapply(place$parts[["site"]], function(site) {
    bind_tables(lapply(place$state$job$shots, check_at, site))
  }))
  found <- found[!duplicated(found[c("shot", "about", "what")]), , drop = FALSE]
  blocks <- found[found[["weight"]] == "blocks", , drop = FALSE]
  warns <- sum(found[["weight"]] == "warns")
  rbind(
    place_finding("check", "stops", NA,
                  if (nrow(blocks)) paste(blocks[["about"]], blocks[["what"]]),
                  blocks[["instead"]]),
    place_finding("warned", "note", NA,
                  if (warns) paste0("the check warns ", warns,
                                    if (warns == 1) " time" else " times"),
                  "See clockpigeon check.")
  )
}

# Room for the pictures that come home.
disk_findings <- function(place) {
  need <- sum(vapply(place$state$job$shots, function(shot) shot$frame_size * length(shot$frames),
                     0))
  free <- disk_free_mb(place$project$root) * 1e6
  if (is.na(free) || need <= free) return(NULL)
  place_finding("disk", "stops", NA,
                paste0("the frames take ", format_size(need), ", and ", format_size(free),
                       " are free here"), "Make room.")
}

# Words for what gifts at a site pay; none where there are none.
gift_words <- function(site, job) {
  given <- balance_held(site, job)
  if (given > 0) paste0("; balances given there pay ", format_money(given, job$currency), " of it")
}

# Balances of the sites that are paid, against what the site will charge: a site that is paid ahead
# stops when the money is used up; after a gift a bill follows.
balance_findings <- function(place) {
  parts <- as_frame(place$parts)
  job <- place$state$job
  bind_tables(lapply(which(parts[["kind"]] != "own"), function(k) {
    site <- place$project$sites[[parts[["site"]][k]]]
    given <- balance_held(site, job)
    prepaid <- balance_held(site, job, "prepaid")
    full <- parts[["full_p90"]][k]
    if (!length(site$balances) || given + prepaid >= full) return(NULL)
    is_prepaid <- any(vapply(site$balances, function(b) b$kind == "prepaid", NA))
    money <- function(x) format_money(x, job$currency)
    pays <- c(if (given > 0) paste("balances given there pay", money(given)),
              if (is_prepaid) paste("prepaid money pays", money(prepaid)))
    place_finding("balance", "note", site$site,
                  paste0("its part at ", site$site, " is charged up to ", money(full),
                         " in 9 of 10 cases; ", toString(pays)),
                  if (is_prepaid) "Top it up first." else
                  paste0("Expect a bill of up to ", money(full - given), "."))
  }))
}

# Sites with an unmeasured speed: a few frames there first are better evidence than any forecast.
trial_findings <- function(place) {
  options <- place$state$options[place$split$used, , drop = FALSE]
  blind <- options[["evidence"]] %in% c("claimed", "assumed")
  if (!any(blind)) return(NULL)
  place_finding("trial", "note", options[["site"]][blind],
                paste("the speed of", options[["site"]][blind], "is", options[["evidence"]][blind]),
                "Send a few frames first: --trial.")
}

# The codes of what can stop a job from being placed, and may stand; that it was stopped may not.
finding_codes <- c("late", "dear", "changed", "look", "engine", "pool", "spread", "nodes", "fewer",
                   "check", "disk", "version", "quote")
