# The PostgreSQL database that tests may use, where CLOCKPIGEON_TEST_SERVER names one (make
# server-test): each test gets a schema of its own.
server_address_here <- function(env = parent.frame(), user = NULL) {
  at <- Sys.getenv("CLOCKPIGEON_TEST_SERVER")
  skip_if(!nzchar(at), "no server: make server-test")
  skip_if_not_installed("RPostgres")
  schema <- paste0("t", paste(as.character(openssl::rand_bytes(6)), collapse = ""))
  con <- do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), clockpigeon:::server_address(at)))
  DBI::dbExecute(con, paste("CREATE SCHEMA", schema))
  DBI::dbDisconnect(con)
  withr::defer({
    con <- do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), clockpigeon:::server_address(at)))
    DBI::dbExecute(con, "SET client_min_messages = warning")
    DBI::dbExecute(con, paste("DROP SCHEMA", schema, "CASCADE"))
    DBI::dbDisconnect(con)
  }, envir = env)
  paste0(at, "?options=-csearch_path%3D", schema)
}

server_ledger <- function(env = parent.frame()) {
  ledger <- open_ledger(server_address_here(env))
  withr::defer(close_ledger(ledger), envir = env, priority = "first")
  ledger
}
