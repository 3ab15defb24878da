# Rows of timings: writing to the ledger and reading from it.

#' Add timings to a ledger
#'
#' @param ledger A ledger from [open_ledger()].
#' @param x A data frame with columns of a timing (see [timings()]); absent columns are `NA`.
#'   `activity`, `status` and `kind` must be there.
#' @param replaces Ids of older rows that these rows correct, one for each row of `x`. The older
#'   rows stay in the file and are left out of what [timings()] returns.
#' @return The ids of the new rows, invisibly. Either all rows are added or none.
#' @section Conditions: `clockpigeon_error_timing` for a value that does not fit its column,
#'   `clockpigeon_error_field` for an unknown column, `clockpigeon_error_ledger` when the file
#'   cannot be written or a row to replace is not there.
#' @examples
#' ledger <- open_ledger(":memory:")
#' row <- data.frame(activity = "render", scene = "gears", frame = 1, wall_s = 81,
#'                   status = "ok", kind = "typed")
#' id <- add_timings(ledger, row)
#' add_timings(ledger, transform(row, wall_s = 18), replaces = id)
#' timings(ledger)$wall_s
#' close_ledger(ledger)
#' @export
add_timings <- function(ledger, x, replaces = NULL) {
  check_ledger(ledger)
  x <- as_timings(x)
  if (!nrow(x)) return(invisible(character()))
  if (length(replaces) && length(replaces) != nrow(x)) {
    stop_input("ledger", paste("got", length(replaces), "ids for", nrow(x), "rows"),
               argument("replaces"), "Name one older row for each.")
  }
  add_rows(ledger, x, if (length(replaces)) function(con, ids)
           add_corrections(ledger, replaces, ids))
}

# Adds checked timings, and what belongs to them (`also(con, ids)`), in one transaction; returns the
# ids.
add_rows <- function(ledger, x, also = NULL) {
  blank <- is.na(x[["id"]])
  if (all(blank)) x[["id"]] <- new_ids(nrow(x)) else x[["id"]][blank] <- new_ids(sum(blank))
  if (anyNA(x[["measured_at"]])) x[["measured_at"]][is.na(x[["measured_at"]])] <- utc_now()
  rows <- as_frame(x)
  write <- function() write_timings(ledger, rows, also, rows[["id"]][!blank])
  # The attributes of ledger rows need the ledger.
  if (is.null(also)) kept_safe(ledger, "timings", rows, write, timings_again(ledger)) else write()
  invisible(rows[["id"]])
}

# How timings are added that waited for a server.
timings_again <- function(ledger) function(rows, job) write_timings(ledger, rows, once = TRUE)

# `given`: ids that were not made here. `once`: rows whose id is there already add nothing.
write_timings <- function(ledger, rows, also = NULL, given = character(), once = FALSE) {
  con <- ledger_connection(ledger)
  for (flag in names(timing_columns)[timing_columns == "flag"])
    rows[[flag]] <- as.integer(rows[[flag]])
  said <- names(rows)[!vapply(rows, function(column) is.na(column[1]) && all(is.na(column)), NA)]
  tryCatch(
    write_ledger(con, function() {
      check_new_ids(ledger, given)
      rows[["setting"]] <- setting_ids(con, rows, row_codes(rows, intersect(setting_columns, said)))
      insert_rows(con, "runs", rows[c(setdiff(said, setting_columns), "setting")], once)
      if (length(also)) also(con, rows[["id"]])
      # A large import is faster without the index, and the next writer makes it.
      if (nrow(rows) < 1e5) index_settings(con)
      seal_timings(con)
    }),
    clockpigeon_error = function(e) stop(e),
    error = function(e)
    stop_input("ledger", paste("the rows were not added:", one_line(conditionMessage(e))),
               short_path(ledger$path), if (grepl("disk is full", conditionMessage(e))) {
                 "Nothing was changed. Make room on the disk, and try again."
               } else {
                 "Nothing was changed."
               }, parent = e)
  )
}

# Which of these ids are in the ledger.
known_ids <- function(ledger, ids) {
  unlist(lapply(history_parts(ledger), function(part) {
    ask_rows(part$con, "SELECT id FROM runs WHERE id IN (SELECT value FROM json_each(?))",
             params = list(as.character(jsonlite::toJSON(ids))))[["id"]]
  }))
}

check_new_ids <- function(ledger, ids) {
  if (!length(ids)) return(invisible())
  old <- c(ids[duplicated(ids)], known_ids(ledger, ids))
  if (length(old)) {
    stop_input("ledger", paste("two rows would have the id", show_value(old[1])), argument("x"),
               "Leave `id` out, or empty. Nothing was changed.")
  }
}

add_corrections <- function(ledger, old, new) {
  lost <- setdiff(old, known_ids(ledger, unname(old)))
  if (length(lost)) {
    stop_input("ledger", paste0("has no row ", show_value(lost[1])), argument("replaces"),
               "Nothing was changed.")
  }
  insert_rows(ledger$con, "corrections", list(old_id = unname(old), new_id = new))
}

#' Timings of a ledger
#'
#' A timing is one row of evidence: what ran, where, under which setting, how long, how it ended,
#' and how we know.
#'
#' Columns: `id`, `measured_at` (UTC), `activity` (render, load, ...), `shot`, `scene`, `frame`,
#' `piece`, `engine`, `engine_version`, `limit_kind` (samples, noise, time, or several joined by
#' `+`), `limit_value` (of the first kind), `width`, `height` (pixels), `features` (JSON), `node`,
#' `device`, `device_count`, `threads`, `capacity` (devices' worth used), `site`, `tier`, `wall_s`,
#' `load_s`, `compute_s`, `cpu_s` (seconds), `peak_mem_mb` (1e6 bytes), `samples_done` (mean per
#' pixel), `work` (what the engine counted of its own work, such as rays), `noise` (standard error
#' over brightness), `billed`, `cost_basis` (billed: from the site's bill, metered: by its meter
#' while it ran, priced: worked out from its card), `currency`, `status` (ok, failed, timed_out,
#' unsupported, incomplete, unusable), `kind` (measured, reported, typed, estimated), `precision`
#' (exact, about), `warm` (`FALSE`: a warm-up, or the first frame of a process that made several),
#' `run_order`, `repeat` (0 is a warm-up), `load_average` (before), `busy` (others used the
#' machine), `machine` (id of its facts), `conditions` (JSON: cores used by others, heavy programs,
#' clock rate, throttling), `plan_id`, `job` (name of the job that it was rendered for), `output`,
#' `note`. Missing is `NA`, never zero.
#'
#' @param ledger A ledger from [open_ledger()].
#' @param ... Conditions as `column = values`: rows whose column is one of the values.
#' @param replaced `TRUE` to include rows that a later one corrects.
#' @return A tibble, one row a timing, in the order they were added.
#' @section Conditions: `clockpigeon_error_field` for a condition on an unknown column,
#'   `clockpigeon_error_ledger` for a closed ledger.
#' @examples
#' ledger <- open_ledger(":memory:")
#' add_timings(ledger, example_timings())
#' there <- timings(ledger, scene = "gears", site = c("quayside", "saltmill"))
#' there[c("site", "frame", "wall_s", "note")]
#' close_ledger(ledger)
#' @export
timings <- function(ledger, ..., replaced = FALSE) {
  con <- ledger_connection(ledger)
  replaced <- check_flag(replaced, argument("replaced"))
  want <- list(...)
  odd <- setdiff(names(want), names(timing_columns))
  if (length(want) && (is.null(names(want)) || length(odd))) {
    stop_input("field", paste0("unknown column `", odd[1], "`"), "a condition of timings()",
               "Write conditions as `scene = \"gears\"`.")
  }
  select_timings(ledger, sql_conditions(want), want, replaced)
}

# Conditions on columns as SQL, their values left to be bound.
sql_conditions <- function(want) {
  vapply(names(want), function(name) {
    sprintf("\"%s\" IN (%s)", name, paste(rep("?", length(want[[name]])), collapse = ", "))
  }, "")
}

select_timings <- function(ledger, where, want, replaced = FALSE) {
  rows <- from_all_parts(ledger, function(part) select_here(part, where, want, replaced))
  new_timings(rows[names(timing_columns)])
}

# The same of one part, with the rows' places.
select_here <- function(part, where, want, replaced = FALSE) {
  if (!replaced) where <- c(where, "id NOT IN (SELECT old_id FROM corrections)")
  sql <- paste("SELECT * FROM timings",
               if (length(where)) paste("WHERE", paste(where, collapse = " AND ")),
               "ORDER BY place")
  rows <- ask_ledger(ledger_connection(part), sql,
                     params = if (length(want))
                     unname(unlist(lapply(want, as.list), recursive = FALSE)))
  cbind(place = as.numeric(rows[["place"]]),
        typed_columns(all_columns(rows, names(timing_columns))))
}

# Timings to compare from a ledger: filtered and ordered in the database, one number, one time and
# one flag per row.
#' @exportS3Method
as_runs.cp_ledger <- function(x, activity = "render", time = "wall") { # nolint: object_name_linter.
  runs_of_ledger(x, list(), activity, time)
}

# A part of a ledger, that of some engines and scenes, to be compared as a ledger is.
ledger_part <- function(ledger, want)
  structure(list(ledger = ledger, want = want), class = "cp_ledger_part")

#' @exportS3Method
# nolint: object_name_linter.
as_runs.cp_ledger_part <- function(x, activity = "render", time = "wall") {
  runs_of_ledger(x$ledger, x$want, activity, time)
}

# Timings of a part of a ledger whose pictures were kept.
timings_with_pictures <- function(ledger, want) {
  select_timings(ledger, c(sql_conditions(want),
                           "place IN (SELECT rowid FROM runs WHERE output IS NOT NULL)"), want)
}

# Above this number of timings a comparison uses about this many of them.
compared_whole <- 1e6
compared_part <- 100000

# Runs and their settings from all parts of a ledger's history, in order of time.
runs_of_ledger <- function(x, want, activity, time) {
  parts <- lapply(history_parts(x), runs_of_part, want, activity, time)
  if (length(parts) == 1) {
    rows <- parts[[1]]$rows
    settings <- parts[[1]]$settings
  } else {
    # Each part has its own numbers of settings.
    settings <- do.call(rbind, lapply(parts, `[[`, "settings"))
    code <- row_codes(settings, setting_columns)
    before <- cumsum(c(0, vapply(parts, function(part) nrow(part$settings), 0L)))
    rows <- do.call(rbind, lapply(seq_along(parts), function(k) {
      transform(parts[[k]]$rows, setting = code[before[k] + parts[[k]]$rows[["setting"]]])
    }))
    rows <- rows[order(rows[["measured_at"]], rows[["run_order"]], na.last = FALSE,
                       method = "radix"), , drop = FALSE]
    settings <- settings[!duplicated(code), , drop = FALSE]
  }
  row.names(settings) <- NULL
  list(settings = settings, setting = rows[["setting"]], wall_s = rows[["wall_s"]],
       samples_done = as.numeric(rows[["samples_done"]]), work = as.numeric(rows[["work"]]),
       sample = rows[["sample"]] == 1, session = session_codes(rows[["session"]]),
       turn = turn_codes(rows[["turn"]]), left_out = unlist(lapply(parts, `[[`, "says")))
}

# Timings to compare from one part of a ledger: `rows`, in the order in which they were measured,
# their `settings`, and a note on those that were not read.
runs_of_part <- function(x, want, activity, time) {
  con <- ledger_connection(x)
  # An older ledger that is only read has no such column.
  counted <- if ("work" %in% lacking_columns(con)) "NULL AS work" else "work"
  where <- paste(c(paste0("activity = '", activity, "'"), sql_conditions(want)), collapse = " AND ")
  params <- unname(as.list(unlist(want)))
  whole <- most_of_part(x, compared_whole)
  part <- paired_runs(con, where, params, whole, max(1, ceiling(compared_part * x$share)),
                      round(x$last * x$share))
  of <- first_of(part, list(with = "", params = params, from = paste0(
    "FROM runs WHERE setting IN (SELECT setting FROM settings WHERE ", where, ")"
  ), settings = where))
  # Only what several parts are ordered by.
  order <- if (length(x$archives) || length(x$heard)) "measured_at, run_order, " else ""
  rows <- ask_ledger(con, paste0(
    of$with, " SELECT runs.setting, ", order, time, "_s AS wall_s, samples_done, ", counted,
    ", CASE WHEN note LIKE '", sample_mark, "%' THEN 1 ELSE 0 END AS sample, \"repeat\" AS turn, ",
    "coalesce(plan_id, substr(measured_at, 1, 10)) AS session ", of$from, " AND status = 'ok' AND ",
    time, "_s > 0 ",
    "AND coalesce(\"repeat\", 1) > 0 AND coalesce(warm, 1) <> 0 AND id NOT IN (SELECT old_id ",
    "FROM corrections) ", "ORDER BY measured_at, run_order NULLS FIRST, runs.rowid"
  ), of$params)
  settings <- ask_rows(con, paste(of$with, "SELECT * FROM settings WHERE", of$settings), of$params)
  used <- unique(rows[["setting"]])
  settings <- all_columns(settings[match(used, settings[["setting"]]), , drop = FALSE],
                          setting_columns)
  rows[["setting"]] <- match(rows[["setting"]], used)
  list(settings = typed_columns(settings), rows = rows, says = part$says)
}

# Keeps the record of a plan that is about to run: its seed, its options and its first trials.
add_plan <- function(ledger, name, seed, options, trials) {
  con <- ledger_connection(ledger)
  id <- new_ids(1)
  write_ledger(con, function() {
    insert_rows(con, "plans", list(id = id, made_at = utc_now(), name = name, seed = seed,
                                   options = to_json(options)))
    insert_rows(con, "blocks", list(plan_id = id, block = 1L, trials = to_json(trials)))
  })
  id
}

# Adds a block of trials to a plan that runs on.
add_block <- function(ledger, plan_id, block, trials) {
  con <- ledger_connection(ledger)
  write_ledger(con, function() {
    insert_rows(con, "blocks", list(plan_id = plan_id, block = block, trials = to_json(trials)))
  })
}

# The latest plan of a name or id (of any when NULL) as it was kept: list(id, name, seed, options,
# trials, blocks), or NULL.
kept_plan <- function(ledger, name = NULL, id = NULL) {
  con <- ledger_connection(ledger)
  want <- Filter(length, list(name = name, id = id))
  plan <- ask_rows(con, paste("SELECT * FROM plans",
                              if (length(want)) paste("WHERE", names(want)[1], "= ?"),
                                     "ORDER BY rowid DESC LIMIT 1"),
                   params = if (length(want)) unname(want[1]))
  if (!nrow(plan)) return(NULL)
  blocks <- ask_rows(con, "SELECT trials FROM blocks WHERE plan_id = ? ORDER BY block",
                     params = list(plan$id))
  trials <- lapply(blocks$trials, jsonlite::parse_json, simplifyVector = TRUE)
  list(id = plan$id, name = plan$name, seed = plan$seed,
       options = jsonlite::parse_json(plan$options, simplifyVector = TRUE),
       trials = do.call(rbind, trials), blocks = length(trials))
}

# The memory of machines by their id, in MB (1e6 bytes); NA where it is not known.
machine_memory <- function(ledger, ids) {
  known <- ask_rows(ledger_connection(ledger),
                           "SELECT id, json_extract(facts, '$.memory_mb') AS mb FROM machines")
  as.numeric(known[["mb"]])[match(ids, known[["id"]])]
}

# The id of a machine with these facts; it is written down when it is new.
machine_id <- function(ledger, facts) {
  con <- ledger_connection(ledger)
  facts <- to_json(facts)
  find <- function()
    ask_rows(con, "SELECT id FROM machines WHERE facts = ?", params = list(facts))[["id"]]
  if (!length(find())) {
    write_ledger(con, function() {
      if (!length(find())) insert_rows(con, "machines", list(id = new_ids(1), facts = facts))
    })
  }
  find()[1]
}
