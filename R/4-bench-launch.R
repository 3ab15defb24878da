# Starting a process that takes orders from this one, so that no other process can join and take
# them.
#
# On this machine the two talk through a socket in a folder that its owner alone may enter. Over a
# network they talk by TLS through a WebSocket whose path is a secret: a process without the path is
# refused before any task is sent. Nodes get the secret and the certificate on standard input, never
# as an argument, which others could list. (A client certificate would serve as well; mirai 2.7
# gives its daemons none.)

# One key and certificate for each address at which this process listens: making a pair takes 1.5 s.
certificate_store <- new.env()

certificate_of <- function(host) {
  if (is.null(certificate_store[[host]]))
    certificate_store[[host]] <- lapply(nanonext::write_cert(cn = host), unname)
  certificate_store[[host]]
}

random_secret <- function(bytes = 16) paste(openssl::rand_bytes(bytes), collapse = "")

# Address of a socket on this machine that its owner alone can reach. R makes its session folder
# with mode 0700.
private_address <- function() {
  if (.Platform$OS.type == "windows") return(paste0("ipc://clockpigeon-", random_secret()))
  folder <- tempdir()
  # An address holds about 100 characters; the folder of a long TMPDIR does not fit.
  if (nchar(folder) > 60) folder <- short_folder()
  paste0("ipc://", folder, "/", random_secret(8))
}

short_folder <- function() {
  folder <- file.path("/tmp", paste0("clockpigeon-", random_secret(8)))
  if (!dir.create(folder, showWarnings = FALSE, mode = "0700")) {
    stop_input("file", "this folder cannot be made", folder,
               "Set TMPDIR to a folder with a short path.")
  }
  folder
}

# Start processes of this machine for a profile. They end with this process.
begin_local <- function(profile, count = 1) {
  mirai::daemons(url = private_address(), .compute = profile)
  mirai::launch_local(count, .compute = profile)
  invisible()
}

# Listen for a node that comes over a network; the call that it is to run.
listen_for_node <- function(profile, url) {
  at <- nanonext::parse_url(url)
  host <- at[["hostname"]]
  pair <- certificate_of(host)
  if (grepl(":", host, fixed = TRUE)) host <- paste0("[", host, "]")
  mirai::daemons(url = paste0("wss://", host, ":", at[["port"]], "/", random_secret()),
                 tls = pair$server,
                 .compute = profile)
  bquote(mirai::daemon(.(mirai::status(.compute = profile)$daemons), tlscert = .(pair$client)))
}

# A call as one line of R.
call_line <- function(call) paste(deparse(call, width.cutoff = 500), collapse = " ")

# Start R on another machine by SSH, with what it runs on standard input. Without `listen` the
# machine reaches us through a tunnel.
begin_ssh <- function(profile, launch, url) {
  call <- listen_for_node(profile, url)
  at <- ssh_target(launch$host)
  port <- nanonext::parse_url(mirai::status(.compute = profile)$daemons)[["port"]]
  tunnel <- if (is.null(launch$listen)) c("-R", paste0(port, ":127.0.0.1:", port))
  program <- paste(c(shQuote(command_words(launch$rscript)), "-"), collapse = " ")
  script <- tempfile("clockpigeon-")
  on.exit(unlink(script))
  writeLines(call_line(call), script)
  ssh_processes[[profile]] <- processx::process$new(
    "ssh", c("-T", "-o", "ConnectTimeout=20", "-o", "ExitOnForwardFailure=yes", "-p", at$port,
             tunnel, "--", at$host, program),
    stdin = script, stdout = NULL, stderr = NULL
  )
}

ssh_processes <- new.env()

end_ssh <- function(profile) {
  process <- ssh_processes[[profile]]
  if (is.null(process)) return(invisible())
  rm(list = profile, envir = ssh_processes)
  process$wait(2000)
  process$kill()
  invisible()
}

# `user@machine:port` as `host` (with its user) and `port`.
ssh_target <- function(host) {
  hit <- regmatches(host, regexec("^(.*?)(?::([0-9]+))?$", host, perl = TRUE))[[1]]
  list(host = gsub("[][]", "", hit[2]), port = if (nzchar(hit[3])) hit[3] else "22")
}

# A command and its arguments, split as a shell does, with quotes and nothing else.
command_words <- function(text) {
  words <- tryCatch(scan(text = text, what = "", quiet = TRUE, comment.char = ""),
                    error = function(e) character())
  if (length(words)) words else text
}

# The lines of a scheduler's script that start R with a call on standard input.
scheduler_lines <- function(launch, call) {
  program <- paste(shQuote(command_words(launch$rscript)), collapse = " ")
  c(paste(program, "- <<'CLOCKPIGEON'"), call_line(call), "CLOCKPIGEON")
}
