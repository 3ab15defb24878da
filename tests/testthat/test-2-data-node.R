test_that("a node has devices and engines", {
  node <- read_node(demo_file("nodes/loft-2.yaml"))
  expect_identical(node$devices[[1]], list(device = "Quern 80", kind = "gpu", count = 1L))
  expect_equal(node$memory, 64 * 2^30)
  expect_identical(node$engines$sundew, c("4.1", "4.2"))
  expect_refusal(read_node(write_file(scratch(), "n.yaml", "node: a", "devices: [{device: x, kind: card}]")), "choice",
                 "cpu or gpu")
})
