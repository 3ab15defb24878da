# Records of a large folder are kept in the user's cache, by each file's size and time, so that the
# next command reads only changed files. Folders of few files are read again: that is as fast.

cached_from <- 40L  # files in a folder

# Reads files with `read`, and takes unchanged ones from the cache. `kind` names the records.
read_cached <- function(files, read, kind) {
  if (length(files) < cached_from) return(lapply(files, read))
  facts <- file.info(files, extra_cols = FALSE)
  # Format each time separately: format() would write all with as many digits as one of them needs.
  stamp <- paste(facts$size, sprintf("%.9f", as.numeric(facts$mtime)), package_stamp())
  store <- cache_path(dirname(files[1]), kind)
  kept <- tryCatch(readRDS(store), error = function(e) NULL, warning = function(w) NULL)
  at <- match(paste(files, stamp), kept$keys)
  records <- vector("list", length(files))
  records[!is.na(at)] <- kept$records[at[!is.na(at)]]
  for (i in which(is.na(at))) records[[i]] <- read(files[i])
  # A file written within the last seconds may be written again in the same tick of its clock.
  fresh <- as.numeric(Sys.time()) - as.numeric(facts$mtime) < 3
  if (anyNA(at) && !all(fresh)) {
    write_cache(list(keys = ifelse(fresh, "", paste(files, stamp)), records = records), store)
  }
  records
}

package_stamp <- function() {
  built <- file.mtime(system.file("Meta", "package.rds", package = "clockpigeon"))
  paste(getNamespaceVersion("clockpigeon")[[1]], built)
}

cache_path <- function(folder, kind) {
  file.path(tools::R_user_dir("clockpigeon", "cache"),
            paste0(kind, "-", text_hash(real_path(folder)), ".rds"))
}

# A cache that cannot be written is skipped without a message.
write_cache <- function(what, path) {
  part <- paste0(path, "-", Sys.getpid())
  tryCatch({
    dir.create(dirname(path), recursive = TRUE, showWarnings = FALSE)
    saveRDS(what, part, compress = FALSE)
    file.rename(part, path)
  }, error = function(e) NULL, warning = function(w) NULL)
  unlink(part, expand = FALSE)
  invisible()
}

# Results of long computations, kept by a hash of their inputs (`from`): computed once, and found
# the next time if `still` valid. The twenty newest of a kind are kept.
read_or_make_cached <- function(kind, from, make, least_s = 1, still = function(value) TRUE) {
  key <- paste(openssl::md5(serialize(list(from, package_stamp()), NULL, xdr = FALSE)))
  path <- file.path(tools::R_user_dir("clockpigeon", "cache"), paste0(kind, "-", key, ".rds"))
  kept <- if (file.exists(path))
    tryCatch(readRDS(path), error = function(e) NULL, warning = function(w) NULL)
  if (length(kept) && still(kept$value)) return(kept$value)
  began <- steady_clock()
  value <- make()
  if (steady_clock() - began >= least_s && utils::object.size(value) < 2e8) {
    write_cache(list(value = value), path)
    old <- list.files(dirname(path), paste0("^", kind, "-[0-9a-f]+[.]rds$"), full.names = TRUE)
    unlink(utils::head(old[order(file.mtime(old))], -20), expand = FALSE)
  }
  value
}

# Hash of all inputs of a project's answers: its files by name, size and time, and the stamp of a
# ledger on a server (`said`).
project_stamp <- function(project, said = NULL) {
  folders <- c("shots", "nodes", "engines", "sites", "manifests", "jobs", "rates", "assets")
  files <- c(file.path(project$root, "clockpigeon.yaml"), project$ledger,
             paste0(project$ledger, "-wal"),
             list.files(file.path(project$root, folders), recursive = TRUE, full.names = TRUE))
  facts <- file.info(files[file.exists(files)], extra_cols = FALSE)
  text_hash(paste(c(project$root, said, rownames(facts), facts$size,
                    format(as.numeric(facts$mtime), digits = 20)),
                  collapse = "\n"))
}

# The prior that timings teach, learned once.
learned_prior <- function(timings) {
  timings <- filled_timings(timings, argument("timings"))
  used <- c(names(timing_keys), "status", "activity", "repeat", "warm")
  read_or_make_cached("prior", as_frame(timings)[used], function() learn_curve_prior(timings))
}
