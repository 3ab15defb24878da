test_that("a set of devices is a kind, and which of it", {
  parse <- function(x) clockpigeon:::parse_devices(x, "here")
  expect_null(parse("all"))
  expect_null(parse(NA))
  expect_identical(parse("gpu"), list(kind = "gpu", index = NULL))
  expect_identical(parse("gpu 0+2"), list(kind = "gpu", index = c("0", "2")))
  expect_identical(parse("cpu all"), list(kind = "cpu", index = NULL))
  for (odd in c("gpu x", "card 0", "gpu 0,1", ""))
    expect_refusal(parse(odd), "devices", c("here", "gpu 0+1"))
})

test_that("ways of devices are read, and what is odd in them is refused", {
  read <- function(...)
    read_engine(write_file(scratch(), "e.yaml", "engine: a", "program: sh", "arguments: [x]",
                           "limits: [samples]", ...))
  expect_identical(names(read("devices: [cpu, gpu]")$devices), c("cpu", "gpu"))
  expect_identical(names(read("devices: {gpu: any, cpu: any}")$devices), c("gpu", "cpu"))
  expect_refusal(read("devices: [card]"), "choice", "cpu or gpu")
  expect_refusal(read("devices: {gpu: {ask: [--list]}}"), "engine", "`ask` and `pattern`")
  expect_refusal(read("devices: {gpu: {use: ['{device}']}}"), "engine", "{device_index}")
  expect_refusal(read("devices: {gpu: {ask: [-l], pattern: 'card'}}"), "engine", "one group")
})

test_that("the devices asked for are those of the engine, or of the node", {
  node <- structure(list(node = "n", devices = list(
    list(device = "chip", kind = "cpu", count = 1L, share = 1),
    list(device = "card", kind = "gpu", count = 2L, share = 1)
  )), class = "cp_node")
  engine <- list(engine = "e", devices = list(cpu = list(join = ","), gpu = list(join = ",")))
  there <- list(gpu = data.frame(index = c("0", "1"), name = c("Lantern", "Taper")))
  use <- function(set, ...) clockpigeon:::device_use(node, engine, set, cores = 8, ...)
  expect_identical(use("gpu 1", there = there)[1:4],
                   list(device = "Taper", device_count = 1L, threads = NA, capacity = 1L))
  expect_identical(use("gpu", there = there)$device, "Lantern + Taper")
  expect_identical(use("gpu 0+1")[1:2], list(device = "card", device_count = 2L))
  expect_identical(use("cpu 0")[c("device", "threads", "capacity")],
                   list(device = "chip", threads = 1L, capacity = 1 / 8))
  expect_match(use("gpu 5", there = there)$refused,
               "no gpu 5 here: there is 0 (Lantern), 1 (Taper)", fixed = TRUE)
  engine$devices <- list(cpu = NULL)
  expect_match(use("gpu 0")$refused, "e renders on no gpu")
  expect_match(use("cpu 0")$refused, "does not say how a cpu is asked for")
})
