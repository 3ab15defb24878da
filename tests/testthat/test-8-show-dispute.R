test_that("a dispute has the sum, the arithmetic and what is asked, and nothing of the user", {
  x <- rendered_job("prices=1.6")
  user <- Sys.info()[["user"]]
  home <- path.expand("~")
  lines <- farm_lines(x, price = 4.048)
  lines <- rbind(lines, transform(lines[1, ], What = paste("Care for", user, "anna@studio.example",
                                                           home, "192.168.7.12",
                                                           "https://studio.example/x",
                                                           strrep("ab1", 12)),
                                  Hours = 1, Per = "care", Rate = 3, Cost = 3, Frame = NA))
  s <- x$settle(lines, paste0(user, "-bill.csv"))
  path <- file.path(scratch(), "dispute.md")
  files <- clockpigeon:::write_dispute(s, path)
  expect_identical(basename(files), c("dispute.md", "dispute.json"))
  record <- jsonlite::fromJSON(files[2], simplifyVector = FALSE)
  expect_identical(record$format, "clockpigeon dispute 1")
  expect_equal(record$too_much + record$due, record$billed)
  expect_equal(sum(vapply(record$claims, `[[`, 0, "amount")), record$too_much)
  page <- readLines(files[1])
  expect_match(page, "A refund or a corrected bill", all = FALSE)
  expect_match(page, "4.048 GBP - 2.53 GBP", all = FALSE, fixed = TRUE)
  text <- paste(c(page, readLines(files[2])), collapse = "\n")
  for (own in c(home, "anna@", "192.168", "studio.example", strrep("ab1", 8), x$folder, "review-1",
                "gears-review", Sys.info()[["nodename"]])) expect_no_match(text, own, fixed = TRUE)
  if (nchar(user) > 2) expect_no_match(text, user, fixed = TRUE)
  expect_refusal(clockpigeon:::write_dispute(rendered_job()$settle(), path), "bill",
                 "no line is overcharged")
})

test_that("names, addresses, paths and long marks are taken out of a text, and plain words stay", {
  clean <- clockpigeon:::without_user
  expect_identical(clean("line 12 of the bill, 3.5 node-hours at 1.15"),
                   "line 12 of the bill, 3.5 node-hours at 1.15")
  expect_identical(clean("see /srv/shots/x.blend now"), "see ... now")
  expect_identical(clean("C:\\Users\\x\\y.png"), "...")
  expect_identical(clean("fe80::1ff:fe23:4567:890a"), "...")
  expect_identical(clean(NA_character_), NA_character_)
})
