# Fit: does a site have what a job needs? Three answers, and unknown is none of the good ones.

fit_answers <- c("fits", "unknown", "does not fit")

eligibility_row <- function(field, needs, has, answer, says = NA_character_) {
  data.frame(field = field, needs = needs, has = has, answer = answer,
             says = if (answer == "fits") NA_character_ else says)
}

# One row for each requirement in `needs`, with what `can` offers. Both are lists as shots' `needs`
# and sites' `can`; `needs` also has engine, version, limit kinds, upload, and slowest (seconds)
# with speeds (of devices, relative to the node that measured the seconds).
eligibility_rows <- function(needs, can, engines) {
  rows <- list(eligibility_engine(needs, can, engines))
  for (what in c("add_ons", "hosts")) {
    rows <- c(rows, lapply(names(needs[[what]]), function(name) {
      eligibility_version(sub("s$", "", gsub("_", "-", what)), name, needs[[what]][[name]],
                          can[[what]])
    }))
  }
  rows <- c(rows, list(
    eligibility_any("device kind", needs$devices, can$devices),
    eligibility_memory(needs, can$memory),
    eligibility_device_memory(needs$device_memory, can),
    eligibility_all("limit", needs$limits, can$limits),
    eligibility_all("camera", needs$cameras, can$cameras),
    eligibility_all("output", needs$outputs, can$outputs),
    eligibility_all("channel", needs$channels, can$channels),
    eligibility_all("spread", needs$spread, can$spreads),
    eligibility_upload(needs$upload, can$upload_cap),
    eligibility_privacy(needs$confidential, can$helpers_see_frames),
    eligibility_frame(needs, can$frame_cap)
  ))
  do.call(rbind, rows)
}

eligibility_engine <- function(needs, can, engines) {
  if (!needs$engine %in% engines) {
    return(eligibility_row("engine", needs$engine, toString(engines), "does not fit",
                   paste0("does not run ", needs$engine,
                          ": ask it to install that, or take another engine")))
  }
  eligibility_version("version", needs$engine, needs$version, can$versions)
}

is_version_range <- function(x) length(version_bounds(x)) > 0

# Does one version meet another, where one of them may be a range? NA where both are.
versions_meet <- function(wanted, has) {
  if (!is_version_range(has)) return(version_matches(has, wanted))
  if (is_version_range(wanted)) NA else version_matches(wanted, has)
}

unknown_version_row <- function(field, asked) {
  eligibility_row(field, asked, "unknown", "unknown",
                  paste0("its card does not say which ", field, "s it has: ask about ", asked))
}

# A named thing of a version: `wanted` is a version, a range or any; `known` what the site says of
# all such things.
eligibility_version <- function(field, name, wanted, known) {
  asked <- if (identical(wanted, "any")) name else paste(name, paste(wanted, collapse = " or "))
  if (is.null(known)) return(unknown_version_row(field, asked))
  has <- known[[name]]
  if (is.null(has)) {
    return(eligibility_row(field, asked, paste("no", name), "does not fit",
                   paste0("has no ", name, ": ask it to install ", asked, ", or render without")))
  }
  shown <- if (identical(has, "any")) paste("any", name) else paste(name, either(has))
  if ("any" %in% has || identical(wanted, "any"))
    return(eligibility_row(field, asked, shown, "fits"))
  pairs <- expand.grid(wanted = wanted, has = has, stringsAsFactors = FALSE)
  meets <- mapply(versions_meet, pairs$wanted, pairs$has)
  if (any(meets %in% TRUE)) return(eligibility_row(field, asked, shown, "fits"))
  if (anyNA(meets)) return(eligibility_row(field, asked, shown, "unknown",
                                   paste("ask which versions of", name,
                                         "it has between its bounds")))
  candidate <- vapply(has, is_candidate, NA)
  release <- has[!candidate & !vapply(has, is_version_range, NA)]
  candidates <- has[candidate]
  eligibility_row(field, asked, shown, "does not fit", paste0(
    "has ", shown, if (length(candidates)) paste0(" (", either(candidates), " only a candidate)"),
    ": ask it for ", asked,
    if (length(release)) paste0(", or render with ", name, " ", either(release))))
}

# One of several will do.
eligibility_any <- function(field, wanted, has) {
  if (is.null(wanted)) return(NULL)
  if (is.null(has)) return(eligibility_row(field, either(wanted), "unknown", "unknown",
                                   paste0("its card does not say which ", field, "s it has")))
  eligibility_row(field, either(wanted), toString(has),
           if (any(wanted %in% has)) "fits" else "does not fit",
           paste0("has ", toString(has), ", the job needs ", either(wanted)))
}

# All are needed.
eligibility_all <- function(field, wanted, has) {
  if (is.null(wanted)) return(NULL)
  if (is.null(has)) return(eligibility_row(field, toString(wanted), "unknown", "unknown",
                                   paste0("its card does not say which ", field,
                                          "s it takes: ask about ", toString(wanted))))
  lost <- setdiff(wanted, has)
  eligibility_row(field, toString(wanted), toString(has),
                  if (length(lost)) "does not fit" else "fits",
                  paste0("does not take ", toString(lost), ": change the shot to ", either(has),
                         ", or ask for it"))
}

eligibility_amount <- function(field, wanted, has, of = "node") {
  if (is.null(wanted)) return(NULL)
  if (is.null(has)) return(eligibility_row(field, format_memory(wanted), "unknown", "unknown",
                                   paste("its card does not say how much", field, "it has")))
  eligibility_row(field, format_memory(wanted), format_memory(has),
           if (wanted <= has) "fits" else "does not fit",
           paste0("has ", format_memory(has), " a ", of,
                  ": make the scene smaller, or ask for larger ones"))
}

# Needs that the shots state, or that were measured for a limit on the card.
eligibility_memory <- function(needs, has) {
  known <- c(needs$memory, if (length(has)) needs$measured_memory)
  eligibility_amount("memory", if (length(known)) max(known), has)
}

# A scene larger than the device's memory still renders where it may spill into the node's.
eligibility_device_memory <- function(wanted, can) {
  if (is.null(wanted)) return(NULL)
  has <- can$device_memory
  if (!is.null(has) && wanted > has && isTRUE(can$spill)) {
    return(eligibility_row("device memory", format_memory(wanted),
                    paste0(format_memory(has), ", and spills into the node's"), "fits"))
  }
  row <- eligibility_amount("device memory", wanted, has, "device")
  if (row$answer == "does not fit" && is.null(can$spill)) {
    row$answer <- "unknown"
    row$says <- paste0("has ", format_memory(has),
                       " a device, and its card does not say whether a scene may spill into the ",
                       "node's memory")
  }
  row
}

eligibility_upload <- function(wanted, cap) {
  if (is.null(cap) || is.null(wanted) || wanted == 0) return(NULL)
  eligibility_row("upload", format_size(wanted), paste("at most", format_size(cap)),
          if (wanted <= cap) "fits" else "does not fit",
          paste0("takes at most ", format_size(cap), ": send less, or in parts, or ask for more"))
}

eligibility_privacy <- function(confidential, seen) {
  if (!isTRUE(confidential)) return(NULL)
  if (is.null(seen))
    return(eligibility_row("confidential", "helpers see no frames", "unknown", "unknown",
                                    "its card does not say whether helpers see frames"))
  eligibility_row("confidential", "helpers see no frames",
           if (seen) "helpers see frames" else "helpers see no frames",
           if (seen) "does not fit" else "fits",
            "its helpers see the frames: render elsewhere, or with what may be seen")
}

# The slowest frame on the site's yardstick device against the cap on the time of a frame.
eligibility_frame <- function(needs, cap) {
  if (is.null(cap)) return(NULL)
  has <- paste0("at most ", format_duration(cap$time), " on a ", cap$on)
  speed <- if (cap$on %in% names(needs$speeds)) needs$speeds[[cap$on]]
  if (is.null(needs$slowest) || is.null(speed)) {
    says <- paste0("no frame of the job was measured on a ", cap$on,
                   ": measure one there, or on a node matched with one")
    return(eligibility_row("frame time", "unknown", has, "unknown", says))
  }
  there <- needs$slowest / speed
  asked <- paste0(format_duration(there), " on a ", cap$on)
  eligibility_row("frame time", asked, has, if (there <= cap$time) "fits" else "does not fit",
          paste0("its slowest frame would take ", asked, ", above the cap of ",
                 format_duration(cap$time), ": lower the limit, or render in bands"))
}

# Conditions of a community farm: a balance to enter, and jobs above a minimum size.
eligibility_community <- function(needs, site) {
  entry <- site$community$entry
  earned <- sum(vapply(Filter(function(b) b$kind == "earned", site$balances), `[[`, 0, "amount"))
  least <- first_of(site$community$smallest_job, 0)
  money <- function(x) paste(format(x), site$currency)
  rbind(
    if (length(entry)) {
      eligibility_row("entry", paste("at least", money(entry)), money(earned),
               if (earned >= entry) "fits" else "does not fit",
               paste0("asks ", money(entry), " to enter, you have ", money(earned),
                      ": earn the rest first"))
    },
    if (least > 0) {
      eligibility_row("job size", format_duration(needs$total),
                      paste("at least", format_duration(least)),
                      if (needs$total >= least) "fits" else "does not fit",
              paste0("refuses jobs under ", format_duration(least),
                     ": send shots together, or render it yourself"))
    }
  )
}

# The answer of a whole site: the worst of its rows.
eligibility_answer <- function(answers) fit_answers[max(match(answers, fit_answers))]
