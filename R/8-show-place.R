# Placed parts and their problems, as text.

# The last look before a job is placed, as lines.
place_lines <- function(x, despite = character(), width = terminal_width()) {
  scenario <- x$state$scenario
  parts <- as_frame(x$parts)
  money <- function(v) format_money(v, scenario$currency)
  findings <- as_frame(x$findings)
  stops <- findings[["weight"]] == "stops"
  stand <- stops & !findings[["code"]] %in% despite
  said <- c(
    Status = if (any(stand)) paste0("Not placed: ", sum(stand), if (sum(stand) == 1) " problem."
                                    else " problems.") else "Ready to place.",
    Progress = if (length(x$seen)) {
      paste0(sum(x$seen$here), " of ", length(x$seen$here), " frames received. ",
             if (all(x$seen$here)) "No frames remain." else "The others will be rendered.")
    },
    Limits = paste0(format_percent(x$chance), " likely to be kept now (",
                    format_percent(x$promised$chance), " at the decision)."),
    Cost = paste0(money(x$cost_mean), " on average (", money(x$promised$cost_mean),
                  " at the decision)."),
    Plan = if (length(x$decision$plan$look)) {
      look <- x$decision$plan$look
      paste0("Checkpoint ",
             clock_text(as_utc(look$at), first_of(scenario$time_zone, "UTC"), date = TRUE),
             ": with fewer than ", look$fewer,
             " frames finished, send the rest to ", x$decision$plan$rescue$option, ".")
    }
  )
  body <- data.frame(part = parts[["option"]], frames = paste(parts[["count"]]),
                     how = ifelse(parts[["kind"]] == "own",
                                  paste0("rendered here, ", parts[["here"]],
                                         ifelse(parts[["here"]] == 1, " slot", " slots")),
                                  ifelse(parts[["kind"]] == "service", "sent over the network",
                                         "sent by hand, with a job sheet")),
                     cost = money(parts[["cost_mean"]]), check.names = FALSE)
  words <- function(rows, head) {
    if (!nrow(rows)) return(NULL)
    # Paths and names stay as they are written.
    capital <- ifelse(grepl("^[^ ]*[/.]", rows[["what"]]), rows[["what"]],
                      paste0(toupper(substr(rows[["what"]], 1, 1)), substring(rows[["what"]], 2)))
    text <- paste0(capital, ". ", rows[["cure"]],
                   ifelse(nzchar(rows[["code"]]) & rows[["weight"]] == "stops",
                          paste0(" [", rows[["code"]], "]"), ""))
    c("", paste0(head, ":"),
      unlist(lapply(text, function(t) wrap_lines(paste0("- ", t), width = width))))
  }
  c(paste0("Job ", x$job), "",
    unlist(Map(labelled_lines, names(said), said, 10, width), use.names = FALSE), "",
    text_table(body, right = c("frames", "cost"), width = width),
    words(findings[stand, , drop = FALSE], "Problems"),
    words(findings[stops & !stand, , drop = FALSE], "Accepted"),
    words(findings[!stops, , drop = FALSE], "Notes"))
}

# Result of the placing.
placed_lines <- function(x, place, width = terminal_width()) {
  state <- x$frames[["state"]]
  count <- function(what) sum(state == what)
  at <- file.path("placed", x$job, "frames")
  rendered <- if (length(state)) {
    paste0(count("done"), " of ", length(state), " frames received, in ", at,
           failed_text(x$frames[state == "failed", , drop = FALSE]),
           if (count("sent"))
             paste0("; ", count("sent"), " to be sent to ", place$decision$plan$rescue$site),
           ".", if (count("waiting"))
             paste0(" ", count("waiting"), " remain. To continue: clockpigeon place ", x$job, "."))
  }
  sent <- if (length(x$remote)) {
    paste0("Sent: ", toString(x$remote), ". To watch it and fetch its frames: clockpigeon watch ",
           x$job, ".")
  }
  texts <- c(rendered, sent, if (length(x$sheets)) sheet_texts(x, at))
  unlist(lapply(texts, wrap_lines, width = width))
}

failed_text <- function(frames) {
  if (!nrow(frames)) return(NULL)
  first <- utils::head(paste(frames[["shot"]], frames[["frame"]]), 5)
  paste0("; ", nrow(frames), " failed: ", toString(first), if (nrow(frames) > 5) ", ...")
}

# Folders of the sheets and of the frames.
sheet_texts <- function(x, at) {
  pages <- grep("\\.md$", x$sheets, value = TRUE)
  c(paste0("Follow the job ", if (length(pages) == 1) "sheet: " else "sheets: ",
           toString(file.path("placed", x$job, basename(pages)))),
    paste0("Put the delivered frames into ", at, ". Then: clockpigeon watch ", x$job))
}

#' @export
print.cp_place <- function(x, ...) {
  show_lines(place_lines(x))
  invisible(x)
}

#' @export
print.cp_placed <- function(x, ...) {
  show_lines(paste0("Job ", x$job, ": ", sum(x$frames[["state"]] == "done"), " of ", NROW(x$frames),
                    " frames received"), x$sheets)
  invisible(x)
}

# Work at sites with an address.
fetch_lines <- function(x, job, width = terminal_width()) {
  x <- as_frame(x)
  if (!nrow(x))
    return(paste0("Nothing to fetch: job ", job, " is at no site with an address or reports."))
  body <- data.frame(site = x[["site"]], job = ifelse(is.na(x[["id"]]), "by hand", x[["id"]]),
                     state = ifelse(is.na(x[["state"]]), "unknown", x[["state"]]),
                     here = paste(x[["here"]], "of", x[["frames"]]), ready = paste(x[["ready"]]),
                     spent = mapply(function(v, unit) if (is.na(v)) "unknown" else
                                    format_money(v, unit), x[["spent"]],
                                    x[["currency"]]))
  lost <- which(!is.na(x[["trouble"]]))
  c(text_table(body, right = c("here", "ready", "spent"), width = width),
    unlist(lapply(lost, function(k)
                  wrap_lines(paste0(x[["site"]][k], " ", x[["trouble"]][k], "."), width = width))))
}
