# The protocol's document as the stand-in goes by it: which operation a request is, and what is
# wrong with its body.

# The document as lists, every sequence of it a list, so that JSON has arrays where the document
# has.
protocol_document <- function(path = system.file("protocol", "site.yaml",
                                                 package = "clockpigeon")) {
  yaml::read_yaml(path, handlers = list(seq = as.list))
}

# Its operations, a list of `id`, `method`, `pieces` (of the path), `body` (schema of the body, or
# NULL), `public` and `keyed` (it needs an Idempotency-Key).
protocol_routes <- function(document) {
  unlist(lapply(names(document$paths), function(path) {
    methods <- setdiff(names(document$paths[[path]]), "parameters")
    lapply(methods, function(method) {
      it <- document$paths[[path]][[method]]
      refs <- vapply(it$parameters, function(p) or_else(p[["$ref"]], ""), "")
      list(id = it$operationId, method = toupper(method),
           pieces = strsplit(path, "/", fixed = TRUE)[[1]][-1],
           body = it$requestBody$content[["application/json"]]$schema,
           public = identical(it$security, list()),
           keyed = "#/components/parameters/Key" %in% refs)
    })
  }), recursive = FALSE)
}

# The operation of a request and the values in its path; NULL where no path is like it. `known`: the
# path is, but not with this method.
route_of <- function(routes, method, path) {
  pieces <- vapply(strsplit(path, "/", fixed = TRUE)[[1]][-1], utils::URLdecode, "",
                   USE.NAMES = FALSE)
  like <- Filter(function(route) {
    length(route$pieces) == length(pieces) &&
      all(startsWith(route$pieces, "{") | route$pieces == pieces)
  }, routes)
  if (!length(like)) return(NULL)
  hit <- Find(function(route) route$method == method, like)
  if (is.null(hit)) return(list(known = TRUE))
  open <- startsWith(hit$pieces, "{")
  c(hit, list(values = stats::setNames(as.list(pieces[open]), gsub("[{}]", "", hit$pieces[open]))))
}

# Fault of a value by a schema of the document: list(where = a JSON pointer, what), or NULL. Covers
# the part of JSON Schema 2020-12 that the document uses; `make protocol` compares it with a
# complete validator.
schema_fault <- function(value, schema, document, at = "") {
  if (length(schema[["$ref"]])) {
    return(schema_fault(value, resolve_reference(document, schema[["$ref"]]), document, at))
  }
  fault <- function(what) list(where = at, what = what)
  kind <- json_kind(value)
  wrong <- value_fault(value, kind, schema)
  if (length(wrong)) return(fault(wrong))
  switch(kind,
         object = object_fault(value, schema, document, at),
         array = array_fault(value, schema, document, at, fault),
         string = text_fault(value, schema, fault),
         integer = , number = number_fault(value, schema, fault))
}

# Fault of a value by the keywords that all types share, or NULL.
value_fault <- function(value, kind, schema) {
  types <- unlist(schema$type)
  fits <- kind %in% types || kind == "integer" && "number" %in% types
  if (length(types) && !fits) return(paste("is", kind, "and has to be", either(types)))
  if (!is.null(schema$const) && !identical(value, schema$const))
    return(paste("has to be", schema$const))
  if (length(schema$enum) && !list(value) %in% schema$enum)
    paste("has to be", either(unlist(schema$enum)))
}

array_fault <- function(value, schema, document, at, fault) {
  if (length(value) < or_else(schema$minItems, 0)) return(fault("is empty"))
  for (k in seq_along(value)) {
    found <- schema_fault(value[[k]], schema$items, document, paste0(at, "/", k - 1))
    if (length(found)) return(found)
  }
  NULL
}

object_fault <- function(value, schema, document, at) {
  lost <- setdiff(unlist(schema$required), names(value))
  if (length(lost)) return(list(where = paste0(at, "/", lost[1]), what = "is missing"))
  odd <- setdiff(names(value), names(schema$properties))
  if (identical(schema$additionalProperties, FALSE) && length(odd)) {
    return(list(where = paste0(at, "/", odd[1]), what = "is not known"))
  }
  if (length(value) < or_else(schema$minProperties, 0)) return(list(where = at, what = "is empty"))
  for (name in intersect(names(value), names(schema$properties))) {
    found <- schema_fault(value[[name]], schema$properties[[name]], document, paste0(at, "/", name))
    if (length(found)) return(found)
  }
}

text_fault <- function(value, schema, fault) {
  if (nchar(value) < or_else(schema$minLength, 0)) return(fault("is empty"))
  if (nchar(value) > or_else(schema$maxLength, Inf))
    return(fault(paste("is longer than", schema$maxLength)))
  if (length(schema$pattern) && !grepl(schema$pattern, value, perl = TRUE))
    return(fault(paste("is not like", schema$pattern)))
}

number_fault <- function(value, schema, fault) {
  if (value < or_else(schema$minimum, -Inf)) return(fault(paste("is below", schema$minimum)))
  if (value > or_else(schema$maximum, Inf))
    return(fault(paste("is above", format(schema$maximum, scientific = FALSE))))
  if (value <= or_else(schema$exclusiveMinimum, -Inf))
    return(fault(paste("is not above", schema$exclusiveMinimum)))
}

resolve_reference <- function(document, ref) {
  Reduce(function(x, name) x[[name]], strsplit(ref, "/", fixed = TRUE)[[1]][-1], document)
}

# Type of a JSON value that was read without simplifying.
json_kind <- function(x) {
  if (is.null(x)) return("null")
  if (is.list(x))
    return(if (!is.null(names(x)) || inherits(x, "json_object")) "object" else "array")
  if (is.character(x)) return("string")
  if (is.logical(x)) return("boolean")
  if (x == round(x)) "integer" else "number"
}
