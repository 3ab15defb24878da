test_that("an error has a class for programs and what, where and instead for people", {
  error <- expect_refusal(clockpigeon:::stop_input("frames", "got 'x'", "shots/a.yaml",
                                                   "Write 1-240."), "frames")
  expect_s3_class(error, "clockpigeon_error")
  expect_identical(conditionMessage(error), "shots/a.yaml: got 'x'. Write 1-240.")
})

test_that("candidates read as a phrase, and the near one is found", {
  expect_identical(clockpigeon:::either(c("a", "b", "c")), "a, b or c")
  expect_identical(clockpigeon:::closest("sampels", c("samples", "noise")), "samples")
  expect_null(clockpigeon:::closest("zzzz", c("samples", "noise")))
})

test_that("long values are cut to one line", {
  expect_lte(nchar(clockpigeon:::show_value(strrep("a", 500))), 84)
  expect_identical(clockpigeon:::show_value(NULL), "nothing")
  expect_identical(clockpigeon:::show_value("a\nb\033[31m\001"), "'a\\nb\\x1b[31m\\x01'")
  expect_false(grepl("[[:cntrl:]]", clockpigeon:::show_value(strrep("\a\r", 10000))))
  expect_true(validUTF8(clockpigeon:::show_value("\xff\xfe")))
})

test_that("a text for a terminal keeps its styles and line ends, and nothing that steers", {
  printable <- clockpigeon:::printable_text
  expect_identical(printable(c("a\nb\tc", "90 % \u00e9 \U1F54A", NA)),
                   c("a\nb\tc", "90 % \u00e9 \U1F54A", NA))
  expect_identical(printable("\033[1mbold\033[22m \033[38;5;33mblue\033[39m"),
                   "\033[1mbold\033[22m \033[38;5;33mblue\033[39m")
  expect_identical(printable("a\033[2Jb\033]0;title\007c\rd"), "a?[2Jb?]0;title?c?d")
  expect_identical(printable("hidden \033[8mtext"), "hidden ?[8mtext")
  expect_identical(printable(paste0("turned ", "\u202e", "round")), "turned ?round")
  expect_identical(printable("\u009b2J"), "?2J")
})

test_that("an error in one line keeps who refused, and its cause", {
  refusing <- function(x) stop("no room\nfor it")
  cause <- tryCatch(refusing(1), error = identity)
  expect_identical(clockpigeon:::error_words(cause), "no room (in refusing)")
  outer <- structure(class = c("error", "condition"),
                     list(message = "cannot start", call = NULL, parent = cause))
  expect_identical(clockpigeon:::error_words(outer),
                   "cannot start; caused by: no room (in refusing)")
  expect_match(clockpigeon:::error_words(tryCatch(clockpigeon:::stop_input("type", "got x", "here",
                                                                           "Write y."),
                                                  error = identity)),
               "got x")
})
