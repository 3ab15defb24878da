# Other options and their value: wait for the night, a lower limit, a feature less, doing nothing, a
# trial.

#' Other options and their value
#'
#' Holds the pick against what a producer asks next: wait for cheaper hours, render with half the
#' samples, leave a feature out (where the ledger has frames with and without it), or do nothing:
#' leave it to one's own nodes as they stand.
#'
#' @param choice From [choose_option()].
#' @return A tibble, one row a test: `test`, `option`, `finish_s` and `cost` (medians), `saves_s`
#'   and `saves` against the pick (below 0: it takes longer, or costs more), `noise` (times that of
#'   the pick), `fits`, `says` (a sentence).
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites), draws = 100)
#' worth_tests(choose_option(forecast, deadline = "30 h"))["says"]
#' @export
worth_tests <- function(choice) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  forecast <- choice$forecast
  keep_with(choice, "worth", function() {
    worth_of(choice, common_frames(forecast$scenario, forecast$n, forecast$seed))
  })
}

worth_of <- function(choice, frames) {
  table <- as_frame(choice$options)
  base <- if (is.na(choice$pick)) nearest_option(table) else choice$pick
  i <- match(base, table[["option"]])
  rows <- c(worth_night(choice, i), worth_limit(choice, i, frames),
            worth_features(choice, i, frames), worth_nothing(choice, i))
  empty <- data.frame(test = character(), option = character(), finish_s = numeric(),
                      cost = numeric(), saves_s = numeric(), saves = numeric(), noise = numeric(),
                      fits = logical(), change = character())
  out <- do.call(rbind, c(list(empty), rows))
  out[["says"]] <- worth_sentences(out, choice)
  as_table(out[setdiff(names(out), "change")])
}

# One test: its result compared with the picked or nearest option (row `i`). `change`: the
# difference in words.
one_test <- function(choice, i, test, result, fits, change, noise = 1,
                     option = choice$options[["option"]][i]) {
  table <- as_frame(choice$options)
  list(data.frame(test = test, option = option, finish_s = result$finish, cost = result$cost,
                  saves_s = table[["finish_p50"]][i] - result$finish,
                  saves = table[["cost_p50"]][i] - result$cost,
                  noise = noise, fits = fits, change = change))
}

# TRUE if these draws meet deadline and budget.
meets_limits <- function(d, choice) {
  draws <- list(list(finish_s = d[["finish_s"]], cost = d[["cost"]]))
  with_distances(data.frame(fits = NA), draws, choice)[["fits"]]
}

# Another row of the choice's own table.
row_result <- function(table, at)
  list(finish = table[["finish_p50"]][at], cost = table[["cost_p50"]][at])

# The same site, tier and nodes, with a later start.
worth_night <- function(choice, i) {
  options <- as_frame(choice$forecast$scenario$options)
  same <- options[["begin_s"]] > options[["begin_s"]][i]
  for (name in c("site", "tier", "nodes", "engine", "version", "limit", "spread")) {
    same <- same & options[[name]] == options[[name]][i]
  }
  table <- as_frame(choice$options)
  at <- which(same & (is.na(options[["hire"]]) | options[["hire"]] %in% options[["hire"]][i]))
  if (!length(at)) return(NULL)
  at <- at[which.min(table[["cost_p50"]][at])]
  one_test(choice, i, "wait", row_result(table, at), table[["fits"]][at],
           paste0("Waiting until ", options[["start"]][at], " at ", options[["site"]][at]),
           option = table[["option"]][at])
}

# The option again at another speed: its result and whether it fits.
option_at_speed <- function(choice, i, speed, frames) {
  d <- simulated(choice$forecast$scenario, i, frames, what_if(speed = speed))$draws
  list(finish = stats::median(d[["finish_s"]]), cost = stats::median(d[["cost"]]),
       fits = meets_limits(d, choice))
}

worth_limit <- function(choice, i, frames, share = 0.5) {
  job <- option_of(choice$forecast$scenario, i)$job_of
  if (!all(vapply(job$shots, function(shot) length(shot$limit$samples) > 0 &&
                  shot$limit$samples > 1, NA))) return(NULL)
  result <- option_at_speed(choice, i, exp(-with_share(job, share)$time_share[["log"]]), frames)
  one_test(choice, i, "limit", result, result$fits, "Half the samples", 1 / sqrt(share))
}

# Frames that the ledger has with a feature and without it, all else equal: what leaving it out does
# to the time.
worth_features <- function(choice, i, frames) {
  rows <- as_frame(option_of(choice$forecast$scenario, i)$job_of$featured)
  if (!length(rows) || !nrow(rows)) return(NULL)
  found <- feature_ratios(rows)
  unlist(lapply(seq_len(nrow(found)), function(k) {
    result <- option_at_speed(choice, i, 1 / found$ratio[k], frames)
    one_test(choice, i, "feature", result, result$fits,
             paste0("With ", found$change[k], " (", number_text(found$ratio[k]),
                    " times the time, ", found$n[k], " pairs measured)"), NA_real_)
  }), recursive = FALSE)
}

# Mean time ratios of settings that differ in one feature only: the faster ones.
feature_ratios <- function(rows) {
  sets <- feature_table(rows[["features"]])
  key <- row_key(rows, c("scene", "frame", "limit_kind", "limit_value", "width", "height", "node"))
  out <- lapply(names(sets), function(name) {
    others <- row_key(cbind(sets[setdiff(names(sets), name)], key = key),
                      c(setdiff(names(sets), name), "key"))
    levels <- unique(sets[[name]])
    pairs <- utils::combn(levels, 2, simplify = FALSE)
    times_at <- function(level) {
      here <- sets[[name]] %in% level
      tapply(log(rows[["wall_s"]][here]), others[here], mean)
    }
    do.call(rbind, lapply(c(pairs, lapply(pairs, rev)), function(pair) {
      times <- lapply(pair, times_at)
      both <- intersect(names(times[[1]]), names(times[[2]]))
      if (length(both) < 2) return(NULL)
      ratio <- exp(mean(times[[2]][both] - times[[1]][both]))
      if (ratio > 0.95) return(NULL)
      data.frame(change = paste0(name, " ", pair[2], " instead of ", pair[1]), ratio = ratio,
                 n = length(both))
    }))
  })
  out <- do.call(rbind, out)
  if (is.null(out)) data.frame(change = character(), ratio = numeric(), n = integer()) else out
}

# One's own nodes, all of them, from now on.
worth_nothing <- function(choice, i) {
  table <- as_frame(choice$options)
  scenario <- choice$forecast$scenario
  options <- as_frame(scenario$options)
  own <- options[["site"]] %in% own_sites(scenario)
  at <- which(own & options[["begin_s"]] == 0)
  if (!length(at) || own[i]) return(NULL)
  at <- at[order(table[["finish_p50"]][at], table[["cost_p50"]][at])][1]
  one_test(choice, i, "nothing", row_result(table, at), table[["fits"]][at],
           paste0("Doing nothing, which leaves it to ", table[["option"]][at], ","),
           option = table[["option"]][at])
}
