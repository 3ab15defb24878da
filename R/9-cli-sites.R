# The commands `sites` and `bill`.

cli_sites <- function(o, args) {
  project <- read_project(parts = "sites")
  if (!length(project$sites))
    stop_input("project", "has no site", instead = "Write a rate card under sites/.")
  if (length(args)) {
    site <- project_entry(project$sites, args[1], "site")
    cli_emit(bill_table(list(site)), o$format, function() card_lines(site))
  } else {
    cli_emit(bill_table(project$sites), o$format, function() site_lines(project$sites))
  }
  0L
}

cli_bill <- function(o, args) {
  project <- read_project(parts = c("sites", "usages", "rates"))
  usage <- cli_usage(project, args)
  name <- first_of(o$site, if (inherits(usage, "cp_usage")) usage$site)
  if (is.null(name)) stop_input("usage", "names no site", "clockpigeon bill", "Write --site NAME.")
  site <- project_entry(project$sites, name, "site")
  on <- first_of(if (length(o$on)) date_field(o$on, "option --on"),
                 if (inherits(usage, "cp_usage")) usage$on,
                 this_day(site$time_zone))
  to <- first_of(o$to, project$currency)
  known <- !is.null(rate_to(site, to, project$rates, on))
  x <- bill(usage, site, o$tier, o$hire, first_of(o$engine, NA_character_), on,
            to = if (to != site$currency && (known || length(o$to))) {
              in_currency(check_currency(to, "option --to"), project$rates)
            })
  cli_emit(x, o$format, function() {
    c(wrap_lines(paste0(if (inherits(usage, "cp_usage")) paste0(usage$usage, ", "), site$site, ", ",
                        format(on), ":")),
      "",
      bill_text(x),
      if (!known && length(site$unit))
      wrap_lines(earning_words(site, -sum(x[["amount"]][x[["part"]] == "credit"]))))
  })
  0L
}

# The usage named: a file, or one of the project's usages/; the only one when there is one.
cli_usage <- function(project, args) {
  if (!length(args)) {
    stop_input("usage", "names no usage", "clockpigeon bill",
               paste0("Write a file, or ", either(names(project$usages)),
                      "."))
  }
  if (!file.exists(args[1])) return(project_entry(project$usages, args[1], "usage"))
  if (!grepl("\\.csv$", args[1])) return(read_usage(args[1]))
  utils::read.csv(args[1], stringsAsFactors = FALSE)
}

# How long one's own machines work for what a job took from an earned balance.
earning_words <- function(site, spent) {
  earn <- site$community$earn
  if (!length(earn) || spent <= 0) return(NULL)
  paste0("To earn that again: ", paste0(vapply(earn,
                                               function(e) paste0(format_duration(3600 * spent /
                                                                                  e$amount),
                                                                  " of a ",
                                                                  e$device), ""),
                                        collapse = ", or "), ".")
}
