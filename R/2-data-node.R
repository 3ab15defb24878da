# Nodes: own machines.

node_fields <- function() list(
  node = field(check_text, required = TRUE),
  about = field(check_text),
  devices = field(records_of(list(
    device = field(check_text, required = TRUE),
    kind = field(choice_of("cpu", "gpu"), required = TRUE),
    count = field(function(x, where) check_count(x, where), default = 1L)
  )), required = TRUE),
  memory = field(parse_size),
  link = field(parse_rate),
  engines = field(function(x, where) {
    if (!is.list(x) || is.null(names(x))) {
      stop_input("type", paste("got", show_value(x)), where, "Write engines as `name: [\"version\"]`.")
    }
    Map(function(versions, name) version_field(versions, paste0(where, "$", name)), x, names(x))
  })
)

#' Read a node
#'
#' A node is one machine. Fields of the file: `node` (name), `about`, `devices` (a list of `device`, `kind` cpu or gpu,
#' `count`), `memory` (`32 GiB`), `link` (`100 Mbit/s`), `engines` (name and versions on it).
#'
#' @param path A YAML file.
#' @return A list of class `node` with these fields; memory in bytes, link in bytes a second.
#' @section Conditions: as for [read_shot()].
#' @examples
#' read_node(demo_file("nodes/here.yaml"))
#' @export
read_node <- function(path) read_record(path, node_fields(), "node")

# The machine at hand when no node file describes it.
this_node <- function() {
  structure(list(node = "here", about = "this machine",
                 devices = list(list(device = "cpu", kind = "cpu", count = 1L))), class = "node")
}
