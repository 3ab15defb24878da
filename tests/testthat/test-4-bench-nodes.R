local_node <- function(name, ...) {
  read_node(write_file(scratch(parent.frame()), paste0(name, ".yaml"), paste("node:", name),
                       "devices: [{device: chip, kind: cpu, cores: 2}]", ...))
}

test_that("a node is reached over an encrypted connection, and says what is on it", {
  skip_if_not_installed("mirai")
  nodes <- list(local_node("desk"), cluster_node(scratch(), "shelf"))
  x <- node_readiness(nodes, list(pebble()), "pebble", ">=1.0 <2", seen = "desk")
  expect_identical(x$reachable, c(TRUE, TRUE))
  expect_identical(x$ready, c(TRUE, TRUE))
  expect_identical(x$contributing, c(TRUE, FALSE))
  expect_identical(x$versions, rep("pebble 1.0 1.1", 2))
  expect_true(all(x$memory_mb > 100 & x$disk_mb > 1 & x$link_mb_s > 0))
  expect_true(all(abs(x$clock_offset_s) < 1))
  other <- node_readiness(nodes[1], list(pebble()), "pebble", "2.0")
  expect_false(other$ready)
  expect_match(
    other$says, "has pebble 1.0 or 1.1, asked is 2.0: install that there, or ask for 1.0 or 1.1",
    fixed = TRUE)
})

test_that("a node that does not answer is listed, and nothing more", {
  skip_if_not_installed("mirai")
  deaf <- local_node("deaf", "launch: {by: cluster, command: 'echo 7 #'}")
  x <- node_readiness(deaf, list(pebble()), timeout = 1)
  expect_identical(c(x$reachable, x$ready, x$contributing), c(FALSE, FALSE, FALSE))
  expect_match(x$says, "does not answer")
  lines <- clockpigeon:::readiness_lines(x)
  expect_identical(lines[1], "1 listed, 0 reachable, 0 ready, 0 contributing")
})

test_that("an engine that is not there is said, with the side to move", {
  trouble <- function(...) clockpigeon:::version_trouble(list(node = "a"), ...)
  expect_match(trouble(list(sundew = character()), "4.2"),
               "has no sundew: install sundew 4.2 there")
  expect_match(trouble(list(sundew = character()), NULL), "none of the engines")
  expect_true(is.na(trouble(list(sundew = "4.2"), "4.2")))
  missing <- pebble()
  missing$program <- "no-such-renderer"
  expect_identical(clockpigeon:::installed_versions(missing), character())
  expect_refusal(local_node("x", "launch: {by: ssh}"), "node", "host")
})

test_that("nodes of one address share a certificate, and a node with another one is refused", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  first <- clockpigeon:::certificate_of("127.0.0.1")
  expect_identical(clockpigeon:::certificate_of("127.0.0.1"), first)
  expect_match(first$server[2], "PRIVATE KEY")
  expect_no_match(first$client, "PRIVATE KEY")
  profile <- "clockpigeon-test-tls"
  mirai::daemons(url = "tls+tcp://127.0.0.1:0", tls = first$server, .compute = profile)
  withr::defer(mirai::daemons(0, .compute = profile))
  line <- function(client) {
    as.character(mirai::launch_remote(1, remote = mirai::remote_config(
      rscript = paste(file.path(R.home("bin"), "Rscript"), "--no-init-file")), tlscert = client,
                                      .compute = profile))
  }
  connected <- function() mirai::status(.compute = profile)$connections
  wrong <- unname(nanonext::write_cert(cn = "127.0.0.1")$client)
  log <- withr::local_tempfile()
  ran <- processx::run("/bin/sh", c("-c", line(wrong)), stdout = log, stderr = "2>&1",
                       error_on_status = FALSE, timeout = 60)
  expect_true(ran$status != 0)
  expect_match(readLines(log), "Cryptographic", all = FALSE)
  expect_identical(as.integer(connected()), 0L)
  # With the right one the same line connects.
  right <- processx::process$new("/bin/sh", c("-c", line(first$client)))
  withr::defer(right$kill_tree())
  expect_true(wait_until(function() connected() == 1))
})

test_that("nodes are reached by SSH, through tunnels and by an address, several at once", {
  skip_if_not(nzchar(Sys.getenv("CLOCKPIGEON_TEST_SSH")),
              "no sshd beside the tests (make cluster-test)")
  host <- paste0("root@127.0.0.1:", Sys.getenv("CLOCKPIGEON_TEST_SSH"))
  node <- function(name, more = "")
    local_node(name, paste0("launch: {by: ssh, host: '", host, "'", more, "}"))
  nodes <- list(node("loft-1"), node("loft-2"), node("loft-3", ", listen: 'tls+tcp://127.0.0.1:0'"))
  x <- node_readiness(nodes, list(pebble()), "pebble", "1.1")
  expect_true(all(x$ready))
  # All at once: each has a port of its own.
  for (one in nodes) {
    withr::defer(clockpigeon:::close_node(one))
    expect_true(clockpigeon:::open_node(one))
  }
  ask <- function(one)
    clockpigeon:::wait_for(clockpigeon:::ask_node(one, Sys.getenv, list("SSH_CLIENT")))
  there <- lapply(nodes, ask)
  expect_true(all(nzchar(vapply(there, `[[`, "", "value"))))
  at <- scratch()
  rows <- run_bench(plan_bench(small_shot(frames = 1:4),
                               script_engine(at, paste("cp", one_pixel(at), "$1"),
                                             "echo load 0.01 compute 0.1"),
                               frames = 1:2, repeats = 1, options = bench_options(warmups = 0)),
                    memory_ledger(), nodes[[3]], progress = FALSE)
  expect_identical(rows$status, rep("ok", 2))
  expect_identical(unique(rows$node), "loft-3")
  nowhere <- local_node("nowhere", "launch: {by: ssh, host: 'root@127.0.0.1:1'}")
  expect_identical(node_readiness(nowhere, list(pebble()), timeout = 3)$says,
                   "it does not answer: start it, or look at `launch` in its file")
})
