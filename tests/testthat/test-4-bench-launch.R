node_of <- function(launch) {
  read_node(write_file(scratch(parent.frame()), "desk.yaml", "node: desk",
                       "devices: [{device: chip, kind: cpu}]", launch))
}

test_that("a host can be neither an option of ssh nor a command, and options are lines of comments", {
  host <- function(x) node_of(paste0("launch: {by: ssh, host: ", shQuote(x), "}"))$launch$host
  for (good in c("loft-1", "lena@loft-1", "lena@10.0.0.7:2222", "[::1]", "root@[fe80::1]:22")) {
    expect_identical(host(good), good)
  }
  for (bad in c("x;echo PWNED>f;@127.0.0.1", "-oProxyCommand=x", "a b", "$(id)@x", "`id`", "x|y",
                "x:port", "lena@-x", "a@b@c")) {
    expect_refusal(host(bad), "type", "Write a name or an address")
  }
  expect_refusal(node_of("launch: {by: ssh, host: x, listen: 'tcp://0.0.0.0:5555'}"), "type",
                 "tls+tcp://ADDRESS:PORT")
  expect_refusal(node_of("launch: {by: cluster, options: \"#SBATCH -p x\\ntouch /tmp/x\"}"), "type",
                 "Begin each line with #")
  expect_identical(clockpigeon:::ssh_target("lena@[::1]:2222"),
                   list(host = "lena@::1", port = "2222"))
  expect_identical(clockpigeon:::ssh_target("loft-1"), list(host = "loft-1", port = "22"))
})

test_that("a scheduler's command is split into words, and no shell reads it", {
  expect_identical(clockpigeon:::command_words("sbatch --account 'a b'"),
                   c("sbatch", "--account", "a b"))
  at <- scratch()
  said <- clockpigeon:::ask_scheduler(paste0("echo 7; touch ", at, "/pwned"))
  expect_identical(said$status, 0L)
  expect_length(list.files(at), 0)
  expect_identical(clockpigeon:::ask_scheduler("no-such-scheduler")$status, 127L)
})

test_that("workers of this machine talk through a socket in a folder of ours alone", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  address <- clockpigeon:::private_address()
  expect_match(address, "^ipc:///")
  expect_lt(nchar(address), 100)
  expect_identical(as.character(file.mode(dirname(sub("^ipc://", "", address)))), "700")
  withr::with_envvar(c(TMPDIR = strrep("x", 80)),
                     expect_match(clockpigeon:::private_address(), "^ipc:///"))
  long <- clockpigeon:::short_folder()
  expect_identical(as.character(file.mode(long)), "700")
  unlink(long, recursive = TRUE)
})

test_that("a process that has the certificate and not the secret receives no task", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  profile <- "clockpigeon-test-secret"
  call <- clockpigeon:::listen_for_node(profile, "tls+tcp://127.0.0.1:0")
  withr::defer(mirai::daemons(0, .compute = profile))
  run <- function(call) {
    script <- withr::local_tempfile(lines = clockpigeon:::call_line(call),
                                    .local_envir = parent.frame())
    log <- withr::local_tempfile(.local_envir = parent.frame())
    process <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("--no-init-file", "-"),
                                     stdin = script, stdout = log, stderr = "2>&1",
                                     cleanup_tree = TRUE)
    withr::defer(process$kill_tree(), envir = parent.frame())
    process
  }
  connected <- function() as.integer(mirai::status(.compute = profile)$connections)
  tasks <- lapply(1:3, function(k) mirai::mirai(Sys.getpid(), .compute = profile))
  # What a stranger can read from the handshake: the certificate and the port. The path stays within
  # TLS.
  for (path in c("", "/", "/00000000000000000000000000000000")) {
    stranger <- call
    stranger[[2]] <- sub("/[0-9a-f]+$", path, call[[2]])
    process <- run(stranger)
    process$wait(20000)
    expect_false(process$is_alive(), info = path)
  }
  expect_identical(connected(), 0L)
  expect_true(all(vapply(tasks, mirai::unresolved, NA)))
  ours <- run(call)
  # Nothing of the secret or the certificate is an argument of the node.
  secret <- sub(".*/", "", call[[2]])
  expect_true(wait_until(function() connected() == 1L))
  if (dir.exists("/proc/self")) {
    arguments <- vapply(ps::ps_pids(), function(pid) {
      paste(tryCatch(ps::ps_cmdline(ps::ps_handle(pid)), error = function(e) ""), collapse = " ")
    }, "")
    expect_false(any(grepl(secret, arguments, fixed = TRUE)))
  }
  answered <- vapply(tasks, function(task) clockpigeon:::wait_for(task)$value, 0L)
  expect_identical(unique(answered), ours$get_pid())
})

test_that("a node that answers with code is not listened to", {
  plain <- clockpigeon:::is_plain
  expect_true(plain(list(rows = list(list(shot = "s", wall_s = 1.5, at = Sys.time())),
                         none = NULL)))
  expect_true(plain(data.frame(a = 1:2, b = c("x", NA))))
  expect_false(plain(list(a = function() 1)))
  expect_false(plain(quote(system("id"))))
  expect_false(plain(globalenv()))
  expect_false(plain(structure(1, hook = function() 1)))
  expect_false(plain(structure(list(), class = "other")))
})
