# Files of a stand-in: requests, events, keys and uploads. Everything else follows from these, so
# that a killed one continues where it was.

# Open the folder in which a farm keeps its jobs and files.
open_farm_store <- function(folder) {
  dir.create(file.path(folder, "files"), FALSE, TRUE)
  check_folder_open(folder)
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "standin.sqlite"),
                        synchronous = "normal")
  DBI::dbExecute(con, "PRAGMA journal_mode = WAL")
  for (table in c(
    paste0("jobs (id TEXT PRIMARY KEY, site TEXT NOT NULL, placed REAL NOT NULL, request TEXT ",
           "NOT NULL, deleted REAL)"),
    paste0("events (job TEXT NOT NULL, number INTEGER NOT NULL, event TEXT NOT NULL, PRIMARY ",
           "KEY (job, number))"),
    "keys (site TEXT NOT NULL, key TEXT NOT NULL, body TEXT NOT NULL, status INTEGER NOT NULL,
     answer TEXT NOT NULL, PRIMARY KEY (site, key))",
    "parts_read (job TEXT NOT NULL, shot TEXT NOT NULL, frame INTEGER NOT NULL,
     part INTEGER NOT NULL, PRIMARY KEY (job, shot, frame, part))",
    "clock (begun REAL NOT NULL, wall REAL NOT NULL, speed REAL NOT NULL)"
  )) DBI::dbExecute(con, paste("CREATE TABLE IF NOT EXISTS", table))
  con
}

store_put <- function(con, table, row, verb = "INSERT") {
  marks <- paste(rep("?", length(row)), collapse = ", ")
  DBI::dbExecute(con, paste0(verb, " INTO ", table, " (", toString(names(row)), ") VALUES (", marks,
                             ")"),
                 params = unname(row))
}

# The farm's clock in seconds since 1970. It goes on through a restart, `speed` times as fast as
# ours. A simulated clock (CLOCKPIGEON_NOW=@FILE) is the farm's clock too: time passes there when
# the client says so, however slow the machine.
farm_clock <- function(con, speed, wall = wall_clock) {
  if (has_clock_file()) return(function() as.numeric(this_moment()))
  kept <- DBI::dbGetQuery(con, "SELECT * FROM clock")
  if (!nrow(kept)) {
    kept <- data.frame(begun = wall(), wall = wall(), speed = speed)
    store_put(con, "clock", as.list(kept))
  }
  function() kept[["begun"]][1] + (wall() - kept[["wall"]][1]) * kept[["speed"]][1]
}
