# Projects: a folder of plain files.

# Targets of a job's alarms: a program, or an address.
tell_fields <- function() list(
  run = field(text_field()),
  post = field(record_of(post_fields())),
  quiet = field(a_duration(), default = 600)
)

post_fields <- function() list(
  address = field(a_service_address(), required = TRUE),
  secret = field(record_of(secret_fields()), required = TRUE)
)

# Fields of a project's `clockpigeon.yaml`.
project_fields <- function() list(
  name = field(a_text(), required = TRUE),
  currency = field(a_currency(), required = TRUE),
  time_zone = field(a_zone()),
  ledger = field(a_text(), default = "ledger.sqlite"),
  tell = field(record_of(tell_fields())),
  defaults = field(record_of(list(
    engine = field(a_text()),
    version = field(a_version()),
    shots = field(text_field()),
    plan = field(a_text()),
    deadline = field(a_deadline()),
    budget = field(a_money()),
    confidence = field(a_number(above = 0, most = 0.999), default = 0.9)
  ), filled = TRUE))
)

#' Read a project folder
#'
#' Reads `clockpigeon.yaml` (`name`, `currency`, `time_zone`, `ledger`, `defaults`: `engine`,
#' `version`, `shots`, `plan`, `deadline`, `budget`, `confidence`; `tell`: a program that
#' `clockpigeon watch --tell` starts when an alarm rings, as `run: [program, argument]`; or an
#' address to which it is posted, as `post: {address, secret}`, the secret from `env` or `file`; and
#' `quiet`, the minimum time between messages that are not urgent) and every file under `shots/`,
#' `nodes/`, `engines/`, `sites/`, `plans/`, `usages/`, `manifests/`, `jobs/` and `rates/`. The
#' engines that come with the package are there too, unless the project has a profile of the same
#' name.
#'
#' @param path The folder.
#' @param parts Names of the folders to read, such as `c("shots", "sites")`; all when `NULL`.
#'   Unchanged files of a large folder are read from the user's cache.
#' @return A list of class `cp_project`: the fields of the file, `root`, and named lists `shots`,
#'   `nodes`, `engines`, `sites`, `plans`, `usages`, `manifests` and `job_files`; `rates` is a data
#'   frame or `NULL`. `ledger` is the full path.
#' @section Conditions: `clockpigeon_error_project` when the folder is no project or a name stands
#'   twice; and those of the single readers.
#' @examples
#' names(read_project(demo_file())$sites)
#' @export
read_project <- function(path = ".", parts = NULL) {
  path <- check_text(path, argument("path"))
  file <- file.path(path, "clockpigeon.yaml")
  if (!file.exists(file)) {
    stop_input("project", "this folder has no clockpigeon.yaml", path,
               "Go to a project folder, or make one to play with: clockpigeon demo --keep DIR.")
  }
  root <- real_path(path)
  project <- read_record(file.path(root, "clockpigeon.yaml"), project_fields(), "cp_project")
  project$root <- root
  check_tell(project$tell, root)
  whole <- grepl("^(/|[A-Za-z]:)", project$ledger) || is_server_address(project$ledger)
  if (!whole) project$ledger <- file.path(root, project$ledger)
  wants <- function(name) is.null(parts) || name %in% parts
  folder <- function(name, read, key) {
    if (wants(name)) read_folder(file.path(root, name), read, key)
  }
  project$shots <- folder("shots", read_shot, "shot")
  project$nodes <- folder("nodes", read_node, "node")
  project$engines <- folder("engines", read_engine, "engine")
  if (wants("engines")) {
    shipped <- read_folder(system.file("engines", package = "clockpigeon"), read_engine, "engine")
    project$engines <- c(project$engines, shipped[setdiff(names(shipped), names(project$engines))])
  }
  project$sites <- scheduled_sites(check_same_nodes(folder("sites", read_site, "site")),
                                   function() {
    if (length(project$nodes)) project$nodes else
      read_folder(file.path(root, "nodes"), read_node, "node")
  })
  project$plans <- folder("plans", read_plan, "plan")
  project$usages <- folder("usages", read_usage, "usage")
  if (wants("manifests")) {
    project$manifests <- read_folder(file.path(root, "manifests"), read_manifest, "shot",
                                     "\\.(ya?ml|csv)$")
  }
  project$job_files <- folder("jobs", read_job, "job")
  project$rates <- if (wants("rates")) {
    files <- list.files(file.path(root, "rates"), "\\.csv$", full.names = TRUE)
    do.call(rbind, lapply(files, read_rates))
  }
  project
}

# Sites, with `scheduled` set for those whose pool has nodes of a scheduler. `read_nodes()` is
# called if there is a pool; an unreadable node file is refused only if the node is needed.
scheduled_sites <- function(sites, read_nodes) {
  pools <- lapply(sites, `[[`, "pool")
  if (!any(lengths(pools))) return(sites)
  nodes <- tryCatch(read_nodes(), clockpigeon_error = function(e) NULL)
  queued <- names(Filter(function(node) identical(node$launch$by, "cluster"), nodes))
  for (k in which(vapply(pools, function(pool) any(pool %in% queued), NA)))
    sites[[k]]$scheduled <- TRUE
  sites
}

# Jobs that were placed before, with any outcome: `job`, `site`, `date`, `state`, NA if not stated.
read_jobs <- function(path) {
  rows <- read_csv_texts(path, c("job", "site", "date", "state"), "project", empty = c("", "NA"))
  check_columns(rows, short_path(path), "job")
  for (name in setdiff(c("site", "date", "state"), names(rows)))
    rows[[name]] <- rep(NA_character_, nrow(rows))
  rows[!is.na(rows[["job"]]), c("job", "site", "date", "state"), drop = FALSE]
}

read_folder <- function(folder, read, key, pattern = "\\.ya?ml$") {
  files <- list.files(folder, pattern, full.names = TRUE)
  # A profile may follow from another file: what it holds is not known by its own size and time.
  records <- if (key == "engine") lapply(files, read) else read_cached(files, read, key)
  names(records) <- vapply(records, `[[`, "", key)
  twice <- anyDuplicated(names(records))
  if (twice) {
    stop_input("project", paste0("the ", key, " ", show_value(names(records)[twice]),
                                 " stands in two files"),
               short_path(files[twice]), "Give each its own name.")
  }
  records
}

# One of a project's named things, or an error that lists them.
project_entry <- function(entries, name, what) {
  if (!length(entries)) {
    stop_input("project", paste0("has no ", what),
               instead = paste0("Write one under ", what, "s/."))
  }
  entries[[check_choice(name, what, names(entries))]]
}

#' The demo project's files
#'
#' @param path A path inside the demo project, or nothing for its folder. Do not write there: copy
#'   it first, as `clockpigeon demo --keep DIR` does.
#' @return The full path.
#' @section Conditions: `clockpigeon_error_file` when the demo has no such file.
#' @examples
#' list.files(demo_file())
#' @export
demo_file <- function(path = "") {
  found <- system.file("demo-project", path, package = "clockpigeon")
  if (!nzchar(found)) {
    stop_input("file", "the demo project has no such file", path,
               "See list.files(demo_file(), recursive = TRUE).")
  }
  found
}

# Is a ledger's place the address of a server and not a file?
is_server_address <- function(where) grepl("^postgres(ql)?://", where)

check_tell <- function(tell, root) {
  if (!length(tell) || length(tell$run) || length(tell$post)) return(invisible())
  stop_input("project", "tells nobody",
             paste0(short_path(file.path(root, "clockpigeon.yaml")), ", field `tell`"),
             "Write run: [program, argument] or post: {address: URL, secret: {env: NAME}}.")
}
