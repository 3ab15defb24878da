# Writing without a server: rows are kept in files of this machine, and delivered once when the
# server answers again.

# Runs `write()`, which adds `rows` of a kind (of a `job`). If the connection is lost meanwhile they
# are spooled, and delivered at once if the server is back; returns their number. Waiting rows of
# that kind go first: `again(rows, job)` adds them without repeating any. Rows of a ledger file are
# never spooled.
kept_safe <- function(ledger, kind, rows, write, again, job = NULL) {
  if (!is_server_address(ledger$path)) return(write())
  tryCatch({
    deliver_spool(ledger, kind, again)
    write()
  }, error = function(e) {
    if (!is_lost(ledger)) stop(e)
    folder <- spool_rows(ledger, kind, rows, job)
    delivered <- tryCatch(deliver_spool(ledger, kind, again) > 0, error = function(e) FALSE)
    if (!delivered && !isTRUE(ledger$spooling)) {
      message("The ledger's server does not answer. What is measured is kept in ", folder,
              ", and delivered when it answers again.")
    }
    ledger$spooling <- !delivered
    nrow(rows)
  })
}

# Has the server stopped answering? Its connection is then closed, and reopened at the next query.
is_lost <- function(ledger) {
  if (is.null(ledger$con)) return(isTRUE(ledger$lost))
  if (!on_server(ledger$con)) return(FALSE)
  # A broken connection reopens silently, in another process of the server and without its settings.
  same <- tryCatch(server_process(ledger$con) == ledger$process, error = function(e) FALSE)
  if (same) return(FALSE)
  suppressWarnings(try(DBI::dbDisconnect(ledger$con), silent = TRUE))
  ledger$con <- NULL
  ledger$lost <- TRUE
  TRUE
}

server_process <- function(con)
  DBI::dbGetQuery(con, "SELECT pg_backend_pid() AS process")[["process"]]

# Where rows for a server wait.
spool_folder <- function(where) {
  base <- Sys.getenv("CLOCKPIGEON_SPOOL",
                     file.path(tools::R_user_dir("clockpigeon", "data"), "spool"))
  file.path(base, substr(openssl::sha256(where), 1, 16))
}

spool_rows <- function(ledger, kind, rows, job) {
  folder <- spool_folder(ledger$path)
  dir.create(folder, FALSE, TRUE, "0700")
  name <- paste0(sprintf("%.6f", as.numeric(Sys.time())), "-", Sys.getpid(), "-",
                 paste(openssl::rand_bytes(4), collapse = ""), "-", kind, ".rds")
  write_whole(file.path(folder, name), function(part) saveRDS(list(rows = rows, job = job), part))
  folder
}

# Files of a kind that wait, the oldest first.
spooled_files <- function(where, kind = "[a-z]+") {
  sort(list.files(spool_folder(where), paste0("-", kind, "[.]rds$"), full.names = TRUE))
}

# Adds what waits; returns how many files there were. Rows that had come before the connection was
# lost are known by their ids and keys. Two processes may do it at once.
deliver_spool <- function(ledger, kind, again) {
  files <- spooled_files(ledger$path, kind)
  for (file in files) {
    kept <- tryCatch(readRDS(file), error = function(e) NULL)
    # Another process has delivered it meanwhile; or it cannot be read, and stays for inspection.
    if (is.null(kept)) next
    again(kept$rows, kept$job)
    unlink(file)
  }
  length(files)
}
