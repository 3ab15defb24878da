# Nodes: own machines.

# A host that SSH may be given: a name or an address, with a user before it and a port behind it. No
# text that matches is an option of ssh or a command of a shell.
ssh_host_pattern <- paste0("^([A-Za-z0-9_][A-Za-z0-9_.-]*@)?",
                           "([A-Za-z0-9]([A-Za-z0-9.-]*[A-Za-z0-9])?|",
                           "\\[[0-9A-Fa-f:.]+\\])(:[0-9]{1,5})?$")

# Options in a scheduler's script: lines that a shell takes for comments.
script_options <- function() {
  field_type(function(x, where) {
    lines <- strsplit(check_text(x, where), "[\r\n]")[[1]]
    odd <- grep("^\\s*(#|$)", lines, value = TRUE, invert = TRUE)
    if (length(odd)) {
      stop_input("type", paste("got the line", show_value(odd[1])), where,
                 "Begin each line with #, such as #SBATCH --partition=night.")
    }
    paste(lines, collapse = "\n")
  }, text_schema())
}

launch_fields <- function() list(
  by = field(one_of("ssh", "cluster", "local"), required = TRUE),
  host = field(text_like(ssh_host_pattern,
                         "Write a name or an address, such as user@loft-1 or loft-1:2222.")),
  port = field(a_count(most = 65535)),
  listen = field(text_like("^tls\\+tcp://(\\[[0-9A-Fa-f:.]+\\]|[A-Za-z0-9.-]+):[0-9]{1,5}$",
                           "Write tls+tcp://ADDRESS:PORT, such as tls+tcp://192.168.1.5:5555.")),
  command = field(a_text(), default = "sbatch"),
  options = field(script_options(), default = ""),
  wait = field(a_duration(), default = 600),
  rscript = field(a_text(), default = "Rscript")
)

# Fields of a node.
node_fields <- function() list(
  node = field(a_name(), required = TRUE),
  about = field(a_text()),
  count = field(a_count(), default = 1L),
  devices = field(records_of(list(
    device = field(a_text(), required = TRUE),
    kind = field(one_of("cpu", "gpu"), required = TRUE),
    count = field(a_count(), default = 1L),
    cores = field(a_count()),
    share = field(a_number(above = 0, most = 1), default = 1)
  )), required = TRUE),
  memory = field(a_size()),
  keep_free = field(a_size()),
  hours = field(records_of(hours_fields())),
  link = field(a_rate()),
  launch = field(record_of(launch_fields())),
  folder = field(a_text()),
  engines = field(engine_versions())
)

# Engines on a node, each with its versions.
engine_versions_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where,
               "Write engines as `name: [\"version\"]`.")
  }
  Map(function(versions, name) version_field(versions, paste0(where, "$", name)), x, names(x))
}

#' Read a node
#'
#' A node is one machine, or one of a scheduler's machines that are alike. Fields of the file:
#' `node` (name), `about`, `count` (of these machines that may be used at once; more than 1 only
#' where a scheduler gives them), `devices` (a list of `device`, `kind` cpu or gpu, `count`, `cores`
#' of a cpu, and `share`: the part of it that rendering may use, above 0 and at most 1), `memory`
#' (`32 GiB`), `link` (`100 Mbit/s`), `engines` (name and versions on it), `folder` (the project's
#' folder there), and `launch` for a machine other than this one: `by` ssh, cluster or local; `host`
#' for ssh (`user@loft-1`), through a tunnel (on `port`, or any that is free here), or else
#' `listen`, the address here that it connects to; of a scheduler the `command` that takes jobs
#' (sbatch), its `options` (lines of a script, `#SBATCH --partition=farm`) and how long a
#' measurement may `wait` in its queue (10 min; placed jobs wait as long as it takes); `rscript`
#' there. Parts that placed jobs leave to other users of the node: `keep_free` (memory that must be
#' free before a frame starts) and `hours` (when frames may start, each with `days`, `from` and
#' `to`, in the project's time zone).
#'
#' @param path A YAML file.
#' @return A list of class `cp_node` with these fields; memory in bytes, link in bytes a second.
#' @section Conditions: as for [read_shot()].
#' @examples
#' read_node(demo_file("nodes/here.yaml"))
#' @export
read_node <- function(path) {
  node <- read_record(path, node_fields(), "cp_node")
  if (identical(node$launch$by, "ssh") && is.null(node$launch$host)) {
    stop_input("node", "is launched by ssh and names no host",
               paste0(short_path(path), ", field `launch`"), "Write `host: user@machine`.")
  }
  if (node$count > 1 && !identical(node$launch$by, "cluster")) {
    stop_input("node", paste("counts", node$count, "machines and no scheduler gives them"),
               paste0(short_path(path), ", field `count`"),
               "Write `launch: {by: cluster}`, or a file for each.")
  }
  node
}

# The machine at hand when no node file describes it.
this_node <- function() {
  cpu <- list(device = "cpu", kind = "cpu", count = 1L, share = 1)
  filled_record("cp_node", node_fields(), node = "here", about = "this machine",
                devices = list(cpu))
}

# The devices of a node that an engine renders on for a trial, and how much of them; see
# 2-data-devices.R for the sets a trial may ask for. Without one it is the first kind that the
# engine knows: all of it, or its share. For a CPU the capacity follows from the threads; `cores`
# are those of the machine where the file does not say them. Capacity is in whole devices. `there`:
# what the engine or the system says is there, a data frame of index and name by kind. `asked` is
# what the command must say: list(kind, index, name, share), or NULL; `refused` why the set cannot
# be had.
device_use <- function(node, engine, use = NA, threads = NA, cores = NA, there = list()) {
  set <- parse_devices(use, "devices")
  kinds <- vapply(node$devices, `[[`, "", "kind")
  if (length(set))
    return(device_set_use(set, node$devices[kinds == set$kind], engine, threads, cores, there))
  fits <- which(kinds %in% names(engine$devices))
  if (!length(fits)) {
    return(list(device = NA_character_, device_count = NA_integer_, threads = threads,
                capacity = NA_real_))
  }
  device <- node$devices[[fits[1]]]
  share <- if (use %in% "shared") device$share else 1
  known <- there[[device$kind]]
  asked <- if (!is.na(use) && length(engine$devices[[device$kind]])) {
    list(kind = device$kind, index = known$index, name = known$name, share = share)
  }
  if (device$kind == "gpu") {
    return(list(device = device$device, device_count = device$count, threads = threads,
                capacity = device$count * share, asked = asked))
  }
  if (length(device$cores)) cores <- device$cores
  if (is.na(threads) && !is.na(use) && !is.na(cores))
    threads <- max(1L, as.integer(floor(cores * share)))
  list(device = device$device, device_count = device$count, threads = threads,
       capacity = threads / cores, asked = asked)
}

# How an engine uses a set of a node's devices: name, count, threads, capacity; or why it cannot
# (`refused`).
device_set_use <- function(set, devices, engine, threads, cores, there) {
  refuse <- function(why)
    list(device = NA_character_, device_count = NA_integer_, threads = threads,
         capacity = NA_real_, refused = why)
  if (!set$kind %in% names(engine$devices))
    return(refuse(paste(engine$engine, "renders on no", set$kind)))
  way <- engine$devices[[set$kind]]
  known <- or_else(there[[set$kind]], listed_devices(devices))
  if (length(set$index) && is.null(way)) {
    return(refuse(paste0("the profile of ", engine$engine, " does not say how a ", set$kind,
                         " is asked for")))
  }
  index <- if (length(set$index)) set$index else known$index
  lost <- setdiff(index, known$index)
  if (length(lost) || !length(index)) return(refuse(missing_device(set$kind, lost, known)))
  name <- known$name[match(index, known$index)]
  count <- length(index)
  capacity <- count
  if (set$kind == "cpu") {
    # Cores have no names of their own: they are of the node's processor.
    if (length(devices)) name <- rep(devices[[1]]$device, count)
    if (is.na(threads)) threads <- count
    capacity <- threads / cores
    # Processors are parts of a device: how many work is what threads and capacity say.
    count <- if (length(devices)) devices[[1]]$count else 1L
  }
  list(device = paste(unique(name), collapse = " + "), device_count = count, threads = threads,
       capacity = capacity, asked = list(kind = set$kind, index = index, name = name, share = 1))
}

# Types of its fields.
engine_versions <- function() field_type(engine_versions_field, mapping_schema(version_schema()))

# Devices of a node as its file lists them, numbered from 0.
listed_devices <- function(devices) {
  names <- unlist(lapply(devices, function(d) rep(d$device, d$count)))
  data.frame(index = paste(seq_along(names) - 1L), name = names)
}

missing_device <- function(kind, lost, known) {
  has <- if (nrow(known)) {
    paste("there is", toString(paste0(known$index, " (", known$name, ")")))
  } else {
    "there is none"
  }
  paste0("no ", kind, " ", c(lost, "")[1], " here: ", has)
}
