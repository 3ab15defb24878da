test_that("a node has devices and engines", {
  node <- read_node(demo_file("nodes/loft-2.yaml"))
  expect_identical(node$devices[[1]][c("device", "kind", "count", "share")],
                   list(device = "Quern 80", kind = "gpu", count = 1L, share = 1))
  expect_equal(node$memory, 64 * 2^30)
  expect_identical(node$engines$sundew, c("4.1", "4.2"))
  expect_refusal(read_node(write_file(scratch(), "n.yaml", "node: a",
                                      "devices: [{device: x, kind: card}]")), "choice",
                 "cpu or gpu")
  expect_refusal(read_node(write_file(scratch(), "n.yaml", "node: a",
                                      "devices: [{device: x, kind: cpu, share: 2}]")),
                 "type", "at most 1")
})

test_that("a share of a node's device is threads of a CPU, and capacity of any", {
  node <- read_node(write_file(scratch(), "n.yaml", "node: a", "devices:",
                               "  - {device: card, kind: gpu, count: 2, share: 0.75}",
                               "  - {device: chip, kind: cpu, cores: 8, share: 0.4}"))
  use <- function(kinds, ...)
    clockpigeon:::device_use(node, list(devices = stats::setNames(vector("list", length(kinds)),
                                                                  kinds)), ...)
  expect_identical(use("cpu", "shared")[c("device", "threads", "capacity")],
                   list(device = "chip", threads = 3L, capacity = 3 / 8))
  expect_identical(use("cpu", "all")$capacity, 1)
  expect_identical(use("cpu", NA, threads = 4L)$capacity, 0.5)
  expect_identical(use(c("cpu", "gpu"), "shared")[c("device", "capacity")],
                   list(device = "card", capacity = 1.5))
  expect_true(is.na(use("tape", "all")$device))
})

test_that("a file counts machines only where a scheduler gives them", {
  folder <- scratch()
  room <- read_node(write_file(folder, "room.yaml", "node: room", "count: 40",
                               "devices: [{device: chip, kind: cpu}]",
                               "launch: {by: cluster, wait: 2min, options: '#SBATCH --partition=farm'}"))
  expect_identical(room$count, 40L)
  expect_identical(room$launch$wait, 120)
  expect_identical(room$launch$command, "sbatch")
  expect_refusal(read_node(write_file(folder, "loft.yaml", "node: loft", "count: 2",
                                      "devices: [{device: chip, kind: cpu}]")),
                 "node", "counts 2 machines and no scheduler gives them")
  expect_identical(read_node(write_file(folder, "one.yaml", "node: one",
                                        "devices: [{device: chip, kind: cpu}]"))$count, 1L)
})
