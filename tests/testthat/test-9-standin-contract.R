document <- clockpigeon:::protocol_document()
routes <- clockpigeon:::protocol_routes(document)
fault <- function(value, schema) {
  clockpigeon:::schema_fault(value, list("$ref" = paste0("#/components/schemas/", schema)),
                             document)
}

test_that("every operation of the document is answered, and no other", {
  ids <- vapply(routes, `[[`, "", "id")
  expect_setequal(ids, c(names(clockpigeon:::farm_answers), "follow_job"))
  expect_false(anyDuplicated(ids) > 0)
  expect_setequal(ids[vapply(routes, `[[`, NA, "keyed")], c("place_job", "order_job"))
  expect_setequal(ids[vapply(routes, `[[`, NA, "public")], "read_protocol")
})

test_that("a request finds its operation, and what its path says", {
  route <- function(method, path) clockpigeon:::route_of(routes, method, path)
  found <- route("GET", "/jobs/s-1/pictures/gears%20close/12/parts/3")
  expect_identical(found$id, "read_picture")
  expect_identical(found$values, list(job = "s-1", shot = "gears close", frame = "12", part = "3"))
  expect_identical(route("DELETE", "/jobs/s-1")$id, "delete_job")
  expect_null(route("GET", "/nothing"))
  expect_identical(route("PUT", "/jobs"), list(known = TRUE))
})

test_that("a body that is not as its schema has it is told where", {
  order <- an_order()
  expect_null(fault(order, "Order"))
  for (name in document$components$schemas$Order$required) {
    expect_identical(fault(order[setdiff(names(order), name)], "Order"),
                     list(where = paste0("/", name), what = "is missing"))
  }
  changed <- function(...) fault(utils::modifyList(order, list(...)), "Order")
  expect_identical(changed(colour = "red"), list(where = "/colour", what = "is not known"))
  expect_identical(changed(nodes = 0)$where, "/nodes")
  expect_identical(changed(nodes = "two")$what, "is string and has to be integer")
  expect_identical(changed(nodes = 1.5)$what, "is number and has to be integer")
  expect_identical(changed(name = "")$what, "is empty")
  expect_identical(changed(trial = "yes")$where, "/trial")
  expect_identical(changed(cap = list(amount = -1, currency = "GBP"))$where, "/cap/amount")
  bad <- order
  bad["shots"] <- list(list())
  expect_identical(fault(bad, "Order"), list(where = "/shots", what = "is empty"))
  bad <- order
  bad$shots[[1]]$limit <- structure(list(), names = character())
  expect_identical(fault(bad, "Order"), list(where = "/shots/0/limit", what = "is empty"))
  bad <- order
  bad$shots[[1]]$output <- "gif"
  expect_match(fault(bad, "Order")$what, "png, pfm, exr or tiff")
  bad <- order
  bad$shots[[1]]$files <- list(list(path = "a", sha256 = "12"))
  expect_identical(fault(bad, "Order")$where, "/shots/0/files/0/sha256")
  order["version"] <- list(NULL)
  expect_null(fault(order, "Order"))
})

test_that("the document's own examples are as their schemas have them", {
  count <- 0
  for (name in names(document$components$schemas)) {
    for (example in document$components$schemas[[name]]$examples) {
      count <- count + 1
      expect_null(fault(example, name), label = name)
    }
  }
  expect_gte(count, 10)
})
