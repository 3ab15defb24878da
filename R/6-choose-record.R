# The decision record: question, evidence and pick, so that it can be checked and repeated.

#' Write the decision down
#'
#' Two files: `PATH.json`, complete and for machines, and `PATH.md`, for people. Both contain the
#' question, the pick and its reasons, every option with its chances, what would change the pick,
#' and everything needed to repeat it: the hashes of rate cards and shots, the state of the ledger,
#' exchange rates, seed, draws and versions. Possible biases of the choice are disclosed: discounts,
#' gifts and prepaid balances of any site in it.
#'
#' @param choice From [choose_option()].
#' @param path Path of the files without their endings.
#' @param changes From [break_even()]; made here when `NULL`.
#' @return `choice_record()`: the record as a list. `record_choice()`: the two paths, invisibly.
#' @section Conditions: `clockpigeon_error_file` when a file cannot be written there;
#'   `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites, only = "saltmill"), draws = 100)
#' record_choice(choose_option(forecast, "30 h"), tempfile("decision-"))
#' @export
record_choice <- function(choice, path = "decision", changes = NULL) {
  record <- choice_record(choice, changes)
  path <- check_text(path, argument("path"))
  files <- paste0(path, c(".json", ".md"))
  write_text(record_json(record), files[1])
  write_text(record_page(record), files[2])
  invisible(files)
}

#' Write a decision into the ledger, as a job with a name
#'
#' From then on the job is referred to by its name: its events, its bill and its forecasts are kept
#' with it. The name is unique regardless of case: one that was used before is refused, since frames
#' of both would mix.
#'
#' @param ledger A ledger from [open_ledger()].
#' @param choice From [choose_option()].
#' @param name Name of the job: letters, digits, and `.`, `_`, `-` between them.
#' @param by Who decided.
#' @param changes As for [record_choice()].
#' @return The record, as [record_choice()] writes it, invisibly.
#' @section Conditions: `clockpigeon_error_job` for a name that was used before, or of other
#'   characters.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites, only = "saltmill"), draws = 100)
#' ledger <- open_ledger(":memory:")
#' record_job(ledger, choose_option(forecast, "30 h"), "gears-final")
#' jobs(ledger)[c("name", "pick")]
#' close_ledger(ledger)
#' @export
record_job <- function(ledger, choice, name, by = Sys.info()[["user"]], changes = NULL) {
  record <- choice_record(choice, changes)
  scenario <- choice$forecast$scenario
  job <- main_job(scenario)
  shots <- lapply(unname(job$shots), function(shot) {
    list(shot = shot$shot, frames = format_frames(shot$frames), limit = format_limit(shot$limit),
         size = as.list(shot$size), hash = record_hash(shot))
  })
  add_job(ledger, list(
    name = name, made_at = record$made_at, by = as.character(by), question = to_json(record$asked),
    shots = to_json(shots), scenario = to_json(scenario_record(scenario)),
    decision = paste(record_json(record))
  ), promise_rows(choice))
  add_events(ledger, name,
             data.frame(what = "decided", time = record$made_at, place = plan_name(choice$plan),
                        source = "choose", detail = do_words(choice)))
  invisible(record)
}

# Inputs of the options: enough to make them again.
scenario_record <- function(scenario) {
  list(now = format(scenario$now, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"), currency = scenario$currency,
       options = as_frame(scenario$options), left_out = as_frame(scenario$left_out),
       pruned = scenario$pruned, hashes = scenario$hashes)
}

# Promise: quantiles of finish time (seconds from the moment) and cost, of the plan.
promise_rows <- function(choice) {
  forecast <- choice$forecast
  d <- choice$plan$draws
  rows <- lapply(c("finish_s", "cost"), function(what) {
    points <- quantile_of(d[[what]], forecast_probs)
    # A draw that never ends has no number in the database.
    points[!is.finite(points)] <- NA
    data.frame(made_at = format(forecast$scenario$now, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"),
               stage = "before",
               option = plan_name(choice$plan), what = what, draws = forecast$n,
               seed = forecast$seed, as.list(stats::setNames(points, forecast_points())))
  })
  do.call(rbind, rows)
}

# A decision as plain lists, for its record.
choice_record <- function(choice, changes = NULL) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  if (is.null(changes)) changes <- break_even(choice)
  forecast <- choice$forecast
  scenario <- forecast$scenario
  job <- main_job(scenario)
  moment <- function(at) format(at, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
  sites <- option_sites(scenario)
  list(
    format = "clockpigeon decision 3", made_at = moment(scenario$now),
    asked = list(
      shots = lapply(unname(job$shots),
                     function(shot) list(shot = shot$shot, frames = format_frames(shot$frames),
                                         limit = format_limit(shot$limit))),
      deadline = if (is.finite(choice$deadline_s)) moment(scenario$now + choice$deadline_s),
      budget = if (is.finite(choice$budget)) format_money(choice$budget, job$currency),
      confidence = choice$confidence,
      of = if (choice$together) "deadline and budget together" else "deadline and budget each",
      rule = choice$rule,
      spreads = asked_spreads(scenario)
    ),
    answer = as.list(answer_words(choice)), plan = plan_record(choice),
    pick = if (is.na(choice$pick)) NULL else choice$pick, reasons = as.list(explain(choice)),
    codes = as_frame(choice$reasons), warnings = as_frame(choice$warnings),
    changes = changes[["says"]], options = as_frame(choice$options),
    left_out = as_frame(scenario$left_out),
    evidence = list(engine = job$engine, version = job$version, rows = nrow(job$evidence),
                    newest = max(c(job$evidence[["measured_at"]], ""), na.rm = TRUE),
                    hash = record_hash(job$evidence),
                    ledger = first_of(job$ledger, NULL)),
    inputs = c(lapply(sites, function(site)
                      list(site = site$site, as_of = if (length(site$as_of)) format(site$as_of),
                           source = site$source, hash = record_hash(site))),
               lapply(job$shots, function(shot) list(shot = shot$shot, hash = record_hash(shot)))),
    exchange = if (!is.null(forecast$exchange)) as_frame(forecast$exchange),
    corrections = if (length(scenario$corrections)) as_frame(scenario$corrections),
    disclosures = list_discounts(scenario),
    doubts = scenario$doubts, changed_since = as.list(choice$stale),
    made_with = list(clockpigeon = getNamespaceVersion("clockpigeon")[[1]], r = R.version.string,
                     draws = forecast$n, seed = forecast$seed)
  )
}

# The ways to spread frames that the options had; NULL for whole frames alone.
asked_spreads <- function(scenario) {
  spreads <- unique(scenario$options[["spread"]])
  if (!identical(spreads, "frames")) as.list(spreads)
}

part_columns <- c("option", "site", "frames", "count", "cost_mean")

# The plan as it can be carried out: who renders which frames, when to look, and what is done then.
plan_record <- function(choice) {
  plan <- choice$plan
  scenario <- choice$forecast$scenario
  c(list(kind = plan$kind, fits = plan$fits, parts = as_frame(plan$parts)[part_columns],
         p_deadline = plan$p_deadline, p_budget = plan$p_budget, p_both = plan$p_both,
         cost_mean = plan$mean),
    if (plan$kind == "fallback") list(
      look = list(at = format(scenario$now + plan$look$at_s, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"),
                  fewer = plan$look$fewer, of = plan$look$of),
      rescue = plan$rescue, needed = plan$needed, cost_needed = plan$cost_needed,
      policy = policy_words(plan, scenario)
    ))
}

record_json <- function(record) {
  paste0(jsonlite::toJSON(record, auto_unbox = TRUE, pretty = TRUE, digits = NA, null = "null",
                          na = "null"))
}

# Discounts and credits of the sites, disclosed so that they can be ignored.
list_discounts <- function(scenario) {
  unlist(lapply(unname(option_sites(scenario)), site_disclosures, on = scenario$now))
}

site_disclosures <- function(site, on) {
  on <- day_in_zone(on, site$time_zone)
  offered <- Filter(function(d) (is.null(d$from) || on >= d$from) && (is.null(d$to) || on <= d$to),
                    site$discounts)
  balances <- Filter(function(b) is.null(b$until) || on <= b$until, site$balances)
  c(vapply(offered, function(d) paste0(site$site, ": discount ", d$discount, ", ", d$percent, " %"),
           ""),
    vapply(balances, function(b) paste0(site$site, ": ", b$kind, " balance ", b$balance, ", ",
                                        format_money(b$amount, site$currency)), ""))
}

# The record as a page of Markdown.
record_page <- function(record) {
  section <- function(title, lines) if (length(lines)) c("", paste("##", title), "", lines)
  list_of <- function(x) if (length(x)) paste("-", x)
  options <- record$options
  rows <- paste0("| ", options[["option"]], " | ", format_duration(options[["finish_p50"]]), " | ",
                 format_money(options[["cost_p50"]], options[["currency"]][1]), " | ",
                 format_percent(options[["p_deadline"]]), " | ",
                 format_percent(options[["p_budget"]]), " | ", options[["evidence"]], " |")
  reasons <- unlist(record$reasons)
  first <- c(names(reasons)[1], "time", "cost", "evidence")
  asked <- vapply(record$asked$shots,
                  function(s) paste0(s$shot, " (", s$frames, ", ", s$limit, ")"), "")
  c(paste0("# Decision of ", record$made_at), "",
    paste0("Asked: ", paste(asked, collapse = "; "), "; ",
           if (is.null(record$asked$deadline)) "no deadline" else
           paste("done by", record$asked$deadline), ", ",
           if (is.null(record$asked$budget)) "no budget" else paste("at most", record$asked$budget),
           ", chance ",
           format_percent(record$asked$confidence), ", the ", record$asked$rule, "."),
    "", paste0("- **", answer_heads[names(record$answer)], "**: ", unlist(record$answer)), "",
    paste0("Of single options: ", if (is.null(record$pick)) "none fits" else record$pick, ": ",
           reasons[1], "."),
    section("How it comes about",
            list_of(paste0(first[-1], ": ", reasons[first[-1]])[first[-1] %in% names(reasons)])),
    section("Changes that would move the plan", list_of(record$changes)),
    section("All options", c("| option | done after | cost | in time | in budget | speed is |",
                             "|---|---|---|---|---|---|", rows)),
    section("Left out", list_of(paste0(record$left_out[["site"]], ": ",
                                       record$left_out[["reason"]])[
      seq_len(NROW(record$left_out))])),
    section("Learned", list_of(learned_words(list(corrections = record$corrections)))),
    section("Disclosed", list_of(record$disclosures)), section("Doubtful", list_of(record$doubts)),
    section("Made from", list_of(reproduce_lines(record))))
}

# All that is needed to make a decision again, a line each.
reproduce_lines <- function(record) {
  c(paste0(record$evidence$rows, " timings of ", record$evidence$engine, " ",
           record$evidence$version, ", the newest of ", record$evidence$newest, ", hash ",
           record$evidence$hash),
    vapply(unname(record$inputs), function(x) paste0(first_of(x$site, x$shot), ": hash ", x$hash,
                                             if (length(x$as_of)) paste0(", prices of ", x$as_of)),
           ""),
    paste0("clockpigeon ", record$made_with$clockpigeon, ", ", record$made_with$r, ", ",
           record$made_with$draws, " draws, seed ", record$made_with$seed))
}
