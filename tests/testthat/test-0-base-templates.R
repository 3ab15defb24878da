fill <- function(text, ...) clockpigeon:::fill_template(text, list(...), "here")

test_that("fields are filled, padded and reckoned with", {
  expect_identical(fill("scenes/{shot}-{frame:04}.dat", shot = "basin", frame = 7),
                   "scenes/basin-0007.dat")
  expect_identical(fill("{frame:03}", frame = "12345"), "12345")
  expect_identical(fill("{frame:04}", frame = -5), "-005")
  expect_identical(fill("{frame-1}", frame = 10), "9")
  expect_identical(fill("{frame-1:04}", frame = "10"), "0009")
  expect_identical(fill("{log2(samples)}", samples = "4096"), "12")
  expect_identical(fill("{2^n} {sqrt(samples)} {(a+1)*2}", n = 20, samples = 9, a = 1),
                   "1048576 3 4")
  expect_identical(fill("{samples/3}", samples = 1), "0.333333333333333")
  expect_identical(fill("{n}", n = 1e15), "1000000000000000")
})

test_that("a field without a value takes its default, or the text falls out", {
  expect_identical(fill("{threads:1}"), "1")
  expect_identical(fill("{threads:1}", threads = 8), "8")
  expect_identical(fill("{frame:04:0001}"), "0001")
  expect_identical(fill("--x={tag:}"), "--x=")
  expect_identical(fill("{url:http://x:1/}"), "http://x:1/")
  expect_null(fill("{threads} {frame}", frame = 1))
})

test_that("other braces stay as they are", {
  expect_identical(fill("{{frame}} {\"a\": {frame}}", frame = 2), "{frame} {\"a\": 2}")
  expect_identical(fill("no field"), "no field")
  expect_identical(fill(""), "")
  expect_identical(fill("a{b", b = 1), "a{b")
})

test_that("the names in texts are told, those with a default apart", {
  texts <- list("{frame-1}", c("{threads:1}", "{{scene}}"))
  expect_identical(clockpigeon:::template_names(texts), c("frame", "threads"))
  expect_identical(clockpigeon:::template_names(texts, needed = TRUE), "frame")
  expect_null(clockpigeon:::template_names(list()))
})

test_that("nothing but arithmetic is taken, and nothing is run", {
  for (odd in c("{system('x')}", "{frame;1}", "{1+}", "{}", "{frame$x}", "{exp(frame)}",
                "{f(x)(y)}")) {
    expect_refusal(fill(odd, frame = 1), "template", c("here", "{frame:04}"))
  }
  expect_refusal(fill("{scene-1}", scene = "a"), "template", c("{scene}", "numbers only"))
})
