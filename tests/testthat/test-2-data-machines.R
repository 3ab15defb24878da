test_that("cards are of the same machines when they say so, or name a node in common", {
  card <- function(site, ...) list(site = site, kind = "own", ...)
  sites <- list(a = card("a"), b = card("b", same_nodes_as = "a"),
                c = card("c", pool = c("n1", "n2", "n2")), d = card("d", pool = c("n2", "n3")),
                e = card("e", pool = "n9"), f = card("f", same_nodes_as = "b"))
  of <- clockpigeon:::machines_of_sites(sites)
  expect_identical(names(of), letters[1:6])
  expect_identical(length(unique(of[c("a", "b", "f")])), 1L)
  expect_identical(length(unique(of[c("c", "d")])), 1L)
  expect_identical(length(unique(of)), 3L)
  # What is named may be no site of these, after `--without`.
  expect_identical(clockpigeon:::machines_of_sites(sites["b"]), c(b = "b"))
  expect_length(clockpigeon:::machines_of_sites(list()), 0)
})

test_that("a project says which card does not name another of one's own", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  expect_identical(
    clockpigeon:::machines_of_sites(read_project(folder)$sites)[c("attic", "loftnights")],
    c(attic = "attic", loftnights = "attic"))
  card <- file.path(folder, "sites/loftnights.yaml")
  text <- readLines(card)
  write <- function(value)
    writeLines(sub("^same_nodes_as: .*", paste("same_nodes_as:", value), text), card)
  write("atic")
  expect_refusal(read_project(folder), "choice", c("same_nodes_as", "attic"))
  write("saltmill")
  expect_refusal(read_project(folder), "site", "two cards of your own machines")
})
