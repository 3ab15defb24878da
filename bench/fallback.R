# A fallback kept for real: a job of 120 frames on two "sites" of one slot each, which are two
# processes on this machine rendering with POV-Ray. The near one costs next to nothing, and its
# speed is only assumed: in half of the runs it is made slow on purpose, 1.8 times as slow. The far
# one costs a hundred times as much. The frames are measured, the plan is chosen, and its policy is
# carried out as it stands in the record: start, look at the moment, and if fewer frames are done
# than it says, send those not begun to the rescue. Prints each run, and `name value unit`. Leave
# the machine alone meanwhile.
#
#   Rscript bench/fallback.R [RUNS]     10 when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
runs <- as.integer(c(commandArgs(TRUE), "10")[1])
slow_by <- 1.8
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
folder <- tempfile("fallback-")
dir.create(folder)
invisible(file.copy("bench/shots/orbit.pov", folder))
note <- function(name, ...) {
  path <- file.path(folder, name)
  writeLines(c(...), path)
  path
}
shot <- read_shot(note("orbit.yaml", "shot: orbit", "scene: orbit.pov", "frames: 1-120",
                       "size: 80x60", "limit: {samples: 8}"))
engine <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))
site <- function(name, price, ...) {
  read_site(note(paste0(name, ".yaml"), paste("site:", name), "kind: own", "as_of: 2026-11-01",
                 "source: of this bench", "currency: EUR", "engines: [povray]", "power: 100 W",
                 "can: {versions: {povray: any}, limits: [samples], outputs: [png]}",
                 "meter: rendering",
                 sprintf("price: {per: node-hour, amount: %s EUR, step: 1 s}", price), ...,
                 "tiers:", "  - {tier: slot, nodes: [1]}"))
}
near <- site("near", "0.36", sprintf(
  "speeds: [{engine: povray, relative_to: here, factor: %.3f, basis: assumed}]", 1 / sqrt(slow_by)))
far <- site("far", "36", "nodes_like: [here]")
node <- read_node(note("here.yaml", "node: here", "devices: [{device: own processor, kind: cpu}]",
                       "engines: {povray: any}"))

# What is measured: 12 frames, twice.
ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
plan <- plan_bench(shot, engine, frames = seq(5, 115, 10), threads = 1, repeats = 2)
run_bench(plan, ledger, node, folder, progress = FALSE)
evidence <- timings(ledger)
job <- render_job(shot, "povray", evidence, time_zone = "UTC")
close_ledger(ledger)
usual <- sum(vapply(job$curves, function(curve) total_time(curve)[["median"]], 0))

# One slot: renders the frames of a list one after the other, and writes down the moment at which
# each is done. It begins none once the file `halt` is there.
slot <- function(name, frames, slower, at) {
  writeLines(as.character(frames), file.path(at, paste0(name, ".frames")))
  code <- sprintf("source(%s); work(%s, %s, %s, %s)", deparse(file.path(at, "slot.R")),
                  deparse(name), deparse(at), deparse(slower), deparse(folder))
  processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code),
                        stdout = file.path(at, paste0(name, ".log")), stderr = "2>&1")
}
work <- function(name, at, slower, folder) {
  for (frame in readLines(file.path(at, paste0(name, ".frames")))) {
    if (file.exists(file.path(at, "halt")) && name == "near") break
    cat(frame, "\n", file = file.path(at, paste0(name, ".begun")), append = TRUE)
    began <- Sys.time()
    out <- file.path(at, sprintf("orbit-%04d.png", as.integer(frame)))
    processx::run("povray", c("+Iorbit.pov", paste0("+O", out), "+W80", "+H60",
                              paste0("Declare=Frame=", frame), "Declare=Samples=8", "+WT1", "+FN8",
                              "-D", "-P"), wd = folder)
    Sys.sleep((slower - 1) * as.numeric(Sys.time() - began, units = "secs"))
    if (file.size(out) > 0)
      cat(frame, "\n", file = file.path(at, paste0(name, ".done")), append = TRUE)
  }
  cat("ended\n", file = file.path(at, paste0(name, ".ended")))
}
lines_of <- function(path) if (file.exists(path)) length(readLines(path)) else 0L
until <- function(happened, limit = 600) {
  end <- Sys.time() + limit
  while (!happened() && Sys.time() < end) Sys.sleep(0.02)
}

# One job, carried out as the plan says; how many seconds it took, how many frames were sent, what
# it cost.
carry_out <- function(plan, slower) {
  at <- tempfile("run-", tmpdir = folder)
  dir.create(at)
  dump("work", file.path(at, "slot.R"))
  began <- Sys.time()
  passed <- function() as.numeric(Sys.time() - began, units = "secs")
  first <- slot("near", 1:120, slower, at)
  file_of <- function(kind, name = "near") file.path(at, paste0(name, ".", kind))
  sent <- integer()
  far_s <- 0
  until(function() passed() >= plan$look$at_s || file.exists(file_of("ended")))
  if (lines_of(file_of("done")) < plan$look$fewer) {
    writeLines("halt", file.path(at, "halt"))
    sent <- setdiff(1:120, as.integer(readLines(file_of("begun"))))
    from <- passed()
    second <- slot("far", sent, 1, at)
    until(function() file.exists(file_of("ended", "far")))
    far_s <- passed() - from
  }
  until(function() file.exists(file_of("ended")))
  took <- passed()
  pictures <- length(list.files(at, "[.]png$"))
  near_s <- if (length(sent)) plan$look$at_s else took
  c(took = took, sent = length(sent), pictures = pictures,
    cost = near_s / 3600 * 0.36 + far_s / 3600 * 36)
}

forecast <- forecast_job(plan_options(job, list(near, far)))
choice <- choose_option(forecast, deadline = usual * 1.45)
print(choice)
stopifnot(choice$plan$kind == "fallback")
say("fallback_frame", usual / 120, "s, median of what was measured")
say("fallback_promised", choice$plan$p_both, "chance")
say("fallback_cost_said", choice$plan$mean, "EUR on average")
say("fallback_best_single", min(choice$options$cost_mean[choice$options$fits]),
    "EUR, mean cost of the best single option")
slower <- sample(rep_len(c(1, slow_by), runs))
rows <- lapply(slower, function(by) {
  row <- c(slower = by, carry_out(choice$plan, by))
  cat(sprintf("run: near %s, %.1f s of %.1f, %d frames sent, %d pictures, %.3f EUR\n",
              if (by > 1) "slow" else "quick", row[["took"]], choice$deadline_s, row[["sent"]],
              row[["pictures"]], row[["cost"]]))
  row
})
rows <- do.call(rbind, rows)
say("fallback_kept", sum(rows[, "took"] <= choice$deadline_s & rows[, "pictures"] == 120),
    paste("of", runs))
say("fallback_needed", sum(rows[, "sent"] > 0), paste("of", runs))
say("fallback_cost", mean(rows[, "cost"]), "EUR on average")
