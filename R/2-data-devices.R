# Devices: how an engine is made to render on the selected ones.

device_fields_in_braces <- c("device_index", "device_count", "share")

device_setup_fields <- function() list(
  ask = field(an_argument_vector()),
  program = field(a_text()),
  pattern = field(a_device_pattern()),
  use = field(an_argument_vector(), default = list()),
  through = field(an_argument_vector(), default = list()),
  environment = field(an_environment(), default = list()),
  join = field(a_text(), default = ","),
  share = field(an_argument_vector(), default = list()),
  used = field(a_pattern())
)

# Kinds of devices, plain or each with its way: a list by kind, NULL for a kind that is used without
# being asked for.
device_setups_field <- function(x, where) {
  if (is.null(names(x))) {
    kinds <- check_texts(x, where)
    for (kind in kinds) check_choice(kind, where, c("cpu", "gpu"))
    return(stats::setNames(vector("list", length(kinds)), kinds))
  }
  for (kind in names(x)) check_choice(kind, where, c("cpu", "gpu"))
  ways <- Map(function(way, at) {
    if (is.null(way) || identical(way, "any")) return(NULL)
    way <- check_fields(way, device_setup_fields(), at)
    if (is.null(way$ask) != is.null(way$pattern)) {
      stop_input("engine", "has one of `ask` and `pattern`", at, "Write both, or none.")
    }
    way
  }, x, paste0(where, "$", names(x)))
  stats::setNames(ways, names(x))
}

# Set of devices in a plan: list(kind, index), the index NULL for all of a kind; NULL if it names
# none: the engine takes `all` of a node, or the `shared` part.
parse_devices <- function(text, where) {
  if (is.na(text) || text %in% c("all", "shared")) return(NULL)
  said <- regmatches(text, regexec("^(cpu|gpu)(?: +(all|[0-9]+(?: *[+] *[0-9]+)*))?$", trimws(text),
                                   perl = TRUE))[[1]]
  if (!length(said)) {
    stop_input("devices", paste("got", show_value(text)), where,
               paste0("Write all, shared, or a kind with the devices asked for, such as gpu, ",
                      "'gpu 0', 'gpu 0+1' or 'cpu 0'."))
  }
  index <- if (!said[3] %in% c("", "all")) unique(trimws(strsplit(said[3], "+", fixed = TRUE)[[1]]))
  list(kind = said[2], index = index)
}

device_sets_field <- function(x, where) {
  x <- check_texts(x, where)
  for (text in x) parse_devices(text, where)
  x
}

# Types of its fields.
a_device_pattern <- function() {
  groups <- c("one group, the index of a device" = 1, "two, its index and its name" = 2)
  field_type(function(x, where) pattern_field(x, where, groups), text_schema())
}
device_sets <- function() {
  field_type(device_sets_field,
             one_or_list(text_schema(examples = c("all", "shared", "gpu 0", "gpu 0+1"))))
}
device_setups <- function() {
  field_type(device_setups_field, function() {
    kinds <- one_or_list(list(enum = I(c("cpu", "gpu"))))
    setup <- list(anyOf = list(list(const = "any"), record_schema(device_setup_fields())))
    list(anyOf = list(kinds, mapping_schema(setup)))
  })
}
