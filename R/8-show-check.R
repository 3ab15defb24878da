# Findings of a check, and which sites fit, as text.

#' @export
print.cp_check <- function(x, ...) {
  show_lines(check_lines(x))
  invisible(x)
}

# `fit`: which sites fit, as eligible() says it.
check_lines <- function(x, width = terminal_width(), fit = NULL) {
  x <- as_frame(x)
  count <- vapply(finding_weights, function(w) sum(x$weight == w), 0L)
  shots <- unique(x$shot)
  bad <- unique(x$shot[x$weight == "blocks"])
  counted <- paste0(count, " ", weight_names[finding_weights], ifelse(count == 1, "", "s"))
  verdict <- if (length(bad)) {
    paste0("Not ready to send: ", toString(bad))
  } else paste0("Ready to send", if (length(shots)) paste0(": ", toString(shots)))
  shown <- counted[count > 0 | finding_weights == "blocks"]
  verdict <- paste0(verdict, " (", toString(shown), ").")
  head <- c(wrap_lines(verdict, width), if (length(fit)) wrap_lines(fit_answer(fit), width))
  c(head, unlist(lapply(shots, function(shot) {
    rows <- x[x$shot == shot, , drop = FALSE]
    findings <- lapply(seq_len(nrow(rows)), function(i) check_finding_lines(rows[i, ], width))
    c("", cli::style_bold(shot), unlist(findings))
  })))
}

check_finding_lines <- function(row, width) {
  text <- paste0(row$about, " ", row$what, ".")
  if (row$instead != "Nothing to do.") text <- paste(text, row$instead)
  lines <- labelled_lines(weight_names[[row$weight]], text, 9, width)
  if (row$weight == "blocks") lines[1] <- sub("^problem", cli::style_bold("problem"), lines[1])
  lines
}

# Names of the weights on the screen.
weight_names <- c(blocks = "problem", warns = "warning", informs = "note")

# How many sites fit, and which.
fit_answer <- function(x) {
  s <- as_frame(summary.cp_eligibility(x))
  fits <- s$site[s$answer == "fits"]
  paste0(length(fits), " of ", nrow(s), if (nrow(s) == 1) " site fits" else " sites fit",
         if (length(fits)) paste0(": ", toString(fits)), ".")
}

#' @export
print.cp_eligibility <- function(x, ...) {
  show_lines(eligibility_lines(x))
  invisible(x)
}

eligibility_lines <- function(x, width = terminal_width()) {
  s <- as_frame(summary.cp_eligibility(x))
  s <- s[order(match(s$answer, fit_answers)), , drop = FALSE]
  wide <- max(nchar(s$site)) + 2
  c(wrap_lines(fit_answer(x), width), unlist(lapply(seq_len(nrow(s)), function(i) {
      labelled_lines(paste0(pad_text(s$site[i], wide), s$answer[i]), s$because[i], wide + 14, width)
    })))
}

pack_lines <- function(x, sites = list(), width = terminal_width()) {
  x <- as_frame(x)
  body <- data.frame(shot = x$shot, version = x$version, files = as.character(x$files),
                     size = format_size(x$bytes), parcel = format_size(x$parcel_bytes),
                     state = ifelse(x$made, "made", "as before"), check.names = FALSE)
  linked <- Filter(function(site) length(site$link), sites)
  times <- vapply(linked, function(site)
                  paste(format_duration(sum(x$parcel_bytes) / site$link), "to", site$site), "")
  c(text_table(body, right = c("files", "size", "parcel"), width = width), "",
    wrap_lines(x$parcel, width),
    if (length(times))
    c("", wrap_lines(paste0("Sending takes, at the cards' links: ", toString(times), "."), width)))
}
