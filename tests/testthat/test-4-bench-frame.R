test_that("a file comes over in parts, and gets its name only when it is whole and right", {
  at <- scratch()
  bytes <- as.raw(sample(0:255, 2500, TRUE))
  writeBin(bytes, file.path(at, "a"))
  first <- clockpigeon:::read_host_part(at, "a", 0, 1000)
  expect_identical(first$size, 2500)
  expect_identical(first$bytes, bytes[1:1000])
  sum <- first$sha256
  there <- scratch()
  put <- function(from, sha = sum) {
    clockpigeon:::host_write(there, "x/a", from, bytes[from + seq_len(min(1000, 2500 - from))],
                             2500, sha)
  }
  expect_false(put(0))
  expect_false(put(2000))  # out of turn
  expect_false(put(1000))
  expect_false(file.exists(file.path(there, "x/a")))
  expect_true(put(2000))
  expect_identical(clockpigeon:::host_files(there, c("x/a", "x/b")), c(sum, NA))
  for (from in c(0, 1000)) put(from)
  expect_false(put(2000, sha = "wrong"))
  expect_false(file.exists(file.path(there, "x/a.part")))
  # Begun anew after a part was lost.
  for (from in c(0, 0, 1000)) put(from)
  expect_true(put(2000))
})

test_that("processes that carry a mark are ended, and no others", {
  skip_on_os("windows")
  start <- function(mark)
    processx::process$new("sleep", "30", env = c("current", CLOCKPIGEON_SLOT = mark))
  mine <- start("test-job/run-1/a")
  later <- start("test-job/run-2/a")
  other <- start("another/run-1/a")
  withr::defer(for (p in list(mine, later, other)) p$kill())
  ended <- clockpigeon:::kill_marked(function(x) startsWith(x, "test-job/") &
                                     !startsWith(x, "test-job/run-2/"))
  mine$wait(3000)
  expect_identical(ended, mine$get_pid())
  expect_false(mine$is_alive())
  expect_true(later$is_alive() && other$is_alive())
})

test_that("a frame is made beside its place, and what is not good never gets its name", {
  at <- scratch()
  engine <- script_engine(at, "[ $2 = 2 ] && exit 1", paste("cp", one_pixel(at), "$1"),
                          "echo load 0.01 compute 0.1")
  host <- clockpigeon:::set_up_host(data.frame(engine = "script", version = NA_character_),
                                    list(script = engine),
                                    clockpigeon:::this_node())
  bench <- c(list(engines = list(script = engine), folder = at, making = "making",
                  options = list(time_limit = 10)), host)
  trials <- clockpigeon:::part_trials(list(shots = list(small_shot(frames = 1:2)), version = NA),
                                      engine, NULL)
  trials$version <- NA_character_
  frame <- function(i, bench)
    clockpigeon:::host_frame(as.list(trials[i, ]), bench, sprintf("out/%d.png", i), "run")
  good <- frame(1, bench)
  expect_identical(good$rows[[1]]$status, "ok")
  expect_identical(good$rows[[1]]$output, "out/1.png")
  expect_identical(frame(2, bench)$rows[[1]]$status, "failed")
  expect_identical(list.files(file.path(at, "out")), "1.png")
  expect_length(list.files(file.path(at, "making")), 0)
  bench$node$keep_free <- 1e15
  expect_match(frame(1, bench)$wait, "of memory are free")
})
