test_that("a manifest is read as YAML and as CSV, to the same thing", {
  folder <- scratch()
  yaml <- read_manifest(write_file(folder, "s.yaml", "shot: s", "scene: s.scene",
                                   "assets: [{path: a.png, kind: texture, embedded: true}]",
                                   "dynamic: [{name: water, cache: w, covers: 1-9}]",
                                   "cameras: main",
                                     "outputs: o_####.png"))
  csv <- read_manifest(write_file(folder, "s.csv", "kind,path,name,embedded,needed,covers",
                                  "scene,s.scene,,,,", "texture,a.png,,yes,,",
                                  "simulation,w,water,,,1-9", "camera,main,,,,",
                                  "output,o_####.png,,,,"))
  for (name in c("shot", "scene", "folder", "assets", "dynamic", "cameras", "outputs",
                 "moves")) expect_equal(yaml[[name]], csv[[name]])
  expect_identical(yaml$dynamic$covers, list(1:9))
  expect_identical(nrow(read_manifest(demo_file("manifests/gears.yaml"))$assets), 4L)
})

test_that("a manifest that cannot be read names the file and line", {
  table <- function(...) write_file(scratch(parent.frame()), "s.csv", "kind,path,embedded", ...)
  expect_refusal(read_manifest(table("texture,a.png,")), "manifest", "0 rows of kind scene")
  expect_refusal(read_manifest(table("scene,a,", "texture,b,perhaps")), "type",
                 "line 3, field `embedded`")
  expect_refusal(read_manifest(table("scene,a,", "texture,,")), "manifest", "line 3")
  expect_refusal(read_manifest(write_file(scratch(), "s.csv", "path", "a")), "columns", "kind")
  latin <- file.path(scratch(), "s.csv")
  writeBin(c(charToRaw("kind,path\nscene,a\ntexture,caf"), as.raw(0xe9), charToRaw(".png\n")),
           latin)
  expect_identical(read_manifest(latin)$assets$path, "caf\u00e9.png")
})

test_that("500 broken manifests give a manifest or an error of ours, and what is read can be checked", {
  shot <- small_shot()
  sources <- list.files(demo_file("manifests"), full.names = TRUE)
  folder <- scratch()
  pool <- c("", "~", "[]", "{}", "-1", "\"", ",,", "../..", "/", "C:\\x", "1-", "true", "#", "é",
            ": ", "- ")
  outcomes <- clockpigeon:::with_seed(7, vapply(1:500, function(i) {
    source <- sample(sources, 1)
    lines <- readLines(source)
    for (k in seq_len(sample(3, 1))) {
      at <- sample(length(lines), 1)
      cut <- sample(nchar(lines[at]) + 1, 1)
      lines[at] <- switch(sample(4, 1), "", paste0(substr(lines[at], 1, cut - 1), sample(pool, 1),
                                                   substring(lines[at], cut)),
                          substr(lines[at], 1, cut), sample(lines, 1))
    }
    path <- file.path(folder, basename(source))
    writeLines(lines, path, useBytes = TRUE)
    tryCatch({
      check_shot(shot, manifest = read_manifest(path), folder = demo_file())
      "checked"
    }, clockpigeon_error = function(e) "refused",
      error = function(e)
             paste("broken:", conditionMessage(e), "in", paste(lines, collapse = "\n")),
    warning = function(w)
             paste("warned:", conditionMessage(w), "in", paste(lines, collapse = "\n")))
  }, ""))
  expect_identical(setdiff(outcomes, c("checked", "refused")), character())
  expect_gt(sum(outcomes == "checked"), 100)
})
