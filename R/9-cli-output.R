# Standard output of the command: written at once, and looked at whether it arrived.

# Runs what prints, and then writes what was printed to standard output. A reader that has gone away
# is nobody's trouble; anything else that keeps it from arriving is an error.
with_output <- function(code) {
  colors <- cli::num_ansi_colors()
  old <- options(cli.num_colors = colors, clockpigeon.terminal = isatty(stdout()))
  on.exit(options(old))
  out <- rawConnection(raw(0), "w")
  depth <- sink.number()
  sink(out)
  on.exit({
    while (sink.number() > depth) sink()
    bytes <- rawConnectionValue(out)
    close(out)
    write_output(bytes)
  }, add = TRUE, after = FALSE)
  code
}

write_output <- function(bytes) {
  if (!length(bytes)) return(invisible())
  con <- processx::conn_create_fd(1L, close = FALSE)
  left <- bytes
  failed <- function(e) {
    why <- conditionMessage(e)
    if (grepl("EPIPE|roken pipe|errno 32", why)) return(NULL)
    stop("the output could not be written: ",
         if (grepl("No space|errno 28", why)) "no space is left" else
      "standard output does not take it", call. = FALSE)
  }
  while (length(left)) {
    left <- tryCatch(processx::conn_write(con, left), error = failed)
  }
  invisible()
}

# Whether a person reads: asked before the output was taken in hand.
on_terminal <- function() isTRUE(getOption("clockpigeon.terminal", isatty(stdout())))

# Writes at once what cannot wait for the end: a question, a screen, a stream.
write_now <- function(...) {
  text <- paste0(..., collapse = "")
  if (is.null(getOption("clockpigeon.terminal"))) cat(text) else
    write_output(charToRaw(enc2utf8(text)))
  invisible()
}
