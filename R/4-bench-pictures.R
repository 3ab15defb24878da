# Pictures of runs: equal settings must give the same picture before their times are compared.

#' Do the runs that are compared show the same pictures?
#'
#' For each frame and setting that two levels of a factor both rendered with their pictures kept
#' (`bench --keep`), the latest picture of each level is compared by [compare_pictures()]. A faster
#' version that renders something else is not faster.
#'
#' @param timings Timings, as [timings()] returns them.
#' @param by The factor: `engine_version`, `node`, `device` or `threads`.
#' @param most Pairs that are looked at, spread over scenes.
#' @return A tibble, one row a pair: `scene`, `frame`, `engine`, `old`, `new` (levels), and what
#'   [compare_pictures()] gives. No rows where no two pictures are at hand.
#' @section Conditions: `clockpigeon_error_choice` for another factor; those of [read_picture()].
#' @noRd
matched_pictures <- function(timings, by = "engine_version", most = 12) {
  timings <- filled_timings(timings, argument("timings"))
  by <- check_choice(by, argument("by"), picture_factors)
  most <- check_count(most, argument("most"))
  rows <- as_frame(timings)
  there <- file.exists(as.character(ifelse(is.na(rows[["output"]]), "", rows[["output"]])))
  rows <- rows[is_evidence(rows) & there, , drop = FALSE]
  # The node may differ between versions and the device between nodes: what the picture shows does
  # not depend on them.
  cell <- row_key(rows, c("scene", "frame", "piece", "engine", "limit_kind", "limit_value", "width",
                          "height", "features", if (by != "engine_version") "engine_version"))
  levels <- order_levels(unique(rows[[by]]))
  last_of <- function(one, level) max(c(-1, which(cell == one & rows[[by]] %in% level)))
  pairs <- do.call(rbind, lapply(unique(cell), function(one) {
    last <- vapply(levels, last_of, 0, one = one)
    at <- last[last > 0]
    if (length(at) > 1) data.frame(old = at[1], new = at[-1])
  }))
  if (is.null(pairs))
    return(as_table(list(scene = character(), frame = integer(), verdict = character())))
  # Spread over scenes: the first pair of each, then the second, and so on.
  turn <- stats::ave(seq_len(nrow(pairs)), rows$scene[pairs$old], FUN = seq_along)
  pairs <- utils::head(pairs[order(turn), , drop = FALSE], most)
  bind_tables(lapply(seq_len(nrow(pairs)), function(i) {
    old <- rows[pairs$old[i], ]
    new <- rows[pairs$new[i], ]
    pictures <- lapply(c(old$output, new$output), read_picture)
    found <- as_frame(compare_pictures(pictures[[1]], pictures[[2]]))
    data.frame(scene = old$scene, frame = old$frame, engine = old$engine, old = paste(old[[by]]),
               new = paste(new[[by]]), found)
  }))
}

picture_factors <- c("engine_version", "node", "device", "threads")
