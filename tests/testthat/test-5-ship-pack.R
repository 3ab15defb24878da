skip_if_not_installed("zip")
skip_if_not_installed("openssl")

# A project folder with a scene, two assets and a cache; the manifest as read.
parcel_project <- function(..., env = parent.frame()) {
  folder <- scratch(env)
  for (name in c("scenes/s.scene", "tex/a.png", "tex/b.png", "caches/w/1", "caches/w/2",
                 "notes.txt")) write_file(folder, name, name)
  write_file(folder, "s.yaml", "shot: s", "scene: scenes/s.scene",
             "assets: [{path: tex/a.png}, {path: tex/b.png}]",
             "dynamic: [{name: w, cache: caches/w}]", ...)
  folder
}
pack <- function(folder, out = folder)
  pack_shot(read_manifest(file.path(folder, "s.yaml")), folder, out)

test_that("a parcel holds what the manifest names, and unpacks to the same bytes", {
  folder <- parcel_project()
  x <- pack(folder)
  expect_identical(x$files, 5L)
  expect_setequal(zip::zip_list(x$parcel)$filename,
                  c("parcel.json", "scenes/s.scene", "tex/a.png", "tex/b.png", "caches/w/1",
                    "caches/w/2"))
  into <- file.path(scratch(), "there")
  content <- unpack_parcel(x$parcel, into)
  expect_identical(content$version, x$version)
  for (path in content$files$path) expect_identical(tools::md5sum(file.path(into, path))[[1]],
                                                    tools::md5sum(file.path(folder, path))[[1]])
  # The hashes are those of the standard program.
  skip_if(!nzchar(Sys.which("sha256sum")))
  said <- processx::run("sha256sum", content$files$path, wd = into)$stdout
  expect_identical(substr(strsplit(said, "\n")[[1]], 1, 64), content$files$sha256)
})

test_that("the same content makes the same bytes under the same name, changed content another name", {
  folder <- parcel_project()
  first <- pack(folder)
  expect_false(pack(folder)$made)
  # Touched, copied elsewhere, packed in another time zone: still the same bytes.
  Sys.setFileTime(file.path(folder, "tex/a.png"), as.POSIXct("2001-01-01"))
  Sys.chmod(file.path(folder, "tex/b.png"), "600")
  again <- withr::with_timezone("Pacific/Auckland", pack(folder, scratch()))
  expect_identical(basename(again$parcel), basename(first$parcel))
  expect_identical(tools::md5sum(again$parcel)[[1]], tools::md5sum(first$parcel)[[1]])
  write_file(folder, "tex/a.png", "another")
  expect_false(identical(pack(folder)$version, first$version))
  expect_true(file.exists(first$parcel))
})

test_that("what cannot go is refused by name, and no parcel is left", {
  refused <- function(words, change) {
    folder <- parcel_project()
    change(folder)
    expect_refusal(pack(folder), "pack", c(words, "clockpigeon check s"))
    expect_length(list.files(folder, "zip"), 0)
  }
  refused("tex/a.png is missing", function(f) unlink(file.path(f, "tex/a.png")))
  refused("caches/w is not baked", function(f) unlink(file.path(f, "caches"), recursive = TRUE))
  refused("outside the folder", function(f) {
    lines <- readLines(file.path(f, "s.yaml"))
    writeLines(sub("tex/a.png", "../a.png", lines), file.path(f, "s.yaml"))
  })
  refused("has a name that other systems cannot take", function(f) {
    suppressWarnings(file.create(paste0(f, "/caches/w/caf", rawToChar(as.raw(0xe9)))))
    write_file(f, "caches/w/what?", "x")
  })
  refused("is a link to a file outside", function(f) {
    unlink(file.path(f, "tex/a.png"))
    file.symlink("/etc/hostname", file.path(f, "tex/a.png"))
  })
})

# A zip file made by hand, with a list that agrees or does not.
forged <- function(files, listed = names(files), into = scratch(parent.frame()), longer = 0) {
  for (name in names(files)) write_file(into, name, files[[name]])
  hashes <- vapply(listed, function(n) if (file.exists(file.path(into,
                                                                 n)))
                   clockpigeon:::file_hashes(file.path(into, n))
                                                                   else strrep("0", 64), "")
  sizes <- file.size(file.path(into, listed))
  list <- data.frame(path = listed, bytes = ifelse(is.na(sizes), 1, sizes) + longer,
                     sha256 = unname(hashes))
  writeLines(jsonlite::toJSON(list(shot = "s", version = clockpigeon:::content_version(list),
                                   files = list),
                              auto_unbox = TRUE),
             file.path(into, "parcel.json"))
  path <- file.path(into, "forged.zip")
  zip::zip(path, c("parcel.json", names(files)), root = into)
  path
}
refused_parcel <- function(path, words) {
  into <- file.path(scratch(parent.frame()), "into")
  expect_refusal(unpack_parcel(path, into, most = 1e6), "parcel", words)
  expect_false(file.exists(into))
}

test_that("parcels that leave their folder, lie, or grow are refused before anything is written", {
  expect_silent(unpack_parcel(forged(list(a = "1")), file.path(scratch(), "into")))
  good <- forged(list(aaaa = "1"))
  # The name of an entry, replaced in the file's own bytes by one of equal length that climbs.
  climb <- function(from, to) {
    bytes <- readBin(good, "raw", file.size(good))
    text <- rawToChar(replace(bytes, bytes == 0, as.raw(1)))
    for (at in gregexpr(from, text, fixed = TRUE,
                        useBytes = TRUE)[[1]]) bytes[at + seq_len(nchar(from)) - 1] <- charToRaw(to)
    out <- file.path(scratch(parent.frame()), "climbing.zip")
    writeBin(bytes, out)
    out
  }
  refused_parcel(climb("aaaa", "../a"), "leaves its folder")
  refused_parcel(climb("aaaa", "/etc"), "leaves its folder")
  refused_parcel(forged(list(a = "1", b = "2"), listed = "a"), "do not agree about 'b'")
  refused_parcel(forged(list(a = "1"), longer = 1), "lists another size of a")
  refused_parcel(forged(list("a\tb" = "1")), "other systems cannot take")
  refused_parcel(forged(list(a = "1", A = "2")), "twice")
  refused_parcel(forged(list(a = "1"), listed = c("a", "c")), "do not agree about 'c'")
  refused_parcel(forged(list(a = strrep("x", 2e6))), "would grow to 2 MB")
  lying <- forged(list(a = "1"))
  write_file(dirname(lying), "a", "2")
  zip::zip_append(lying, "a", root = dirname(lying))
  refused_parcel(lying, "twice")
  refused_parcel(write_file(scratch(), "no.zip", "no zip"), "no zip file")
  cut <- file.path(scratch(), "cut.zip")
  writeBin(readBin(good, "raw", file.size(good) %/% 2), cut)
  refused_parcel(cut, "cut off")
  bare <- file.path(scratch(), "bare.zip")
  zip::zip(bare, "a", root = dirname(forged(list(a = "1"))))
  refused_parcel(bare, "no parcel.json")
  folder <- dirname(forged(list(a = "1")))
  write_file(folder, "a", "9")
  changed <- file.path(folder, "changed.zip")
  zip::zip(changed, c("parcel.json", "a"), root = folder)
  refused_parcel(changed, "another a than it lists")
})
