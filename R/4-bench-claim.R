# Claims: one process at a time runs a plan. A folder next to the ledger marks it, since making a
# folder is one step that succeeds for one process only. It is removed when the run ends, and
# ignored when its process no longer exists. On a server it is a lock.

# Claims a plan of a ledger; returns the claim, for release_plan(), or NULL for a ledger in memory.
# An error says who has it.
claim_plan <- function(ledger, plan_id) {
  if (ledger$path == ":memory:") return(NULL)
  if (is_server_address(ledger$path)) return(claim_on_server(ledger, plan_id))
  folder <- paste0(ledger$path, "-run-", plan_id)
  for (turn in 1:3) {
    if (dir.create(folder, showWarnings = FALSE)) {
      writeLines(to_json(process_facts()), file.path(folder, "who.json"))
      return(folder)
    }
    who <- claim_owner(folder)
    if (!is_gone(who)) {
      stop_input("plan", paste0("is being run by process ", who$pid, " on ", who$host, ", since ",
                                who$since),
                 short_path(ledger$path), "Wait for it to end, or end it, and ask again.")
    }
    unlink(folder, recursive = TRUE, expand = FALSE)
  }
  stop_input("plan", "cannot be claimed", folder,
             "Remove that folder if no other run exists.")
}

release_plan <- function(claim) {
  if (inherits(claim, "cp_server_claim")) return(claim$release())
  if (length(claim)) unlink(claim, recursive = TRUE, expand = FALSE)
}

# On a server a claim is a lock of the connection, which goes with it.
claim_on_server <- function(ledger, plan_id) {
  lock <- function(what) {
    ask_rows(ledger_connection(ledger),
             paste0("SELECT ", what, "(hashtext(current_schema()), hashtext(?)) AS held"),
             list(plan_id))[["held"]]
  }
  if (!lock("pg_try_advisory_lock")) {
    stop_input("plan", "is being run by another process", ledger$path,
               "Wait for it to end, or end it, and ask again.")
  }
  structure(list(release = function() try(lock("pg_advisory_unlock"), silent = TRUE)),
            class = "cp_server_claim")
}

process_facts <- function() {
  list(pid = Sys.getpid(), host = unname(Sys.info()[["nodename"]]), since = utc_now(),
       began = as.numeric(ps::ps_create_time(ps::ps_handle())))
}

# Owner of a plan's claim as written; a claim that is just being written is read again, for a number
# of seconds.
claim_owner <- function(folder, patience = 5) {
  began <- steady_clock()
  repeat {
    who <- tryCatch(parse_json(text_of_file(file.path(folder, "who.json"), "plan")),
                    error = function(e) NULL)
    if (length(who) || !dir.exists(folder) || steady_clock() - began > patience) return(who)
    Sys.sleep(0.02)
  }
}

# A process of this machine that no longer runs, or whose number another process has. Processes of
# other machines cannot be checked.
is_gone <- function(who) {
  if (is.null(who)) return(TRUE)
  if (!identical(who$host, unname(Sys.info()[["nodename"]]))) return(FALSE)
  began <- tryCatch(as.numeric(ps::ps_create_time(ps::ps_handle(as.integer(who$pid)))),
                    error = function(e) NA)
  is.na(began) || abs(began - who$began) > 1
}
