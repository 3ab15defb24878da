# What learning from past jobs does to the next forecast, in simulated studios: share of jobs in
# their 80 % range, error of the median, width of ranges. Rscript bench/learn.R [STUDIOS] [FIRST
# SEED]
library(clockpigeon)
here <- sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE)[1])
sys.source(file.path(dirname(here), "..", "tests", "testthat", "helper-learn.R"), environment())
args <- as.integer(commandArgs(TRUE))
studios <- if (length(args)) args[1] else 300
first <- if (length(args) > 1) args[2] else 1
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1

run <- function(..., of = sim_studio, n = studios) {
  do.call(rbind, parallel::mclapply(first - 1 + seq_len(n), of, ..., mc.cores = cores))
}
show <- function(name, x, at = list("0" = 0, "3" = 3, "10" = 10:12, "30" = 30:33)) {
  for (k in names(at)) {
    rows <- x[x$known %in% at[[k]], ]
    if (!nrow(rows)) next
    cat(sprintf("%s_after_%s_inside %.3f share\n", name, k, mean(rows$inside)))
    cat(sprintf("%s_after_%s_inside_as_is %.3f share\n", name, k, mean(rows$inside_as_is)))
    cat(sprintf("%s_after_%s_error %.2f of_uncorrected\n", name, k,
                stats::median(rows$off) / stats::median(rows$off_as_is)))
    cat(sprintf("%s_after_%s_width %.3f ratio\n", name, k, mean(rows$width)))
  }
}
show("biased", run())
show("honest", run(most = 0, queue = Inf))
# Shapes that nothing was set on.
show("five_uneven", run(sites = 5, jobs = 20, uneven = TRUE, spread = c(0.08, 0.7)))
show("heavier_queue", run(queue = 2))
changed <- run(change = 12, jobs = 24)
changed <- changed[changed$site == 1, ]
show("changed_after_12", changed, stats::setNames(as.list(12:20), 12:20))
# Queues with their hours, learned by themselves; a tenth of the studios, since each job is judged
# three times.
busy <- run(of = sim_queues, jobs = 34, n = max(2, studios %/% 10))
show("busy_queues", busy)
late <- busy[busy$known >= 10, ]
cat(sprintf("busy_queues_after_10_on_error_of_whole_alone %.2f of_uncorrected\n",
            stats::median(late$off_whole) / stats::median(late$off_as_is)))
cat(sprintf("busy_queues_after_10_on_error %.2f of_uncorrected\n",
            stats::median(late$off) / stats::median(late$off_as_is)))
show("honest_queues",
     run(of = sim_queues, jobs = 20, busy = 0, most = 0, queue = Inf, n = max(2, studios %/% 10)),
     list("3" = 3, "10" = 10:12))
