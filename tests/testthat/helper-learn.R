# Studios whose sites are not as they say: what is learned from job to job, held against what became
# of the next. Also used by bench/learn.R.

# `most`: by how many times at most a site is off (log, both ways); `change`: after so many jobs
# site 1 is another; `queue`: degrees of freedom of the queue's log (heavy tails); `sites`, of which
# each has `jobs`, in turn or (`uneven`) by chance. Forecasts take job times as log-normal and the
# queue as log-normal with a sd of 0.8; what happens has the queue's heavy tails. Returns one row a
# job: `known` (jobs of its site before it), `inside`, `inside_as_is`, `off`, `off_as_is` (of logs),
# `width`.
sim_studio <- function(seed, sites = 3, jobs = 34, most = log(2), change = NULL, queue = 3,
                       spread = c(0.15, 0.4), uneven = FALSE) {
  set.seed(seed)
  bias <- stats::runif(sites, -most, most)
  of <- rep(seq_len(sites), jobs)
  if (uneven) of <- sample(seq_len(sites), sites * jobs, TRUE, prob = 2^-seq_len(sites))
  past <- data.frame(site = character(), tier = character(), low = numeric(), mid = numeric(),
                     high = numeric(), y = numeric())
  scores <- numeric()
  out <- vector("list", length(of))
  for (k in seq_along(of)) {
    site <- of[k]
    known <- sum(of[seq_len(k - 1)] == site)
    if (!is.null(change) && site == 1 && known == change) bias[1] <- bias[1] +
      sample(c(-1, 1), 1) * log(1.8)
    m <- log(stats::runif(1, 600, 20000))
    s <- stats::runif(1, spread[1], spread[2])
    draws <- exp(m + s * stats::rnorm(400)) + exp(log(300) + 0.8 * stats::rnorm(400))
    q <- log(stats::quantile(draws, c(0.1, 0.5, 0.9), names = FALSE))
    tail <- if (is.finite(queue)) stats::rt(1, queue) else stats::rnorm(1)
    y <- log(exp(m + bias[site] + 0.8 * s * stats::rnorm(1)) + exp(log(300) + 0.8 * tail))
    job <- data.frame(site = paste0("s", site), tier = "t", low = q[1], mid = q[2], high = q[3],
                      y = y)
    found <- clockpigeon:::learned_of(clockpigeon:::learning_of(past, scores = scores), job$site,
                                      "t")
    mid <- job$mid + found$bias
    range <- mid + found$width * c(job$low - job$mid, job$high - job$mid)
    out[[k]] <- data.frame(site = site, known = known, inside = y >= range[1] && y <= range[2],
                           inside_as_is = y >= q[1] && y <= q[3], off = abs(y - mid),
                           off_as_is = abs(y - q[2]), width = found$width)
    scores <- c(scores, clockpigeon:::score_of(job, found$bias))
    past <- rbind(past, job)
  }
  do.call(rbind, out)
}

# Studios whose queues have their hours: at each site waiting is `busy` times (log sd) what the card
# says, another factor in each quarter of the day, and it is as much of a job as rendering is.
# Stages are learned by themselves, and the whole by what they leave, as learned() does. Returns
# what sim_studio() does, and `off_whole`, `inside_whole`, by the correction of the whole alone.
sim_queues <- function(seed, sites = 2, jobs = 40, busy = 0.7, most = log(1.5), queue = 3) {
  set.seed(seed)
  ns <- asNamespace("clockpigeon")
  bias <- stats::runif(sites, -most, most)
  factor <- matrix(busy * stats::rnorm(4 * sites), sites)
  of <- rep(seq_len(sites), jobs)
  past <- queues <- data.frame(site = character(), tier = character(), hours = character(),
                               low = numeric(), mid = numeric(), high = numeric(), y = numeric())
  out <- vector("list", length(of))
  q_of <- function(x) log(stats::quantile(x, c(0.1, 0.5, 0.9), names = FALSE))
  row <- function(site, hours, q, y) {
    data.frame(site = paste0("s", site), tier = "t", hours = ns$day_parts[hours], low = q[1],
               mid = q[2], high = q[3], y = y)
  }
  for (k in seq_along(of)) {
    site <- of[k]
    hours <- sample.int(4, 1, prob = c(1, 2, 4, 3))
    m <- log(stats::runif(1, 600, 8000))
    s <- stats::runif(1, 0.1, 0.3)
    render <- exp(m + s * stats::rnorm(400))
    wait <- exp(log(1800) + 0.6 * stats::rnorm(400))
    waited <- exp(log(1800) + factor[site, hours] +
                  0.6 * if (is.finite(queue)) stats::rt(1, queue) else stats::rnorm(1))
    y <- log(exp(m + bias[site] + 0.8 * s * stats::rnorm(1)) + waited)
    stage <- ns$learning_of(queues, ns$stage_priors$wait_s)
    found <- ns$learned_of(stage, paste0("s", site), "t", ns$day_parts[hours])
    # Past jobs as they would be forecast now.
    now <- vapply(seq_len(nrow(past)), function(j) {
      exp(ns$bias_of(stage$fit, past$site[j], past$tier[j], past$hours[j]))
    }, 0)
    shift <- ns$shift_of_sum(exp(past$mid), as.matrix(exp(queues$mid)), as.matrix(now))
    shifted <- transform(past, low = low + shift, mid = mid + shift, high = high + shift)
    again <- wait * exp(found$bias + (found$width - 1) * (log(wait) - stats::median(log(wait))))
    judged <- function(past, draws) {
      whole <- ns$learned_of(ns$learning_of(past), paste0("s", site), "t")
      q <- q_of(draws)
      mid <- q[2] + whole$bias
      range <- mid + whole$width * c(q[1] - q[2], q[3] - q[2])
      list(inside = y >= range[1] && y <= range[2], off = abs(y - mid), width = whole$width)
    }
    both <- judged(shifted, render + again)
    whole <- judged(past, render + wait)
    plain <- q_of(render + wait)
    out[[k]] <- data.frame(site = site, known = sum(of[seq_len(k - 1)] == site),
                           inside = both$inside, inside_as_is = y >= plain[1] && y <= plain[3],
                           off = both$off, off_as_is = abs(y - plain[2]), width = both$width,
                           inside_whole = whole$inside, off_whole = whole$off)
    past <- rbind(past, row(site, hours, plain, y))
    queues <- rbind(queues, row(site, hours, q_of(wait), log(waited)))
  }
  do.call(rbind, out)
}
