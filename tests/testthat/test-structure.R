# The layer rules, read from the source files: a function calls functions of lower layers; within a
# layer one word may call another, never round; no circle of files; layer 1 touches nothing outside.
source_folder <- function() {
  for (path in c(test_path("../../R"), test_path("../../00_pkg_src/clockpigeon/R"))) {
    if (length(list.files(path, "^1-"))) return(path)
  }
  NULL
}
# Parsed once for all tests of this file, and so are the arrows.
kept <- new.env()
once <- function(name, make) {
  if (is.null(kept[[name]])) kept[[name]] <- make()
  kept[[name]]
}
rooms <- function() once("rooms", function() {
  files <- list.files(source_folder(), "\\.R$", full.names = TRUE)
  parsed <- lapply(files, function(f) as.list(parse(f, keep.source = FALSE)))
  names(parsed) <- sub("\\.R$", "", basename(files))
  parsed
})
room_arrows <- function() {
  once("arrows", function() arrows(rooms()[setdiff(names(rooms()), no_rooms)]))
}
no_rooms <- c("clockpigeon-package", "RcppExports")
defined_in <- function(room)
  unlist(lapply(room, function(e) if (is.call(e) && identical(e[[1]], as.name("<-")) &&
    is.name(e[[2]])) as.character(e[[2]])))
layer <- function(room) as.integer(substr(room, 1, 1))
word <- function(room) sub("^[0-9]-([a-z]+)-.*", "\\1", room)

# The names an expression uses, those of other packages apart.
used_names <- function(e) {
  if (is.name(e)) return(as.character(e))
  if (!is.call(e) && !is.pairlist(e)) return(NULL)
  if (is.call(e) && (identical(e[[1]], as.name("::")) || identical(e[[1]], as.name("$")))) {
    return(if (identical(e[[1]], as.name("$"))) used_names(e[[2]]))
  }
  unlist(lapply(as.list(e), function(part) if (!missing(part)) used_names(part)))
}

# The names of an expression's own arguments and variables: no arrows, whatever other files call so.
own_names <- function(e) {
  if (!is.call(e)) return(NULL)
  here <- if (identical(e[[1]], as.name("function"))) names(e[[2]])
          else if (identical(e[[1]], as.name("<-")) && is.name(e[[2]])) as.character(e[[2]])
  c(here, unlist(lapply(as.list(e), function(part) if (!missing(part)) own_names(part))))
}

# Arrows between files: who uses a name that another file defines.
arrows <- function(all, from = names(all)) {
  home <- unlist(lapply(names(all), function(r)
                        stats::setNames(rep(r, length(defined_in(all[[r]]))),
                                        defined_in(all[[r]]))))
  do.call(rbind, lapply(from, function(r) {
    used <- unlist(lapply(all[[r]], function(e) {
      if (is.call(e) && length(e) > 2) setdiff(used_names(e[[3]]), own_names(e[[3]]))
    }))
    to <- home[intersect(used, names(home))]
    to <- unique(unname(to[to != r]))
    if (length(to)) data.frame(from = r, to = to)
  }))
}
# Calls that run up, and calls between two words of a layer that also call back, by whatever way.
breaches <- function(a) {
  from <- paste(layer(a$from), word(a$from))
  to <- paste(layer(a$to), word(a$to))
  words <- unique(c(from, to))
  side <- layer(a$from) == layer(a$to) & from != to
  reach <- matrix(FALSE, length(words), length(words), dimnames = list(words, words))
  reach[cbind(from, to)[side, , drop = FALSE]] <- TRUE
  for (w in words) reach <- reach | outer(reach[, w], reach[w, ])
  a[layer(a$to) > layer(a$from) | side & reach[cbind(to, from)], , drop = FALSE]
}

# The words of each layer are those of the table in ARCHITECTURE.md, and no others.
test_that("the table of layers names every word", {
  path <- test_path("../../ARCHITECTURE.md")
  skip_if(is.null(source_folder()) || !file.exists(path), "the sources are not at hand")
  page <- readLines(path)
  rows <- regmatches(page, regexec("^\\| ([0-9]) \\| ([a-z, ]+) \\|", page))
  rows <- rows[lengths(rows) == 3]
  listed <- unlist(lapply(rows, function(r) paste(r[2], strsplit(r[3], ", ")[[1]])))
  files <- setdiff(names(rooms()), no_rooms)
  expect_identical(setdiff(paste(layer(files), word(files)), listed), character())
})

# The table "Which area may call which": area by area, whether the row's may call the column's.
allowed_calls <- function(page, areas) {
  rows <- regmatches(page, regexec("^\\| `([0-9]-[a-z]+)` \\| ([0-9a-z, -]+) \\|$", page))
  rows <- rows[lengths(rows) == 3]
  allowed <- outer(areas, areas, "==")
  dimnames(allowed) <- list(areas, areas)
  allowed[, "0-base"] <- TRUE
  for (row in rows) {
    named <- strsplit(row[3], ", ")[[1]]
    if ("all of layers 1 to 8" %in% named) allowed[row[2], substr(areas, 1, 1) %in% 1:8] <- TRUE
    allowed[row[2], intersect(named, areas)] <- TRUE
  }
  allowed
}

test_that("an area calls only the areas that the table in ARCHITECTURE.md lists", {
  path <- test_path("../../ARCHITECTURE.md")
  skip_if(is.null(source_folder()) || !file.exists(path), "the sources are not at hand")
  area <- function(room) paste0(layer(room), "-", word(room))
  a <- room_arrows()
  used <- unique(data.frame(from = area(a$from), to = area(a$to)))
  areas <- sort(unique(area(setdiff(names(rooms()), no_rooms))))
  allowed <- allowed_calls(readLines(path), areas)
  expect_false(allowed["1-bill", "1-job"])
  bad <- used[!allowed[cbind(used$from, used$to)], ]
  expect_identical(paste(bad$from, "calls", bad$to)[seq_len(nrow(bad))], character())
})

test_that("files are named DIGIT-WORD-TOPIC, and each has a test of its name", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  names <- setdiff(names(rooms()), no_rooms)
  expect_true(all(grepl("^[0-9]-[a-z]+-[a-z0-9-]+$", names)))
  expect_identical(setdiff(names, sub("^test-(.*)\\.R$", "\\1", list.files(test_path(), "^test-"))),
                   character())
})

test_that("no file calls up, and no word of a layer calls another that calls it", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  all <- rooms()[setdiff(names(rooms()), no_rooms)]
  a <- room_arrows()
  expect_gt(nrow(a), 100)
  expect_identical(nrow(breaches(a)), 0L,
                   info = paste(breaches(a)$from, "->", breaches(a)$to, collapse = "; "))
  # The check itself fires on a breach.
  with_call <- function(room, code) {
    all[[room]] <- c(all[[room]], parse(text = paste("bad <- function()", code)))
    breaches(rbind(a[a$from != room, ], arrows(all, room)))
  }
  expect_identical(with_call("0-base-checks", "frame_curve()")$to, "1-curve-frames")
  expect_true("1-job-simulate" %in% with_call("1-bill-exact", "simulate_job()")$to)
})

test_that("no circles", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  a <- room_arrows()
  repeat {  # leaves fall off until nothing is left, or a circle is
    leaf <- !a$to %in% a$from
    if (!any(leaf)) break
    a <- a[!leaf, , drop = FALSE]
  }
  expect_identical(nrow(a), 0L, info = paste(head(a$from, 5), "->", head(a$to, 5), collapse = "; "))
})

test_that("only core calls C++", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  all <- rooms()
  compiled <- defined_in(all[["RcppExports"]])
  expect_true("row_numbers" %in% compiled)
  callers <- names(all)[vapply(all, function(r) any(compiled %in% unlist(lapply(r, used_names))),
                               NA)]
  expect_match(setdiff(callers, "RcppExports"), "^1-")
})

test_that("core needs nothing but base R and stats", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  core <- list.files(source_folder(), "^[01]-.*\\.R$", full.names = TRUE)
  env <- new.env(parent = baseenv())
  for (file in core) sys.source(file, env)
  for (name in defined_in(rooms()[["RcppExports"]]))
    assign(name, getFromNamespace(name, "clockpigeon"), env)
  total <- env$total_time(env$frame_curve(c(2, 8), c(1, 2), 1:10))
  expect_gt(total[["mean"]], 5)
  packages <- unlist(lapply(core[grepl("/1-", core)],
                            function(f) regmatches(lines <- readLines(f),
                                                   regexpr("[A-Za-z0-9]+(?=::)", lines,
                                                           perl = TRUE))))
  expect_true(all(packages %in% c("stats", "utils", "ggplot2")), info = toString(unique(packages)))
})

test_that("no name is given twice: the later file would silently take the place of the earlier", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  names <- unlist(lapply(rooms(), defined_in))
  expect_identical(unname(names[duplicated(names)]), character())
})

test_that("names that scripts may rely on are exported, with 75 exports at most", {
  exported <- getNamespaceExports("clockpigeon")
  fixed <- c("read_shot", "read_node", "read_engine", "read_site", "read_plan", "read_project",
             "open_ledger", "add_timings", "timings", "plan_bench", "run_bench", "import_timings",
             "speed_figures", "compare_timings", "fit_limit", "samples_for", "noise_between",
             "noise_map", "fit_scaling", "best_n", "first_probes", "frame_curve", "total_time",
             "next_probe", "learn_curve_prior", "fit_speeds", "bill", "check_shot", "eligible",
             "render_job", "plan_options", "forecast_job", "choose_option", "explain", "report")
  expect_setequal(setdiff(fixed, exported), character())
  expect_lte(length(exported), 75)
})

# An object of a class of ours is made by its constructor: what is no list of fields (money and time
# on a card, a connection, a claim) is listed here.
test_that("classes of records are written down in their constructors alone", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  lines <- unlist(lapply(list.files(source_folder(), "\\.R$", full.names = TRUE), readLines))
  literal <- regmatches(lines, regexpr('class = "cp_[a-z_]+"', lines))
  expect_setequal(gsub('class = "|"', "", literal),
                  c("cp_card_money", "cp_card_duration", "cp_ledger", "cp_ledger_part",
                    "cp_server_claim"))
  made <- regmatches(lines, regexpr("^new_[a-z_]+ <- (record|table)_type", lines))
  expect_gt(length(made), 45)
})

# Branches of an expression, and how deep its calls are nested; operators do not count as calls.
operators <- c("{", "(", "<-", "=", "$", "[[", "[", "+", "-", "*", "/", "^", "==", "!=", "<", ">",
               "<=", ">=", "!", "&", "|", ":", "::", ":::", "~")
density_of <- function(e, depth = 0L) {
  if (!is.call(e)) return(c(nested = depth, branches = 0L))
  name <- if (is.name(e[[1]])) as.character(e[[1]]) else ""
  depth <- depth + !name %in% operators
  parts <- vapply(as.list(e), function(part) {
    if (identical(part, quote(expr = ))) c(depth, 0L) else density_of(part, depth)
  }, integer(2))
  branch <- name %in% c("if", "for", "while", "repeat", "switch", "&&", "||")
  c(nested = max(depth, parts[1, ]), branches = branch + sum(parts[2, ]))
}

# Ceilings may only fall: lower a number here when the code has become plainer.
test_that("lines are at most 100 columns wide, and functions have few branches and shallow calls", {
  skip_if(is.null(source_folder()), "the sources are not at hand")
  all <- rooms()[setdiff(names(rooms()), no_rooms)]
  functions <- Filter(function(e) {
    is.call(e) && identical(e[[1]], as.name("<-")) && is.call(e[[3]]) &&
      identical(e[[3]][[1]], as.name("function"))
  }, unlist(unname(all), recursive = FALSE))
  found <- vapply(functions, function(e) density_of(e[[3]][[3]]), integer(2))
  expect_gt(ncol(found), 2000)
  expect_lte(sum(found["branches", ] > 10), 9)
  expect_lte(sum(found["nested", ] >= 8), 9)
  files <- file.path(source_folder(), paste0(names(all), ".R"))
  lines <- unlist(lapply(files, readLines))
  expect_identical(sum(nchar(lines) > 100), 0L)
})
