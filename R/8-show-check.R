# Findings of a check, and which sites fit, as text.

#' @export
print.cp_check <- function(x, ...) {
  show_lines(check_lines(x))
  invisible(x)
}

check_lines <- function(x, width = terminal_width()) {
  x <- as_frame(x)
  count <- vapply(finding_weights, function(w) sum(x$weight == w), 0L)
  head <- paste0(count[["blocks"]], if (count[["blocks"]] == 1) " finding blocks, " else " findings block, ",
                 count[["warns"]],
                 if (count[["warns"]] == 1) " warns, " else " warn, ", count[["informs"]],
                   if (count[["informs"]] == 1) " informs." else " inform.")
  shots <- unique(x$shot)
  c(head, unlist(lapply(shots, function(shot) {
    rows <- x[x$shot == shot, , drop = FALSE]
    c("", cli::style_bold(shot), unlist(lapply(seq_len(nrow(rows)), function(i) {
      text <- paste0(rows$about[i], " ", rows$what[i], ".")
      if (rows$instead[i] != "Nothing to do.") text <- paste(text, rows$instead[i])
      lines <- labelled_lines(rows$weight[i], text, 9, width)
      if (rows$weight[i] == "blocks") lines[1] <- sub("^blocks", cli::style_bold("blocks"), lines[1])
      lines
    })))
  })))
}

#' @export
print.cp_suit <- function(x, ...) {
  show_lines(suit_lines(x))
  invisible(x)
}

suit_lines <- function(x, width = terminal_width()) {
  s <- as_frame(summary.cp_suit(x))
  s <- s[order(match(s$answer, fit_answers)), , drop = FALSE]
  wide <- max(nchar(s$site)) + 2
  c(paste0(sum(s$answer == "fits"), " of ", nrow(s), if (nrow(s) == 1) " site fits." else " sites fit."),
    unlist(lapply(seq_len(nrow(s)), function(i) {
      labelled_lines(paste0(pad_text(s$site[i], wide), s$answer[i]), s$because[i], wide + 14, width)
    })))
}
