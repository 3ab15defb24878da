# How trials are run: where, from where, and what is kept.

new_running <- record_type("cp_running", version = maybe(is.character), node = maybe(is.list),
                           folder = is.character, keep = maybe(is.character),
                           progress = is.logical, time_limit = is.numeric)

#' How trials are run
#'
#' Shared by [probe_limit()], [probe_shot()] and [cheap_pass()].
#'
#' @param version Version of the engine; its newest when `NULL`.
#' @param node A node from [read_node()], or a list of them, the first of which stands for this
#'   machine; `NULL` for this machine as it is.
#' @param folder Folder in which the engine runs: scenes are named from there.
#' @param keep Folder for the pictures; `NULL` to keep none.
#' @param progress `TRUE` says on standard error what runs.
#' @param time_limit Seconds after which a trial is ended.
#' @return A list of class `cp_running`.
#' @section Conditions: `clockpigeon_error_type` for a value of the wrong kind.
#' @examples
#' running(keep = tempdir(), progress = FALSE)$time_limit
#' @export
running <- function(version = NULL, node = NULL, folder = ".", keep = NULL,
                    progress = interactive(), time_limit = 3600) {
  new_running(list(version = if (length(version)) check_text(version, argument("version")),
                   node = node,
                   folder = check_text(folder, argument("folder")),
                   keep = if (length(keep)) check_text(keep, argument("keep")),
                   progress = check_flag(progress, argument("progress")),
                   time_limit = check_number(time_limit, argument("time_limit"), above = 0)))
}
running_of <- running

# The version asked for, or the newest of those that a profile can ask for.
newest_unless <- function(version, engine) {
  if (is.null(version) && length(engine$versions))
    utils::tail(order_levels(engine$versions), 1) else version
}
