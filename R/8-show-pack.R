# Parcels, as text.

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
