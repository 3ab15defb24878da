# What else could be done, and whether it is worth it: wait for the night, a lower limit, a feature less, doing nothing,
# a trial.

#' What else could be done
#'
#' Holds the pick against what a producer asks next: wait for cheaper hours, render with half the samples, leave a
#' feature out (where the ledger has frames with and without it), or do nothing: leave it to one's own nodes as they
#' stand.
#'
#' @param choice From [choose_option()].
#' @return A tibble, one row a test: `test`, `option`, `finish_s` and `cost` (medians), `saves_s` and `saves` against
#'   the pick (below 0: it takes longer, or costs more), `noise` (times that of the pick), `fits`, `says` (a sentence).
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 100)
#' worth_tests(choose_option(forecast, deadline = "30 h"))["says"]
#' @export
worth_tests <- function(choice) {
  check_class(choice, argument("choice"), "choice", "choose_option()")
  table <- as_frame(choice$options)
  base <- if (is.na(choice$pick)) nearest_option(table) else choice$pick
  i <- match(base, table[["option"]])
  rows <- c(test_night(choice, i), test_limit(choice, i), test_features(choice, i), test_nothing(choice, i))
  empty <- data.frame(test = character(), option = character(), finish_s = numeric(), cost = numeric(),
                      saves_s = numeric(), saves = numeric(), noise = numeric(), fits = logical(), says = character())
  as_table(do.call(rbind, c(list(empty), rows)))
}

# The option that misses by least: first those late only, then those dear only.
nearest_option <- function(table) {
  table[["option"]][order(table[["both_miss"]], table[["over"]], table[["late_s"]])][1]
}

one_test <- function(choice, i, test, option, finish, cost, noise, fits, what, also = "") {
  table <- as_frame(choice$options)
  currency <- table[["currency"]][i]
  saves_s <- table[["finish_p50"]][i] - finish
  saves <- table[["cost_p50"]][i] - cost
  says <- paste0(what, " ", change_words(saves, "saves", "costs", "more", function(x) format_money(x, currency)),
                 " and ",
                 change_words(saves_s, "ends", "ends", c("sooner", "later"), format_duration), also, ": ",
                 if (!fits) "it would not fit." else if (is.na(choice$pick)) "it would fit."
                 else if (saves > 0 || saves_s > 0 && saves >= 0) "worth a thought."
                 else "not worth it.")
  list(data.frame(test = test, option = option, finish_s = finish, cost = cost, saves_s = saves_s, saves = saves,
                  noise = noise, fits = fits, says = says))
}

change_words <- function(x, less, more, word, format) {
  if (length(word) == 2) {
    if (abs(x) < 0.5 || is.na(x)) return("ends as early")
    return(paste(less, format(abs(x)), if (x > 0) word[1] else word[2]))
  }
  if (x == 0) "costs the same" else if (x > 0) paste(less, format(x)) else paste(more, format(-x), word)
}

# Does one question's answer fit? Of an option that was not in the table.
fits_asked <- function(d, choice) {
  draws <- list(list(finish_s = d[["finish_s"]], cost = d[["cost"]]))
  with_distances(data.frame(fits = NA), draws, choice)[["fits"]]
}

# The same site, tier and nodes, begun later.
test_night <- function(choice, i) {
  options <- as_frame(choice$forecast$options)
  same <- options[["begin_s"]] > options[["begin_s"]][i]
  for (name in c("site", "tier", "nodes", "engine", "version", "limit", "spread")) {
    same <- same & options[[name]] == options[[name]][i]
  }
  table <- as_frame(choice$options)
  at <- which(same & (is.na(options[["hire"]]) | options[["hire"]] %in% options[["hire"]][i]))
  if (!length(at)) return(NULL)
  at <- at[which.min(table[["cost_p50"]][at])]
  one_test(choice, i, "wait", table[["option"]][at], table[["finish_p50"]][at], table[["cost_p50"]][at], 1,
           table[["fits"]][at], paste0("Waiting until ", options[["start"]][at], " at ", options[["site"]][at]))
}

# The option once more with its job, or its speed, changed.
again <- function(choice, i, job, log_speed = 0) {
  forecast <- choice$forecast
  option <- as.list(as_frame(forecast$options)[i, , drop = FALSE])
  option$log_speed <- option$log_speed + log_speed
  simulate_option(job, option, attr(forecast$options, "sites")[[option$site]],
                  frame_draws(job, kept_draws(job, forecast$n), forecast$seed), forecast$seed, forecast$made_at)
}

test_limit <- function(choice, i, share = 0.5) {
  job <- option_job(choice$forecast$options, i)
  if (!all(vapply(job$shots, function(shot) length(shot$limit$samples) > 0 && shot$limit$samples > 1, NA))) return(NULL)
  d <- again(choice, i, job, -with_share(job, share)$time_share[["log"]])
  one_test(choice, i, "limit", choice$options[["option"]][i], stats::median(d[["finish_s"]]),
           stats::median(d[["cost"]]),
           1 / sqrt(share), fits_asked(d, choice), "Half the samples",
           sprintf(", with %.2f times the noise (one over the root of the samples)", 1 / sqrt(share)))
}

# Frames that the ledger has with a feature and without it, all else equal: what leaving it out does to the time.
test_features <- function(choice, i) {
  job <- option_job(choice$forecast$options, i)
  rows <- as_frame(job$featured)
  if (!length(rows) || !nrow(rows)) return(NULL)
  found <- feature_ratios(rows)
  if (!nrow(found)) return(NULL)
  unlist(lapply(seq_len(nrow(found)), function(k) {
    d <- again(choice, i, job, -log(found$ratio[k]))
    one_test(choice, i, "feature", choice$options[["option"]][i], stats::median(d[["finish_s"]]),
             stats::median(d[["cost"]]), NA_real_, fits_asked(d, choice),
             paste0("With ", found$change[k], " (", number_text(found$ratio[k]), " times the time, ", found$n[k],
                    " pairs measured)"))
  }), recursive = FALSE)
}

# Mean time ratios of settings that differ in one feature alone: those that are faster.
feature_ratios <- function(rows) {
  sets <- feature_table(rows[["features"]])
  key <- row_key(rows, c("scene", "frame", "limit_kind", "limit_value", "width", "height", "node"))
  out <- lapply(names(sets), function(name) {
    others <- row_key(cbind(sets[setdiff(names(sets), name)], key = key), c(setdiff(names(sets), name), "key"))
    levels <- unique(sets[[name]])
    pairs <- utils::combn(levels, 2, simplify = FALSE)
    do.call(rbind, lapply(c(pairs, lapply(pairs, rev)), function(pair) {
      times <- lapply(pair, function(level) tapply(log(rows[["wall_s"]][sets[[name]] %in% level]),
                                                   others[sets[[name]] %in% level], mean))
      both <- intersect(names(times[[1]]), names(times[[2]]))
      if (length(both) < 2) return(NULL)
      ratio <- exp(mean(times[[2]][both] - times[[1]][both]))
      if (ratio > 0.95) return(NULL)
      data.frame(change = paste0(name, " ", pair[2], " instead of ", pair[1]), ratio = ratio, n = length(both))
    }))
  })
  out <- do.call(rbind, out)
  if (is.null(out)) data.frame(change = character(), ratio = numeric(), n = integer()) else out
}

# One's own nodes, all of them, from now on.
test_nothing <- function(choice, i) {
  table <- as_frame(choice$options)
  options <- as_frame(choice$forecast$options)
  kinds <- vapply(attr(choice$forecast$options, "sites")[options[["site"]]], `[[`, "", "kind")
  own <- which(kinds == "own" & options[["begin_s"]] == 0)
  if (!length(own) || kinds[[i]] == "own") return(NULL)
  at <- own[order(table[["finish_p50"]][own], table[["cost_p50"]][own])][1]
  one_test(choice, i, "nothing", table[["option"]][at], table[["finish_p50"]][at], table[["cost_p50"]][at], 1,
           table[["fits"]][at], paste0("Doing nothing, which leaves it to ", table[["option"]][at], ","))
}
