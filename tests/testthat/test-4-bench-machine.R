# A folder like /proc, with the times given.
fake_proc <- function(busy_s, programs = list()) {
  folder <- scratch(parent.frame())
  write_file(folder, "stat", sprintf("cpu  %d 0 0 500 0 0 0 0", 100 * busy_s), "cpu0 1 2 3")
  write_file(folder, "cpuinfo", "model name\t: Fable 9", "cpu MHz\t\t: 2000.0",
             "cpu MHz\t\t: 3000.0")
  write_file(folder, "meminfo", "MemTotal:       1000000 kB")
  write_file(folder, "loadavg", "0.75 0.5 0.4 1/99 4242")
  for (pid in names(programs)) {
    write_file(folder, file.path(pid, "stat"),
               sprintf("%s (%s) S 1 1 1 0 -1 0 0 0 0 0 %d 0 0 0", pid,
                       programs[[pid]][[1]], 100 * programs[[pid]][[2]]))
  }
  folder
}

test_that("the machine's facts are read where the system tells them, and unknown elsewhere", {
  facts <- clockpigeon:::machine_facts(fake_proc(1))
  expect_identical(facts[c("cpu", "memory_mb")], list(cpu = "Fable 9", memory_mb = 1024))
  expect_identical(clockpigeon:::load_average(fake_proc(1)), 0.75)
  expect_identical(clockpigeon:::cpu_mhz(fake_proc(1)), 2500)
  expect_true(is.na(clockpigeon:::cpu_mhz("/no/such/folder")))
  expect_identical(clockpigeon:::machine_cpu_s(fake_proc(7)), 7)
  found <- clockpigeon:::process_cpu_s(fake_proc(1, list("12" = list("a (b) c", 3L))))
  expect_identical(found, data.frame(pid = "12", program = "a (b) c", cpu_s = 3))
})

test_that("a trial on a busy machine is marked, with the program that made it busy", {
  proc <- fake_proc(100, list("12" = list("grinder", 10)))
  watch <- watch_machine(proc)
  # Ten seconds later others have used eight: six by the grinder.
  file.copy(list.files(fake_proc(108, list("12" = list("grinder", 16))), full.names = TRUE), proc,
            recursive = TRUE, overwrite = TRUE)
  seen <- watch(10, 0)
  expect_true(seen$busy)
  expect_match(seen$conditions, "\"heavy\":\\[?\"grinder 0.6")
  calm <- watch_machine(proc)(10, 0)
  expect_false(calm$busy)
})

test_that("machines are written down once, and every row names its own", {
  ledger <- memory_ledger()
  a <- clockpigeon:::machine_id(ledger, list(cpu = "x", cores = 2))
  expect_identical(clockpigeon:::machine_id(ledger, list(cpu = "x", cores = 2)), a)
  expect_false(identical(clockpigeon:::machine_id(ledger, list(cpu = "x", cores = 4)), a))
  rows <- run_bench(plan_bench(small_shot(), pebble(), frames = 1, repeats = 1), ledger,
                    progress = FALSE)
  facts <- clockpigeon:::ask_rows(ledger$con, "SELECT facts FROM machines WHERE id = ?",
                                  list(rows$machine[1]))
  expect_identical(jsonlite::fromJSON(facts$facts)$cores, clockpigeon:::machine_cores())
  expect_true(all(grepl("others_cores", rows$conditions)))
})
