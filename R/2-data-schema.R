# JSON Schema of the YAML formats, made from the same fields that read them.

yaml_formats <- function() list(
  project = project_fields(), shot = shot_fields(), node = node_fields(), engine = engine_fields(),
  site = site_fields(),
  plan = plan_fields(), usage = usage_fields(), manifest = manifest_fields(), job = job_fields()
)

#' JSON Schema of a format
#'
#' For editors that complete and check YAML while it is written. The schema is made from the
#' definitions that read the format, so that it never falls behind them; what only the whole file
#' shows (two tiers of one name, a discount on a charge that is not there) is left to the reader.
#' Made files are in the package's folder `schemas`.
#'
#' @param format `project`, `shot`, `node`, `engine`, `site`, `plan`, `usage`, `manifest` or `job`.
#' @return One text: a schema of draft 2020-12.
#' @section Conditions: `clockpigeon_error_choice` for another format.
#' @noRd
yaml_schema <- function(format) {
  formats <- yaml_formats()
  format <- check_choice(format, argument("format"), names(formats))
  schema <- c(list("$schema" = "https://json-schema.org/draft/2020-12/schema",
                   title = paste("clockpigeon", format)),
              record_schema(formats[[format]]))
  paste(jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = 2, digits = NA))
}
