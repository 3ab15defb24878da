# Writes the JSON Schema of every YAML format into inst/schemas, from the definitions that read
# them.
for (format in names(clockpigeon:::yaml_formats())) {
  writeLines(clockpigeon:::yaml_schema(format),
             file.path("inst", "schemas", paste0(format, ".json")))
}
writeLines(clockpigeon:::standard_schema(), file.path("inst", "schemas", "cost-and-usage-1.0.json"))
