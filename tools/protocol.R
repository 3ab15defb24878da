# Asks a stand-in everything that the protocol has, over HTTP, and writes down what it answered, for
# tools/protocol/check.mjs to hold against the document; and bodies that were changed at random,
# with what our own reading of the schemas says.
#
#   Rscript tools/protocol.R LIB FOLDER
args <- commandArgs(trailingOnly = TRUE)
.libPaths(c(args[1], .libPaths()))
suppressPackageStartupMessages(library(clockpigeon))
own <- function(name) get(name, asNamespace("clockpigeon"))
dir.create(args[2], FALSE, TRUE)
Sys.setenv(CLOCKPIGEON_TOKEN = "token-of-the-check")

project <- own("demo_project")(tempfile("clockpigeon-protocol-"))
code <- "quit(save = 'no', status = clockpigeon::cli())"
program <- processx::process$new(
  file.path(R.home("bin"), "Rscript"),
  c("--no-init-file", "-e", code, "standin", "saltmill", "--port", "0", "--speed",
    "600", "--for", "2min"), wd = project, stdout = "|",
  env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"))
)
line <- character()
while (!length(line) && program$is_alive()) {
  program$poll_io(200)
  line <- program$read_output_lines()
}
site <- read_project(project)$sites$saltmill
site$service <- list(address = paste0(line[1], "/saltmill"),
                     token = list(env = "CLOCKPIGEON_TOKEN"))
service <- own("site_service")(site, tries = 1)

document <- own("protocol_document")()
routes <- own("protocol_routes")(document)
answers <- list()
ask <- function(method, path, body = NULL, key = NULL, headers = list()) {
  if (is.list(body)) body <- charToRaw(own("to_json_line")(body))
  headers <- c(list(Authorization = paste("Bearer", service$token)),
               if (length(key)) list("Idempotency-Key" = key),
               headers)
  got <- service$request(service, method, paste0(service$address, path), body, headers)
  kind <- sub(";.*", "", c(got$headers[["content-type"]], "")[1])
  json <- if (grepl("json", kind)) jsonlite::parse_json(rawToChar(got$body))
  route <- own("route_of")(routes, method, sub("\\?.*", "", path))
  answers[[length(answers) + 1]] <<- list(operation = route$id, status = got$status, type = kind,
                                          body = if (is.null(json)) list() else json)
  json
}
order <- list(name = "night", engine = "sundew", version = "4.2", tier = "brisk", nodes = 10,
              trial = FALSE, cap = list(amount = 90, currency = "GBP"), shots = list(list(
                shot = "gears", scene = "gears", frames = "240-259", width = 1920, height = 1080,
                limit = list(samples = 512), output = "png")))
invisible(ask("GET", "/protocol"))
invisible(ask("GET", "/site"))
invisible(ask("GET", "/engines?most=2"))
invisible(ask("GET", "/engines?after=2"))
invisible(ask("POST", "/quotes", order[c("engine", "version", "tier", "nodes", "shots")]))
bytes <- as.raw(1:200)
sum <- paste(openssl::sha256(bytes))
digest <- list("Content-Digest" = own("digest_header")(bytes))
invisible(ask("POST", "/files", list(sha256 = sum, bytes = 200)))
invisible(ask("GET", paste0("/files/", sum)))
invisible(ask("PUT", paste0("/files/", sum, "/parts/1"), bytes, headers = digest))
job <- ask("POST", "/jobs", order, "key-of-the-check")$job
invisible(ask("POST", "/jobs", order, "key-of-the-check"))
invisible(ask("GET", "/jobs"))
invisible(ask("GET", paste0("/jobs/", job)))
invisible(ask("POST", paste0("/jobs/", job, "/orders"), list(order = "pause"), "pause-the-job"))
invisible(ask("GET", paste0("/jobs/", job, "/frames?most=3")))
invisible(ask("POST", paste0("/jobs/", job, "/orders"), list(order = "resume"), "resume-the-job"))
invisible(ask("POST", paste0("/jobs/", job, "/orders"),
              list(order = "cap", cap = list(amount = 95, currency = "GBP")), "cap-the-job"))
for (k in 1:60) {
  Sys.sleep(0.5)
  if (own("site_job")(service, job)$state == "done") break
}
invisible(ask("GET", paste0("/jobs/", job)))
rows <- ask("GET", paste0("/jobs/", job, "/frames"))$frames
invisible(ask("DELETE", paste0("/jobs/", job)))
for (row in rows)
  invisible(ask("GET", paste0("/jobs/", job, "/pictures/gears/", row$frame, "/parts/1")))
invisible(ask("GET", paste0("/jobs/", job, "/bill")))
stream <- own("open_site_events")(service, job)
events <- own("read_site_events")(stream, 10)
own("close_site_events")(stream)
invisible(ask("DELETE", paste0("/jobs/", job)))
# What is refused, and how.
invisible(ask("GET", "/jobs/none"))
invisible(ask("GET", paste0("/files/", strrep("0", 64))))
invisible(ask("POST", "/jobs", charToRaw("{"), "key-number-two"))
invisible(ask("POST", "/jobs", order["name"], "key-number-two"))
invisible(ask("POST", "/jobs", order))
service$token <- "another"
invisible(ask("GET", "/site"))
program$kill()

# Bodies changed at random: a field lost, an odd one more, a value of another kind.
set.seed(1)
values <- list("a", "", 0, -1, 1.5, 7, TRUE, list(), list("a"), NULL,
               list(amount = 1, currency = "GBP"))
changed <- function(x, depth = 0) {
  if (!is.list(x) || !length(x) || depth > 0 && stats::runif(1) < 0.3)
    return(values[[sample(length(values), 1)]])
  k <- sample(length(x), 1)
  how <- stats::runif(1)
  if (how < 0.15) return(x[-k])
  if (how < 0.25 && !is.null(names(x))) return(c(x, list(odd = 1)))
  x[k] <- list(changed(x[[k]], depth + 1))
  x
}
bodies <- lapply(1:3000, function(i) {
  text <- own("to_json_line")(changed(order))
  value <- jsonlite::parse_json(text)
  fault <- own("schema_fault")(value, list("$ref" = "#/components/schemas/Order"), document)
  list(text = text, fits = is.null(fault))
})
write <- function(x, name) writeLines(own("to_json_line")(x), file.path(args[2], name))
write(answers, "answers.json")
write(events, "events.json")
write(bodies, "bodies.json")
writeLines(own("to_json_line")(document), file.path(args[2], "document.json"))
cat(length(answers), "answers,", length(events), "events,", length(bodies), "changed bodies\n")
