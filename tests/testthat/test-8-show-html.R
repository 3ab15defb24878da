test_that("texts are texts in sentences and tables, and numbers stand on the right", {
  skip_if_not_installed("htmltools")
  bad <- "<img onerror=alert(1)>"
  table <- as.character(clockpigeon:::plain_table(data.frame(site = bad, n = 1.5), "Sites"))
  said <- as.character(clockpigeon:::html_sentences(c(Do = bad)))
  for (text in c(table, said)) expect_no_match(text, "<img", fixed = TRUE)
  expect_match(table, "<td class=\"number\">1.5</td>", fixed = TRUE)
  expect_match(table, "aria-label=\"Sites\"", fixed = TRUE)
})

test_that("a figure is a picture with its words and its numbers", {
  skip_if_not(capabilities("cairo"))
  rows <- data.frame(at = c(1, 2.5), who = c("a", "<b>"))
  plot <- ggplot2::ggplot(rows, ggplot2::aes(at, who)) + ggplot2::geom_point() +
    ggplot2::labs(alt = "Two points")
  x <- clockpigeon:::made_picture(plot, 4, 3)
  expect_identical(x$alt, "Two points")
  expect_identical(c(x$width, x$height), c(384, 288))
  drawn <- rawToChar(openssl::base64_decode(sub("^data:image/svg.xml;base64,", "", x$src)))
  expect_match(drawn, "<svg", fixed = TRUE)
  expect_identical(x$rows, list(c("at", "who"), list(1, "a"), list(2.5, "<b>")))
  # Numbers of a plot whose data are in a layer.
  late <- ggplot2::ggplot() + ggplot2::geom_point(ggplot2::aes(at, who), data = rows)
  expect_identical(clockpigeon:::plot_rows(late)$at, rows$at)
})
