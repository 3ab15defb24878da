# Two nodes on this machine; the engine ends its own node's process once, at frame 3.
crew_of <- function(on_loss, env = parent.frame()) {
  folder <- scratch(env)
  pixel <- one_pixel(folder)
  killed <- file.path(folder, "killed")
  engine <- script_engine(folder, paste0("[ $2 = 3 ] && [ ! -f ", killed, " ] && touch ", killed,
                                         " && { kill -9 $PPID; sleep 30; }"),
                          paste("cp", pixel, "$1; sleep 0.1; echo load 0.01 compute 0.1"))
  nodes <- lapply(c("left", "right"), function(name) {
    read_node(write_file(folder, paste0(name, ".yaml"), paste("node:", name),
                         "devices: [{device: chip, kind: cpu}]", "launch: {by: local}"))
  })
  plan <- plan_bench(small_shot(), engine, frames = 1:6, repeats = 1,
                     options = bench_options(warmups = 0, on_loss = on_loss,
                                             cross = factor_grid(nodes = c("left", "right"))))
  list(plan = plan, nodes = nodes, engine = engine, killed = killed)
}

test_that("a node that vanishes gives a failed row, and its trials go to the other", {
  skip_if_not_installed("mirai")
  crew <- crew_of("move")
  rows <- run_bench(crew$plan, memory_ledger(), crew$nodes, progress = FALSE)
  expect_true(file.exists(crew$killed))
  lost <- rows[rows$status == "failed", ]
  expect_identical(nrow(lost), 1L)
  expect_identical(lost$frame, 3L)
  expect_match(lost$note, paste("the node", lost$node, "vanished: Connection reset"))
  good <- rows[rows$status == "ok", ]
  expect_identical(as.vector(table(good$frame)), rep(2L, 6))
  expect_true(all(good$node[good$run_order > lost$run_order + 2] != lost$node))
  expect_identical(anyDuplicated(rows$run_order), 0L)
})

test_that("or they wait, and the run is resumed when the node is back", {
  skip_if_not_installed("mirai")
  crew <- crew_of("wait")
  ledger <- memory_ledger()
  said <- capture.output(rows <- run_bench(crew$plan, ledger, crew$nodes, progress = FALSE),
                         type = "message")
  lost <- rows[rows$status == "failed", ]
  expect_match(paste(said, collapse = " "),
               paste0("[0-9]+ trials wait for ", lost$node, ": clockpigeon bench --res"))
  expect_identical(rows$frame[rows$node == lost$node & rows$measured_at > lost$measured_at],
                   integer())
  expect_identical(sum(rows$status == "ok" & rows$node != lost$node), 6L)
  rows <- resume_bench(ledger, crew$engine, node = crew$nodes, progress = FALSE)
  good <- rows[rows$status == "ok", ]
  expect_identical(as.vector(table(good$frame, good$node)), rep(1L, 12))
  expect_identical(sum(rows$status == "failed"), 1L)
  expect_identical(nrow(resume_bench(ledger, crew$engine, node = crew$nodes, progress = FALSE)),
                   13L)
})

test_that("a node that is not ready is refused before anything is timed", {
  skip_if_not_installed("mirai")
  crew <- crew_of("wait")
  ledger <- memory_ledger()
  expect_refusal(run_bench(crew$plan, ledger, crew$nodes[1], progress = FALSE), "choice", "left")
  missing <- crew$plan
  missing$engines$script$program <- "no-such-renderer"
  expect_refusal(run_bench(missing, ledger, crew$nodes, progress = FALSE), "node",
                 "no-such-renderer")
  expect_identical(nrow(timings(ledger)), 0L)
})
