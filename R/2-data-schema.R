# JSON Schema of the YAML formats, made from the same fields that read them.

yaml_formats <- function() list(
  project = project_fields(), shot = shot_fields(), node = node_fields(), engine = engine_fields(),
    site = site_fields(),
  plan = plan_fields(), usage = usage_fields(), manifest = manifest_fields(), job = job_fields()
)

#' JSON Schema of a format
#'
#' For editors that complete and check YAML while it is written. The schema is made from the definitions that read the
#' format, so that it never falls behind them; what only the whole file shows (two tiers of one name, a discount on a
#' charge that is not there) is left to the reader. Made files are in the package's folder `schemas`.
#'
#' @param format `project`, `shot`, `node`, `engine`, `site`, `plan`, `usage`, `manifest` or `job`.
#' @return One text: a schema of draft 2020-12.
#' @section Conditions: `clockpigeon_error_choice` for another format.
#' @noRd
yaml_schema <- function(format) {
  formats <- yaml_formats()
  format <- check_choice(format, argument("format"), names(formats))
  schema <- c(list("$schema" = "https://json-schema.org/draft/2020-12/schema", title = paste("clockpigeon", format)),
              record_schema(formats[[format]]))
  paste(jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = 2, digits = NA))
}

record_schema <- function(fields) {
  required <- names(fields)[vapply(fields, `[[`, NA, "required")]
  c(list(type = "object", properties = lapply(fields, function(f) reader_schema(f$read)), additionalProperties = FALSE),
    if (length(required)) list(required = I(required)))
}

list_schema <- function(items) list(type = "array", items = items)
one_or_list <- function(items) list(anyOf = list(items, list_schema(items)))
text_schema <- function(pattern = NULL, examples = NULL) {
  c(list(type = "string"), if (length(pattern)) list(pattern = pattern),
    if (length(examples)) list(examples = I(examples)))
}

# What a reader takes. Readers made by choice_of(), records_of() and their like hold their choices or fields in their
# own environment; named ones are known; of others, what they call tells.
reader_schema <- function(read) {
  held <- function(name) get0(name, environment(read), inherits = FALSE)
  if (length(held("choices"))) return(list(enum = I(held("choices"))))
  if (length(held("words"))) return(one_or_list(list(enum = I(held("words")))))
  if (length(held("fields"))) {
    record <- record_schema(held("fields"))
    return(if ("lapply" %in% all.names(body(read))) list_schema(record) else record)
  }
  if (length(held("above"))) return(list(type = "number", exclusiveMinimum = held("above")))
  if (identical(read, check_limit)) return(record_schema(limit_fields()))
  if (identical(read, brackets_field)) return(list_schema(record_schema(bracket_fields())))
  if (identical(read, varying_field)) {
    points <- list(median = field(duration_field, required = TRUE), p90 = field(duration_field, required = TRUE))
    return(list(anyOf = list(list(const = "none"), text_schema(examples = "5 min"), record_schema(points))))
  }
  known <- known_readers()
  for (one in known) if (identical(read, one$read)) return(one$schema)
  calls <- all.names(body(read))
  for (name in c("check_count", "check_number", "check_flag")) {
    if (name %in% calls) return(list(type = c(check_count = "integer", check_number = "number",
                                              check_flag = "boolean")[[name]]))
  }
  if ("version_field" %in% calls && !"Map" %in% calls) return(text_schema(examples = "4.2"))
  if ("check_texts" %in% calls) one_or_list(text_schema()) else if ("check_text" %in% calls) text_schema()
    else structure(list(), names = character())
}

known_readers <- function() {
  version <- one_or_list(text_schema(examples = "4.2"))
  mapping <- function(of) list(type = "object", additionalProperties = of)
  known <- function(read, schema) list(read = read, schema = schema)
  number <- "^[0-9]+(\\.[0-9]+)?"
  list(
    known(check_text, text_schema()), known(check_texts, one_or_list(text_schema())),
      known(check_flag, list(type = "boolean")),
    known(whole, list(type = "integer", minimum = 1)), known(counts, one_or_list(list(type = "integer", minimum = 1))),
    known(duration_field, text_schema(examples = c("12m40s", "760 s", "00:12:40", "PT12M40S"))),
    known(date_field, text_schema("^[0-9]{4}-[0-9]{2}-[0-9]{2}$")),
      known(past_date, text_schema("^[0-9]{4}-[0-9]{2}-[0-9]{2}$")),
    known(zone_field, text_schema(examples = "Europe/Lisbon")),
      known(check_currency, text_schema("^[A-Z]{3}$", "EUR")),
    known(card_currency, text_schema("^([A-Z]{3}|[a-z][a-z-]{2,})$", c("EUR", "shells"))),
    known(money_field, text_schema(paste0(number, " ?[A-Za-z]{3}$"), "1.90 EUR")),
    known(card_money, text_schema(paste0(number, " ?[A-Za-z][a-z-]{2,}$|", number, " ?[A-Z]{3}$"),
                                  c("1.90 EUR", "340 shells"))),
    known(percent_field, text_schema(paste0(number, " ?%$"), "20 %")),
      known(clock_field, text_schema("^[0-9]{1,2}:[0-9]{2}$", "22:00")),
    known(days_field, one_or_list(text_schema(examples = c("mon-fri", "sat")))),
    known(frames_field, list(anyOf = list(list(type = "integer"), text_schema(examples = "1-240 by 10"),
                                          list_schema(list(type = "integer"))))),
    known(parse_size, text_schema(examples = c("80 MB", "32 GiB"))),
      known(parse_rate, text_schema(examples = "100 Mbit/s")),
    known(parse_power, text_schema(examples = "350 W")),
      known(parse_resolution, text_schema("^[0-9]+x[0-9]+$", "1920x1080")),
    known(per_field, list(enum = I(names(sale_units)))),
    known(step_field, list(anyOf = list(list(type = "number", exclusiveMinimum = 0), text_schema(examples = "1 min")))),
    known(version_field, version),
    known(named_versions, list(anyOf = list(one_or_list(text_schema()), mapping(version)))),
    known(arguments_field, list_schema(one_or_list(text_schema()))), known(pattern_field, text_schema()),
    known(features_field, mapping(list(anyOf = list(list(const = "any"), mapping(text_schema()))))),
      known(metadata_field, mapping(text_schema())),
    known(repeats_field, list(anyOf = list(list(type = "integer", minimum = 1), list(type = "object"))))
  )
}
