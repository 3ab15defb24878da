# New projects and new profiles: files with comments, to be changed by hand.

# Makes a folder a project: its file, a shot, a plan and a node, each commented. Existing files stay
# unchanged.
new_project <- function(folder, name = basename(real_path(folder)), currency = "EUR") {
  folder <- check_text(folder, argument("folder"))
  currency <- check_currency(currency, argument("currency"))
  if (file.exists(file.path(folder, "clockpigeon.yaml"))) {
    stop_input("project", "this folder is a project already", short_path(folder),
               "Go there: clockpigeon bench.")
  }
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  check_folder_open(folder)
  from <- system.file("new-project", package = "clockpigeon")
  fill <- c("@NAME@" = gsub("[\"\\\\]", "", name), "@CURRENCY@" = currency, "@ZONE@" = own_zone())
  made <- character()
  for (path in list.files(from, recursive = TRUE)) {
    to <- file.path(folder, path)
    if (file.exists(to)) next
    dir.create(dirname(to), recursive = TRUE, showWarnings = FALSE)
    lines <- readLines(file.path(from, path), encoding = "UTF-8")
    for (mark in names(fill)) lines <- gsub(mark, fill[[mark]], lines, fixed = TRUE)
    write_text(lines, to)
    made <- c(made, path)
  }
  for (sub in c("engines", "sites", "scenes"))
    dir.create(file.path(folder, sub), showWarnings = FALSE)
  invisible(made)
}

# The time zone of this machine, without asking a service for it; UTC where nothing tells.
own_zone <- function() {
  asked <- Sys.getenv("TZ")
  linked <- sub("^.*zoneinfo/", "", Sys.readlink("/etc/localtime"))
  written <- if (file.exists("/etc/timezone")) trimws(readLines("/etc/timezone", 1, warn = FALSE))
  system <- if (.Platform$OS.type == "windows") Sys.timezone()
  found <- c(asked, linked, written, system, "UTC")
  found[found %in% OlsonNames()][1]
}

# Words of a command as a person types it, quotes taken off; an error when one is not closed.
split_command <- function(text, where) {
  letters <- strsplit(check_text(text, where), "", fixed = TRUE)[[1]]
  words <- character()
  word <- NULL
  quote <- ""
  for (letter in letters) {
    if (nzchar(quote)) {
      if (letter == quote) quote <- "" else word <- paste0(word, letter)
    } else if (letter %in% c("'", "\"")) {
      quote <- letter
      word <- paste0(word, "")
    } else if (letter %in% c(" ", "\t", "\n")) {
      if (length(word)) words <- c(words, word)
      word <- NULL
    } else word <- paste0(word, letter)
  }
  if (nzchar(quote))
    stop_input("usage", paste("has a quote that is not closed:", quote), where, "Close it.")
  c(words, word)
}

# A command with fields in braces as groups of arguments: an option and the word behind it stand or
# fall together when that word has a field in it.
command_groups <- function(words) {
  groups <- list()
  for (word in words) {
    last <- if (length(groups)) groups[[length(groups)]]
    joins <- length(last) == 1 && grepl("^[-+/][^{]*$", last) && length(template_names(word))
    if (joins) groups[[length(groups)]] <- c(last, word) else groups <- c(groups, list(word))
  }
  groups
}

# The lines of a new profile. `command`: how one frame is rendered, with fields in braces; `ask`:
# arguments that print the version; `picture`: kind of file.
profile_lines <- function(name, command, ask = NULL, picture = "png", output_as = NULL) {
  words <- split_command(command, "the command")
  odd <- setdiff(template_names(words, where = "the command"), trial_fields)
  if (length(odd)) {
    stop_input("engine", paste0("unknown field {", odd[1], "}"), "the command",
               paste0("Fields are ", toString(paste0("{", trial_fields, "}")), "."))
  }
  if (!any(c("output", "stem", "output_folder") %in% template_names(words)) && is.null(output_as)) {
    stop_input("engine", "says nowhere which picture to write", "the command",
               "Write {output} (or {stem}) where the file's name stands.")
  }
  text <- function(x) paste0("'", gsub("'", "''", x, fixed = TRUE), "'")
  entries <- vapply(command_groups(words[-1]), function(group) {
    if (length(group) == 1) paste0("  - ", text(group)) else
      paste0("  - [", toString(text(group)), "]")
  }, "")
  # The formula for the samples determines the possible counts.
  formula <- if (any(grepl("{log2(samples)}", words, fixed = TRUE))) "{is: 2^n, n: 0-16}"
             else if (any(grepl("{sqrt(samples)}", words, fixed = TRUE))) "{is: n^2, n: 1-128}"
  entries <- gsub("{log2(samples)}", "{samples}",
                  gsub("{sqrt(samples)}", "{samples}", entries, fixed = TRUE), fixed = TRUE)
  limits <- c(samples = "samples", noise = "noise", time_s = "time")
  limits <- unname(limits[intersect(names(limits), template_names(words))])
  c(paste("engine:", name), "# about: one line", paste("program:", text(words[1])),
    "# install: how to get it, for the message when it is missing",
    paste0("# An entry is left out when a {field} in it has no value; {frame:04}, {threads:1} and ",
           "{log2(samples)} work too."),
    "# All fields: clockpigeon help engine",
    "arguments:", entries,
    "# environment: {THREADS: '{threads}'}",
    "# folder: '{scene_folder}'                      # where it runs, when not in the project",
    if (length(ask))
    c("version:", paste0("  ask: [", toString(text(split_command(ask, "the version's command"))),
                         "]"),
      "  pattern: '([0-9]+[.][0-9][0-9.]*)'") else
      "# version: {ask: ['--version'], pattern: 'release ([0-9.]+)'}",
    paste0("limits: [", toString(if (length(limits)) limits else "samples"), "]"),
    if (length(formula)) c("# The counts it can do, and n is what is written for each:",
                           paste0("values: {samples: ", formula, "}")) else
      c(paste0("# values: {samples: {4: '2', 9: '3', 16: '4'}}  # counts it can do, and what ",
               "is written for each"),
        "# values: {samples: {is: 2^n, n: 0-12}}         # or by a formula"),
    "devices: [cpu]",
    paste("output:", picture),
    if (length(output_as)) paste("output_as:", text(output_as)) else
      "# output_as: '{stem}{frame:03}.png'             # when it adds to the name itself",
    "# What it prints: one group in parentheses, the number. `engine try` shows what each finds.",
    "# reads:", "#   load_s: 'loaded in ([0-9.]+) s'", "#   compute_s: 'rendered in ([0-9.]+) s'",
    "#   peak_mem_mb: 'memory ([0-9.]+) MB'")
}
