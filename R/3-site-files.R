# Files to a site and pictures from it: in parts, each with its digest, the whole with its SHA-256.

# Sends the files that a site lacks; delivered files, and parts that arrived before a connection was
# cut, are not sent again. `files`: paths under `root`. Returns a data frame of `path`, `sha256` and
# `sent` (bytes).
send_site_files <- function(service, root, files, part_bytes) {
  if (!length(files)) return(data.frame(path = character(), sha256 = character(), sent = numeric()))
  at <- file.path(root, files)
  hashes <- file_hashes(at)
  sent <- mapply(send_site_file, at, hashes,
                 MoreArgs = list(service = service, part_bytes = part_bytes))
  data.frame(path = files, sha256 = hashes, sent = unname(sent))
}

# Send a file to a site in parts, each with its digest; skip parts that the site has.
send_site_file <- function(path, sha256, service, part_bytes) {
  size <- file.size(path)
  sent <- 0
  # A file whose parts do not form the whole is sent again, once.
  for (round in 1:2) {
    state <- ask_json(service, "POST", "/files", list(sha256 = sha256, bytes = size),
                      needed = c(there = "rows", whole = "flag"))
    if (state$whole) return(sent)
    file <- file(path, "rb")
    done <- tryCatch({
      for (part in setdiff(seq_len(max(1, ceiling(size / part_bytes))),
                           unlist(Filter(answer_types$count, state$there)))) {
        seek(file, (part - 1) * part_bytes)
        bytes <- readBin(file, "raw", part_bytes)
        state <- ask_json(service, "PUT", paste0("/files/", sha256, "/parts/", part), bytes,
                          type = "application/octet-stream",
                          headers = list("Content-Digest" = digest_header(bytes)),
                          needed = c(whole = "flag"))
        sent <- sent + length(bytes)
      }
      isTRUE(state$whole)
    }, clockpigeon_error_service = function(e) if (identical(e$problem, "checksum")) FALSE else
                     stop(e),
    finally = close(file))
    if (done) return(sent)
  }
  stop_input("service", paste(show_value(basename(path)), "did not arrive whole"), service$site,
             "It may have changed while it was sent: ask again.")
}

# RFC 9530's way to write a body's SHA-256.
digest_header <- function(bytes)
  paste0("sha-256=:", openssl::base64_encode(openssl::sha256(bytes)), ":")

# Fetch one picture of a remote job under a temporary name, and rename it when its SHA-256 is
# correct. Returns whether it is whole. A part has 1 MiB at most by the protocol; a picture that has
# an empty part, or sends more bytes than the site says, is given up.
fetch_picture <- function(service, job, row, path) {
  dir.create(dirname(path), FALSE, TRUE)
  part_path <- paste0(path, ".part")
  on.exit(unlink(part_path))
  service$most <- 2^20
  came <- 0
  for (part in seq_len(row$parts)) {
    answer <- ask_service(service, "GET",
                          paste0("/jobs/", path_piece(job), "/pictures/", path_piece(row$shot), "/",
                                 row$frame, "/parts/", part))
    digest <- answer$headers[["content-digest"]]
    if (length(digest) && !identical(digest, digest_header(answer$body))) return(FALSE)
    came <- came + length(answer$body)
    if (!length(answer$body) || came > row$bytes) return(FALSE)
    if (part == 1) unlink(part_path)
    file <- file(part_path, "ab")
    tryCatch(writeBin(answer$body, file), finally = close(file))
  }
  if (!identical(as.numeric(file.size(part_path)), as.numeric(row$bytes)) ||
      !identical(file_hashes(part_path), row$sha256)) {
    return(FALSE)
  }
  isTRUE(suppressWarnings(file.rename(part_path, path)))
}
