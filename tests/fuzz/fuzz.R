# Seeded fuzzers: every file format, the command line, what engines print, parcels, pictures and
# ledgers are given broken things. Whatever comes, the answer is a value or one sentence of ours;
# any other error, any warning, a crash or a hang is a finding. Each section runs in a process of
# its own:
#
#   Rscript tests/fuzz/fuzz.R LIBRARY SECTION SECONDS SEED     prints `section cases findings`, and
#   each finding Rscript tests/fuzz/fuzz.R LIBRARY all SECONDS SEED         all of them, one after
#   the other (make fuzz)

# Things that have broken programs before.
odd_texts <- c("", " ", "-1", "0", "1e999", "-1e-999", "NaN", "Inf", "NA", "TRUE", "null", "~",
               "99999999999999999999", "010", "0x1F", "1,3", "1.2.3", "1:2:3", "..",
               "../../etc/passwd", "/", "\\", "*", "?", "%s%n", "$(id)", "{frame", "{frame:}", "{{",
               "}", "{a-}", "'", "\"", "\t", "\n", "\r", "\001", "\033[31m", "\u202e", "\ufeff",
               "e\u0301", "\U1F54A", "yesterday", "2026-13-45", "24:61", "-5 min", "1 parsec",
               "0 EUR", "-3 EUR", "1e6 XYZ", "100 %", "300 %", "gears", "pebble", "[", "]",
               "[[[[[[[[", "&a [*a]", "<<: *a", "!!binary x", "!expr q()", "---", "...",
               "%YAML 9.9", "# x", ": :", "- - -", "{}", "[]", strrep("x", 5000), strrep("9", 400),
               strrep("[", 500), strrep("a: ", 50))

pick <- function(x) x[[sample.int(length(x), 1)]]

# A broken copy of some bytes: one to three breaks.
broken <- function(bytes) {
  for (k in seq_len(sample.int(3, 1))) bytes <- break_once(bytes)
  bytes
}

break_once <- function(bytes) {
  n <- length(bytes)
  if (!n) return(charToRaw(pick(odd_texts)))
  at <- sample.int(n, 1)
  span <- min(n - at + 1, sample.int(30, 1))
  switch(
    sample.int(9, 1),
    replace(bytes, at, as.raw(sample.int(256, 1) - 1)),
    bytes[-seq(at, length.out = span)],
    c(bytes[seq_len(at)], bytes[seq(at, length.out = span)], bytes[-seq_len(at)]),
    c(bytes[seq_len(at)], charToRaw(pick(odd_texts)), bytes[-seq_len(at)]),
    bytes[seq_len(at)],
    c(bytes[seq_len(at)], as.raw(c(0, 255, 254)), bytes[-seq_len(at)]),
    replaced_word(bytes),
    swapped_lines(bytes),
    pick(list(c(as.raw(c(0xef, 0xbb, 0xbf)), bytes),
              c(as.raw(c(0xff, 0xfe)), rbind(bytes, as.raw(0))),
              bytes[bytes != 10], c(bytes, bytes), rev(bytes), raw()))
  )
}

# One word, number or value of a text, another.
replaced_word <- function(bytes) {
  if (any(bytes == 0) || length(bytes) > 1e5) return(rev(bytes))
  text <- rawToChar(bytes)
  found <- gregexpr("[A-Za-z0-9._%-]+", text, useBytes = TRUE)[[1]]
  if (found[1] < 0) return(bytes)
  k <- sample.int(length(found), 1)
  start <- found[k]
  end <- start + attr(found, "match.length")[k] - 1
  c(bytes[seq_len(start - 1)], charToRaw(pick(odd_texts)),
    if (end < length(bytes)) bytes[seq(end + 1, length(bytes))])
}

swapped_lines <- function(bytes) {
  lines <- split(bytes, cumsum(c(0, utils::head(bytes == 10, -1))))
  unlist(lines[sample.int(length(lines))], use.names = FALSE)
}

# What is wrong with how something ended; NULL when nothing is.
verdict <- function(code) {
  said <- NULL
  found <- tryCatch({
    withCallingHandlers(code, warning = function(w)
                        stop("WARNING ", conditionMessage(w), call. = FALSE))
    NULL
  }, clockpigeon_error = function(e) {
    said <<- conditionMessage(e)
    NULL
  }, error = function(e) paste("foreign:", conditionMessage(e)),
                    stackOverflowError = function(e) "foreign: stack")
  if (length(found)) return(found)
  if (is.null(said)) return(NULL)
  if (grepl("[[:cntrl:]]", said)) return(paste("control characters:", said))
  if (nchar(said) > 2000) return(paste("long:", substr(said, 1, 300)))
  if (!validUTF8(said)) return("not UTF-8")
  NULL
}

sections <- list()
ours <- function(name) getFromNamespace(name, "clockpigeon")
demo_files <- function(...)
  list.files(clockpigeon::demo_file(), ..., full.names = TRUE, recursive = TRUE)
bytes_of <- function(path) readBin(path, "raw", file.size(path))

# A file, broken, in a scratch folder.
put_broken <- function(path, folder, ending = sub(".*(\\.[a-z]+)$", "\\1", path)) {
  to <- file.path(folder, paste0("x", ending))
  writeBin(broken(bytes_of(path)), to)
  to
}

sections$yaml <- function(folder) {
  readers <- list(shots = clockpigeon::read_shot, nodes = clockpigeon::read_node,
                  sites = clockpigeon::read_site, plans = clockpigeon::read_plan,
                  usages = ours("read_usage"), manifests = ours("read_manifest"),
                  jobs = ours("read_job"))
  files <- demo_files("\\.yaml$")
  files <- files[basename(dirname(files)) %in% names(readers)]
  engines <- list.files(system.file("engines", package = "clockpigeon"), full.names = TRUE)
  function() {
    path <- pick(c(files, engines))
    read <- if (path %in% engines) clockpigeon::read_engine else readers[[basename(dirname(path))]]
    verdict(read(put_broken(path, folder)))
  }
}

sections$project <- function(folder) {
  whole <- file.path(folder, "p")
  dir.create(whole)
  file.copy(list.files(clockpigeon::demo_file(), full.names = TRUE), whole, recursive = TRUE)
  files <- list.files(whole, "\\.(yaml|csv)$", recursive = TRUE)
  files <- files[!grepl("sample-timings", files)]
  function() {
    at <- file.path(whole, pick(files))
    kept <- bytes_of(at)
    on.exit(writeBin(kept, at))
    writeBin(broken(kept), at)
    verdict(clockpigeon::read_project(whole))
  }
}

sections$tables <- function(folder) {
  sample <- utils::head(readLines(clockpigeon::demo_file("sample-timings.csv")), 12)
  csv <- file.path(folder, "t.csv")
  writeLines(sample, csv)
  json <- file.path(folder, "t.json")
  writeLines('[{"frame": 1, "wall_s": 2.5, "x": {"y": 3}}, {"frame": 2, "wall_s": "1m20s"}]', json)
  log <- file.path(folder, "l.log")
  writeLines(rep(c("scene gears frame 3 of 720", "load 0.0123 s", "compute 1.5 s", "samples 4.000",
                   "rays 1234"), 3), log)
  pebble <- clockpigeon::read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
  map <- c(frame = "frame", wall_s = "wall_s")
  function() {
    switch(sample.int(7, 1),
      verdict(clockpigeon::import_timings(put_broken(csv, folder))),
      verdict(clockpigeon::import_timings(put_broken(csv, folder), map = map)),
      verdict(ours("read_timings_csv")(put_broken(csv, folder))),
      verdict(clockpigeon::import_timings(put_broken(json, folder), "json")),
      verdict(clockpigeon::import_timings(put_broken(log, folder), "log", engine = pebble)),
      verdict(ours("read_rates")(put_broken(clockpigeon::demo_file("rates/rates.csv"), folder))),
      verdict(ours("read_jobs")(put_broken(clockpigeon::demo_file("jobs.csv"), folder))))
  }
}

sections$output <- function(folder) {
  good <- charToRaw(
    "load 1.25 s\ncompute 3.5 s\nsamples 4.0\nrays 123456\nnoise 0.0125\nmemory 34.5 MB\nusing card 1\n")
  pebble <- clockpigeon::read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
  log <- file.path(folder, "log")
  function() {
    writeBin(broken(good), log)
    verdict({
      text <- ours("read_log")(log)
      found <- ours("parse_output")(text, pebble$reads)
      stopifnot(all(is.na(found$found) | found$found >= 0 & is.finite(found$found)))
      note <- ours("output_ends")(text)
      stopifnot(validUTF8(note), !grepl("[[:cntrl:]]", note))
      ours("device_fault")(list(devices = list(gpu = list(used = "card ([0-9])"))),
                           list(kind = "gpu", index = "1", name = "x"), text)
      invisible(ours("suggested_lines")(text))
    })
  }
}

sections$pictures <- function(folder) {
  set.seed(1)
  x <- array(stats::runif(9 * 7 * 3), c(9, 7, 3))
  files <- file.path(folder, c("a.png", "a.tiff", "a.pfm"))
  png::writePNG(x, files[1], text = c(Time = "1m20s"))
  tiff::writeTIFF(x, files[2], bits.per.sample = 16L)
  con <- file(files[3], "wb")
  writeBin(charToRaw("PF\n7 9\n-1.0\n"), con)
  writeBin(as.vector(x), con, size = 4)
  close(con)
  exr <- file.path(folder, "a.exr")
  writeBin(c(as.raw(c(118, 47, 49, 1, 2, 0, 0, 0)), charToRaw("dataWindow"), as.raw(0),
             charToRaw("box2i"), as.raw(0),
             as.raw(c(16, 0, 0, 0, rep(0, 8), 6, 0, 0, 0, 8, 0, 0, 0)), as.raw(0),
             as.raw(rep(9, 200))), exr)
  function() {
    path <- put_broken(pick(c(files, exr)), folder)
    found <- verdict(clockpigeon::read_picture(path))
    if (is.null(found))
      found <- verdict(ours("picture_fault")(path, "png", list(width = 7, height = 9)))
    if (is.null(found)) found <- verdict(ours("picture_metadata")(path))
    found
  }
}

sections$parcels <- function(folder) {
  root <- file.path(folder, "root")
  dir.create(file.path(root, "maps"), recursive = TRUE)
  for (name in c("a.scene", "maps/b.png", "maps/c.png")) writeLines(name, file.path(root, name))
  manifest <- file.path(folder, "m.yaml")
  writeLines(c("shot: m", "scene: a.scene", "assets:", "  - {path: maps/b.png, kind: texture}",
               "  - {path: maps/c.png, kind: texture}"), manifest)
  parcel <- clockpigeon::pack_shot(ours("read_manifest")(manifest), root, folder)$parcel
  into <- file.path(folder, "into")
  function() {
    unlink(into, recursive = TRUE)
    verdict(ours("unpack_parcel")(put_broken(parcel, folder), into))
  }
}

sections$ledgers <- function(folder) {
  path <- file.path(folder, "good.sqlite")
  ledger <- clockpigeon::open_ledger(path)
  clockpigeon::add_timings(ledger, utils::head(clockpigeon::example_timings(), 30))
  clockpigeon::close_ledger(ledger)
  at <- file.path(folder, "x.sqlite")
  row <- data.frame(activity = "render", status = "ok", kind = "typed", wall_s = 1)
  damage <- c("DROP VIEW timings", "DROP TABLE settings", "DROP TABLE corrections",
              "DROP TABLE runs", "DROP TRIGGER runs_no_update", "PRAGMA user_version = 99",
              "PRAGMA user_version = 0", "PRAGMA application_id = 0",
              "ALTER TABLE runs RENAME TO walks")
  function() {
    unlink(paste0(at, c("", "-journal", "-wal", "-shm")))
    if (stats::runif(1) < 0.3) {
      file.copy(path, at, overwrite = TRUE)
      con <- DBI::dbConnect(RSQLite::SQLite(), at)
      try(DBI::dbExecute(con, pick(damage)), silent = TRUE)
      DBI::dbDisconnect(con)
    } else writeBin(broken(bytes_of(path)), at)
    if (stats::runif(1) < 0.1) writeBin(broken(bytes_of(path))[1:600], paste0(at, "-journal"))
    read_only <- stats::runif(1) < 0.5
    verdict({
      ledger <- clockpigeon::open_ledger(at, read_only = read_only)
      on.exit(clockpigeon::close_ledger(ledger))
      clockpigeon::timings(ledger)
      clockpigeon::jobs(ledger)
      if (!read_only) clockpigeon::add_timings(ledger, row)
    })
  }
}

sections$command <- function(folder) {
  project <- file.path(folder, "film")
  ours("new_project")(project)
  setwd(project)
  unlink(c("shots/first.yaml", "plans/first.yaml"))
  writeLines(c("shot: first", "scene: gears", "frames: 1-12", "size: 16x9", "limit: {samples: 1}"),
             "shots/first.yaml")
  writeLines(c("plan: first", "shots: [first]", "engines: [{engine: pebble, versions: ['1.1']}]",
               "frames: 1,12", "repeats: 1", "warmups: 0"), "plans/first.yaml")
  file.copy(file.path(clockpigeon::demo_file(), c("sites", "usages", "rates")), ".",
            recursive = TRUE)
  unlink(setdiff(list.files("sites", full.names = TRUE),
                 c("sites/attic.yaml", "sites/saltmill.yaml")))
  unlink(setdiff(list.files("usages", full.names = TRUE), "usages/gears-saltmill.yaml"))
  ledger <- clockpigeon::open_ledger("ledger.sqlite")
  clockpigeon::add_timings(ledger, utils::head(clockpigeon::example_timings(), 60))
  clockpigeon::close_ledger(ledger)
  writeLines(c("frame,wall_s", "1,2", "2,3"), "t.csv")
  utils::capture.output(clockpigeon::cli(c("bench")), type = "output")
  commands <- ours("cli_commands")
  # The last two serve until they are ended.
  names <- setdiff(names(commands), c("demo", "nodes", "report", "page", "standin"))
  values <- c(odd_texts[nchar(odd_texts) < 100], "first", "pebble", "saltmill", "attic", "1", "2",
              "1.5", "10%", "csv", "json", "30h", "5 EUR", "t.csv", "ledger.sqlite", "frame=frame",
              "samples", "device", "new", "try", "list")
  fixed <- list(choose = c("--draws", "20"), forecast = c("--draws", "20"),
                probe = c("--budget", "0.1s", "--cheap", "no"), limit = c("--samples", "1,2"),
                bench = "--dry-run")
  forbidden <- c("--keep", "--out", "--into", "--figure", "--sheet", "--blind", "--record",
                 "--repeats", "--draws", "--test-frames", "--split", "--size", "--sizes",
                 "--frames", "--first", "--target")
  function() {
    name <- pick(names)
    row <- commands[[name]]
    flags <- setdiff(vapply(row$options, `[[`, "", "flag"), forbidden)
    args <- c(if (stats::runif(1) < 0.9) name else pick(values), fixed[[name]])
    for (k in seq_len(sample.int(4, 1) - 1)) {
      flag <- if (length(flags)) pick(flags) else "--x"
      args <- c(args, switch(sample.int(4, 1), flag, c(flag, pick(values)),
                             paste0(flag, "=", pick(values)), pick(values)))
    }
    said <- file(file.path(folder, "said"), "w")
    sink(said, type = "message")
    found <- verdict(utils::capture.output(status <- clockpigeon::cli(args)))
    sink(type = "message")
    close(said)
    if (length(found)) return(paste(found, "| args:", paste(shQuote(args), collapse = " ")))
    lines <- readLines(file.path(folder, "said"), warn = FALSE)
    what <- if (!status %in% 0:3) paste("status", status)
            else if (status == 1 && any(grepl("^clockpigeon: ", lines)))
              paste("status 1:", paste(lines, collapse = " / "))
            else if (status == 2 && sum(grepl("^clockpigeon: ", lines)) != 1)
              paste("said:", paste(lines, collapse = " / "))
            else if (any(grepl("Warning|Error in|Traceback|\\bNA\\b.*NA", lines)))
              paste("raw:", paste(lines, collapse = " / "))
    if (length(what)) paste(what, "| args:", paste(shQuote(args), collapse = " "))
  }
}

run_section <- function(name, seconds, seed) {
  folder <- tempfile("fuzz-")
  dir.create(folder)
  home <- getwd()
  on.exit({
    setwd(home)
    unlink(folder, recursive = TRUE)
  })
  once <- sections[[name]](folder)
  began <- proc.time()[["elapsed"]]
  cases <- 0L
  findings <- character()
  # However slow the machine, some cases are looked at.
  while (proc.time()[["elapsed"]] - began < seconds || cases < 12) {
    set.seed(seed + cases)
    found <- once()
    cases <- cases + 1L
    if (length(found)) findings <- c(findings, paste0("seed ", seed + cases - 1L, ": ", found))
  }
  list(cases = cases, findings = findings)
}

# All sections, each in a process of its own that is ended when it hangs; returns a data frame.
run_all <- function(library, seconds, seed, names = base::names(sections),
                    script = "tests/fuzz/fuzz.R") {
  rows <- lapply(names, function(name) {
    ran <- processx::run(file.path(R.home("bin"), "Rscript"),
                         c("--no-init-file", script, library, name, seconds, seed),
                         error_on_status = FALSE, timeout = 3 * seconds + 60,
                         stderr_to_stdout = TRUE)
    last <- regmatches(ran$stdout, regexec(paste0("(?m)^", name, " ([0-9]+) ([0-9]+)$"), ran$stdout,
                                           perl = TRUE))[[1]]
    if (ran$timeout || length(last) < 3) {
      return(data.frame(section = name, cases = 0L, findings = 1L,
                        says = paste(if (ran$timeout) "hang:" else "crash:",
                                     substr(ran$stdout, 1, 2000))))
    }
    data.frame(section = name, cases = as.integer(last[2]), findings = as.integer(last[3]),
               says = if (last[3] == "0") "" else ran$stdout)
  })
  do.call(rbind, rows)
}

if (sys.nframe() == 0L) {
  args <- commandArgs(trailingOnly = TRUE)
  .libPaths(c(args[1], .libPaths()))
  seconds <- as.numeric(args[3])
  seed <- as.integer(args[4])
  if (args[2] == "all") {
    found <- run_all(args[1], seconds / length(sections), seed)
    for (i in seq_len(nrow(found)))
      cat(sprintf("%-9s %6d cases %3d findings\n", found$section[i], found$cases[i],
                  found$findings[i]))
    cat(found$says[nzchar(found$says)], sep = "\n")
    quit(save = "no", status = as.integer(any(found$findings > 0)))
  }
  found <- run_section(args[2], seconds, seed)
  shown <- found$findings[!duplicated(sub("^seed [0-9]+: ", "", substr(found$findings, 1, 90)))]
  if (length(shown)) cat(utils::head(substr(shown, 1, 600), 25), sep = "\n")
  cat("\n", args[2], " ", found$cases, " ", length(found$findings), "\n", sep = "")
}
