# Settling a job: its bill against what was promised, what was metered, and the card.

new_settled <- record_type(
  "cp_settled", job = is.character, site = is.character, currency = is.character,
  billed_in = is.character, steps = is.data.frame, promised = is.list, metered = is.data.frame,
  measured = is.logical, billed = is.numeric, lines = is.data.frame, findings = is.data.frame,
  too_much = is.numeric, rate = anything, runs = is.numeric, ratio = is.numeric,
  new = is.numeric, other = is.numeric, replaced = is.numeric, unmatched = is.character,
  card_as_of = anything, parts = anything, watched = maybe(is.list)
)

#' Settle the bill of a job
#'
#' Compares a site's bill for a job with the promise at the decision, the ledger's meter, and the
#' site's card, to the minor unit, and reports overcharges. The bill's lines are kept in the ledger,
#' each once however often the file is given; a line that comes again with another amount is kept as
#' its correction, and refunds are lines of their own. The outcome of the job is kept as evidence of
#' the site, from which later forecasts are corrected ([learned()]).
#'
#' From promised to billed there are these steps, whose differences add up exactly:
#' `since the promise` (the same forecast made again for the moment of placing, by the card as it is
#' now), `number of frames`, `speed` (the median frame relative to its forecast), `time a frame`
#' (the additional time of the others), `failed and unusable work` and `start, load and idle`, which
#' together lead to the card's own bill of the meter; then `doubled lines`,
#' `frames that never came`, `use beyond the meter`, `rate`, `tier or class`, `minimums`,
#' `rounding`, `discounts`, `tax`, `balances`, `refunds`, `unexplained`, and `exchange`. Without a
#' meter, `use` stands for the steps between. Failed work is priced as the last of a node's runs, so
#' that a discount by volume falls to it.
#'
#' @param project From [read_project()].
#' @param ledger A ledger from [open_ledger()], for writing.
#' @param job The job's name.
#' @param bill The file that the site sent, CSV or JSON, read as `bill` in the site's file says
#'   ([read_site()]), or by the columns of the FinOps Open Cost and Usage Specification 1.0. When
#'   absent, the bill that the ledger has.
#' @param site The site; the only one that sent one, or the only one there is, when absent.
#' @return A list of class `cp_settled`: `job`, `site`, `currency` (the project's), `billed_in` (the
#'   card's); `steps`, a tibble of `step`, `after`, `difference` (in the project's currency);
#'   `promised`, its mean and its 10 % and 90 % points; `metered` (the card's bill of what was
#'   metered, from [bill()]; `measured` says whether there is a meter); `billed` (in the card's
#'   currency), `lines`, a tibble of the bill's lines; `findings`, a tibble: `code`, `line`,
#'   `quantity`, `unit`, `known`, `price`, `known_price`, `amount` (overcharged, in the card's
#'   currency), `detail`, `claimed` (is it claimed back, or only to be explained?), `label`;
#'   `too_much`, their sum; `rate` of exchange when it was promised and now; `ratio`, the median
#'   frame relative to its forecast; `new` lines; `other` lines of the file, which are of other
#'   jobs; `replaced` lines of an earlier reading of the same file; `unmatched`, lines that no word
#'   of `bill: kinds` matched, as texts.
#' @section Conditions: `clockpigeon_error_bill` for a bill of another job, currency or month,
#'   without amounts or with lines of an unknown kind; `clockpigeon_error_import` for what cannot be
#'   read; `clockpigeon_error_job` for a job that was not placed.
#' @examples
#' \dontrun{
#' project <- read_project()
#' ledger <- open_ledger(project$ledger)
#' settle_job(project, ledger, "night-1", "bill.csv")
#' }
#' @export
settle_job <- function(project, ledger, job, bill = NULL, site = NULL) {
  settlement <- settle_bill(project, ledger, job, bill, site)
  if (length(settlement$outcomes)) add_outcomes(ledger, job, settlement$outcomes)
  settlement$settled
}

# The settled job, and its outcomes as evidence that is yet to be stored.
settle_bill <- function(project, ledger, job, bill, site) {
  watched <- watched_job(project, ledger, job, until = job_plan_record(ledger, job)$made_at)
  site <- settled_site(watched, ledger, job, bill, site)
  card <- project$sites[[site]]
  taken <- if (length(bill)) take_bill(bill, project, ledger, job, card, watched)
  lines <- asked_lines(ledger, job, site)
  if (!nrow(lines)) {
    stop_input("bill", paste("no bill of", site, "is known"), paste("job", job),
               paste0("Name the file: clockpigeon settle ", job, " --bill FILE."))
  }
  promise <- site_promise(watched, ledger, job, site)
  meter <- site_meter(project, ledger, job, site, watched$state$job$shots)
  priced <- priced_meter(meter, promise, card, watched)
  facts <- line_facts(meter, priced, promise, card, watched)
  doubted <- bill_doubts(lines, facts)
  own <- function(part) sum(priced$bill[["amount"]][priced$bill[["part"]] == part])
  tax <- if (length(card$tax) && !card$tax$included) card$tax$percent / 100 else NA_real_
  more <- bill_doubt_sums(doubted$lines, list(usage = own("list"), discount = own("discount")),
                          facts, sum(lines[["amount"]]) + or_else(taken$off, numeric()), tax)
  findings <- bill_finding_rows(rbind(doubted$findings, more), lines, facts)
  steps <- settled_steps(promise, meter, priced, doubted, card, project)
  settled <- new_settled(list(
    job = job, site = site, currency = project$currency, billed_in = card$currency,
    steps = as_table(steps$table), promised = promise[c("mean", "p10", "p90", "made_at")],
    metered = priced$bill, measured = meter$whole,
    billed = from_minor(to_minor(sum(lines[["amount"]]), card$currency), card$currency),
    lines = as_table(doubted$lines), findings = as_table(findings),
    too_much = round(sum(findings[["amount"]][findings[["claimed"]]]), facts$digits),
    rate = steps$rate,
    runs = meter$runs, ratio = or_else(priced$ratio, NA_real_),
    new = or_else(taken$new, 0L), other = or_else(taken$other, 0L),
    replaced = or_else(taken$replaced, 0L), unmatched = or_else(taken$unmatched, character()),
    card_as_of = card$as_of, parts = promise$part, watched = watched
  ))
  list(settled = settled,
       outcomes = settled_outcomes(ledger, job, site, promise, meter, priced, lines, watched,
                                   project))
}

# The site that is settled with: the one named, the one whose bill is known, or the only one.
settled_site <- function(watched, ledger, job, bill, site) {
  # A rescue is one of them once frames were sent there.
  sites <- unique(watched$parts[["site"]])
  if (length(site)) return(check_choice(site, argument("site"), sites))
  known <- unique(job_charges(ledger, job)[["site"]])
  own <- vapply(watched$state$scenario$sites[sites], function(s) s$kind == "own", NA)
  left <- if (length(bill)) sites[!own] else intersect(sites, known)
  left <- if (length(left)) left else sites
  if (length(left) > 1) {
    stop_input("job", paste("was placed at", toString(left)), argument("site"),
               "Say whose bill is settled: --site NAME.")
  }
  left
}

# ---- what was promised, and what the card makes of what was metered ------------------------------

# The site's part of the forecast: `mean` (recorded at the decision), `p10`, `p90`; `again` (mean of
# the same forecast made again), `lost` (mean cost of failing runs), `draws`; `frames` of the part
# with their expected `seconds` there, in `columns` of the job; `part`: its option; `engine`; `day`
# of the bill.
site_promise <- function(watched, ledger, job, site) {
  begun <- watched$begun
  plan <- job_decision(ledger, job)$plan
  at_site <- function(parts) which(begun$state$options[["site"]][parts$used] == site)
  of <- at_site(begun$parts)
  if (!length(of)) return(rescue_promise(watched, at_site(watched$going), plan, job, site))
  recorded <- as_frame(job_promises(ledger, job))
  recorded <- recorded[recorded[["what"]] == "cost", , drop = FALSE]
  draws <- begun$parts$draws[[of]]
  all <- sum(vapply(begun$parts$draws, function(d) mean(d[["cost"]]), 0))
  share <- if (all > 0) mean(draws[["cost"]]) / all else 1
  # Of several parts each has its own mean in the record; older records have that of the whole.
  part <- Find(function(part) part$site == site, plan$parts)
  own <- if (length(plan$parts) > 1) or_else(part$cost_mean, plan$cost_mean * share) else
    plan$cost_mean
  c(list(mean = own, p10 = recorded[["p10"]][1] * share, p90 = recorded[["p90"]][1] * share,
         made_at = recorded[["made_at"]][1]), part_promise(watched, begun$parts, of))
}

# Forecast of a rescue at the time when the rest was sent to it: it is not part of the original
# plan.
rescue_promise <- function(watched, of, plan, job, site) {
  if (!length(of)) {
    stop_input("job", paste("no part of the plan was at", site), paste("job", job),
               paste0("Its parts are at ", toString(vapply(plan$parts, `[[`, "", "site")), "."))
  }
  cost <- watched$going$draws[[of]][["cost"]]
  q <- quantile_of(cost, c(0.1, 0.9))
  c(list(mean = mean(cost), p10 = q[1], p90 = q[2],
         made_at = utc_now(watched$placed + watched$going$moment)),
    part_promise(watched, watched$going, of))
}

# Promise for one of the parts `parts`, as simulated_parts() has them.
part_promise <- function(watched, parts, of) {
  state <- watched$begun$state
  draws <- parts$draws[[of]]
  columns <- parts$runs[[of]]
  frames <- job_columns(state$job)[columns, , drop = FALSE]
  frames$seconds <- colMeans(state$seconds[, columns, drop = FALSE]) *
    mean(exp(-draws[["log_speed"]]))
  list(again = mean(draws[["cost"]]), lost = mean(draws[["lost_money"]]), draws = draws,
       frames = frames, part = as.list(as_frame(state$options)[parts$used[of], , drop = FALSE]),
       columns = columns, engine = state$job$engine, day = watched$placed)
}

# The card's price of a usage, each order separately: `bill`, and `cost`, which counts a prepaid
# balance as money.
card_bill <- function(usage, card, promise) {
  if (length(unique(usage[["order"]])) > 1) {
    parts <- lapply(split(usage, usage[["order"]]), card_bill, card = card, promise = promise)
    sum_of <- function(name) sum(vapply(parts, `[[`, 0, name))
    return(list(bill = as_frame(bind_tables(lapply(parts, `[[`, "bill"))), cost = sum_of("cost"),
                prepaid = sum_of("prepaid")))
  }
  usage <- if (NROW(usage)) node_stretches(usage[metered_columns], card) else
    data.frame(seconds = numeric())
  x <- as_frame(bill(usage, card, tier = null_if_na(promise$part$tier),
                     hire = null_if_na(promise$part$hire), engine = promise$engine,
                     on = promise$day))
  prepaid <- -sum(x[["amount"]][x[["part"]] == "credit" & x[["rule"]] %in% "prepaid balance"])
  whole <- function(amount) from_minor(to_minor(amount, card$currency), card$currency)
  list(bill = x, cost = whole(sum(x[["amount"]]) + prepaid), prepaid = prepaid)
}

# The card's bills of usages from the promised one to the metered one, each with one thing more as
# it was.
priced_meter <- function(meter, promise, card, watched) {
  cost <- function(usage) card_bill(usage, card, promise)$cost
  usage <- meter$usage
  expected <- expected_usage(promise$frames, usage, card, watched)
  if (!meter$whole) {
    came <- watched$came[promise$columns]
    done <- card_bill(expected[is.finite(came), , drop = FALSE], card, promise)
    return(c(list(promised = cost(expected), frames = done$cost, runs = 0), done))
  }
  good <- usage[usage[["activity"]] == "render" & usage[["status"]] == "ok" & !usage[["unusable"]],
                , drop = FALSE]
  # A frame that was rendered more than once is the work of its last run.
  good <- good[!duplicated(good[c("shot", "frame")], fromLast = TRUE), , drop = FALSE]
  # Up to here it is one order: that there were more is work done again.
  good$order <- usage[["order"]][1]
  at <- match(row_key(good, c("shot", "frame")), row_key(promise$frames, c("shot", "frame")))
  same <- good
  same$seconds <- ifelse(is.na(at), good[["seconds"]], promise$frames[["seconds"]][at])
  ratio <- stats::median((good[["seconds"]] / same[["seconds"]])[!is.na(at)])
  faster <- same
  faster$seconds <- same[["seconds"]] * or_else(ratio, 1)
  rendered <- usage[usage[["activity"]] == "render", , drop = FALSE]
  c(list(promised = cost(expected), frames = cost(same), speed = cost(faster), time = cost(good),
         failed = cost(rendered), ratio = ratio, runs = nrow(good)),
    card_bill(usage, card, promise))
}

# The frames of a part as they were expected, each where and when it was rendered, or else on those
# nodes in turn.
expected_usage <- function(frames, usage, card, watched) {
  sizes <- shot_megapixels(watched$state$job$shots)
  if (is.null(usage)) usage <- other_use("node-1", "render", 0, NA)
  rendered <- usage[usage[["activity"]] == "render" & usage[["status"]] == "ok", , drop = FALSE]
  at <- nrow(rendered) + 1 -
    match(row_key(frames, c("shot", "frame")), rev(row_key(rendered, c("shot", "frame"))))
  in_turn <- rep_len(or_else(unique(rendered[["node"]]), "node-1"), nrow(frames))
  begin <- local_text(as.numeric(watched$placed), card)
  data.frame(node = ifelse(is.na(at), in_turn, rendered[["node"]][at]), activity = "render",
             status = "ok", seconds = frames[["seconds"]], frames = 1L,
             megapixels = unname(sizes[frames[["shot"]]]),
             began = ifelse(is.na(at), begin, rendered[["began"]][at]),
             order = or_else(rendered[["order"]], "")[1])
}

# Facts that lines are compared with, as bill_doubts() takes them.
line_facts <- function(meter, priced, promise, card, watched) {
  tier <- null_if_na(promise$part$tier)
  hire <- null_if_na(promise$part$hire)
  tariff <- tariff_of(card, tier, hire, promise$engine, promise$day)
  prices <- lapply(tariff$charges,
                   function(charge) data.frame(unit = charge$per, price = charge$amounts))
  timed <- Filter(function(unit) sale_units[[unit]]$value == "ms", names(sale_units))
  parts <- lapply(stats::setNames(nm = timed), function(unit) {
    weight <- sale_units[[unit]]$weight
    if (is.null(weight)) 1 else sale_units[[unit]]$parts / tariff$defaults[[weight]]
  })
  lists <- priced$bill[priced$bill[["part"]] == "list", , drop = FALSE]
  orders <- length(unique(meter$usage[["order"]]))
  by_node <- priced$bill[["rule"]] %in% "minimum_node"
  came <- job_columns(watched$state$job)
  came$column <- seq_len(nrow(came))
  came <- came[came$column %in% promise$columns & is.finite(watched$came), c("shot", "frame"),
               drop = FALSE]
  failed <- meter$usage[meter$usage[["status"]] %in%
                        if (card$billed$failed) c("failed", "incomplete"),
                        c("shot", "frame"), drop = FALSE]
  came <- rbind(came, failed)
  list(prices = do.call(rbind, prices), others = other_prices(card, tier, hire, promise),
       parts = parts, windows = meter$windows,
       node_hours = promise$part$nodes * watched$passed_s / 3600,
       meter = if (meter$whole) lists[c("unit", "quantity")], delivered = came,
       own_minimum = if (orders > 1)
       sum(priced$bill[["amount"]][priced$bill[["part"]] == "minimum"]),
       step_s = tariff$charges[[1]]$step / 1000,
       spoilt = unusable_work(meter), minimum = max(tariff$minimum, tariff$minimum_month) /
         10^minor_digits(card$currency), node_minimum = sum(priced$bill[["amount"]][by_node]),
       billable = sum(lists[["quantity"]][lists[["unit"]] == "frame"]),
       digits = minor_digits(card$currency))
}

# Runs with unusable pictures: `frames`, and node-hours.
unusable_work <- function(meter) {
  bad <- meter$usage[meter$usage[["unusable"]] %in% TRUE, , drop = FALSE]
  if (NROW(bad))
    list(hours = sum(bad[["seconds"]]) / 3600, frames = format_frames(sort(unique(bad[["frame"]]))))
}

# The first charge's price by every other tier and class.
other_prices <- function(card, tier, hire, promise) {
  tiers <- vapply(card$tiers, `[[`, "", "tier")
  hires <- c(vapply(card$hires, `[[`, "", "hire"), if (!length(card$hires)) NA)
  own <- list(or_else(tier, tiers[1]), or_else(hire, hires[1]))
  row <- function(t, h) {
    if (identical(list(t, h), own)) return(NULL)
    charge <- tariff_of(card, t, null_if_na(h), promise$engine, promise$day)$charges[[1]]
    data.frame(unit = charge$per, price = charge$amounts[1],
               name = paste(c(t, null_if_na(h)), collapse = ", "))
  }
  # All classes of the first tier, then of the next.
  rows <- Map(row, rep(tiers, each = length(hires)), rep(hires, length(tiers)), USE.NAMES = FALSE)
  none <- data.frame(unit = character(), price = numeric(), name = character())
  as_frame(or_else(bind_tables(rows), none))
}

# Findings with the place of each line in the bill, and whether its amount is claimed back.
bill_finding_rows <- function(found, lines, facts) {
  found <- as_frame(found)
  # A minimum can take back some of what else is too much.
  found$claimed <- found[["code"]] == "minimum" |
    found[["code"]] != "unknown" & found[["amount"]] > 0
  found <- found[order(-found[["claimed"]], -found[["amount"]]), , drop = FALSE]
  # Rounded so that the sum is the rounded sum.
  of <- cumsum(found[["amount"]] * found[["claimed"]])
  rounded <- diff(c(0, round(of, facts$digits)))
  found$amount <- ifelse(found[["claimed"]], round(rounded, facts$digits),
                         round(found[["amount"]], facts$digits))
  # Lines from a file record their place in it.
  label <- ifelse(startsWith(lines[["key"]], "file "),
                  sub(" #[0-9a-f]{12}$", "", lines[["source"]]),
                  paste("line", lines[["line"]]))
  found$label <- label[found[["line"]]]
  at <- found[["code"]] == "doubled"
  found$detail[at] <- label[found[["known"]][at]]
  found$known[at] <- NA
  found
}

# ---- the steps -----------------------------------------------------------------------------------

# Steps from the promised to the billed amount; they add up to the minor unit.
settled_steps <- function(promise, meter, priced, doubted, card, project) {
  rate_on <- function(on) or_else(rate_to(card, project$currency, project$rates, on)$rate, NA_real_)
  then <- rate_on(as.Date(substr(promise$made_at, 1, 10)))
  now <- rate_on(NULL)
  if (is.na(then)) then <- now
  lines <- doubted$lines
  gap <- bill_gap(lines, priced$bill, doubted$findings, minor_digits(card$currency))
  gap[["balances"]] <- gap[["balances"]] - priced$prepaid
  fixed <- c(promised = promise$mean, "since the promise" = promise$again)
  after <- function(amount) promise$again + then * amount
  if (meter$whole) {
    made <- c("number of frames" = after(priced$frames - priced$promised),
              speed = after(priced$speed - priced$promised),
              "time a frame" = after(priced$time - priced$promised),
              "failed and unusable work" = after(priced$failed - priced$promised) - promise$lost,
              "start, load and idle" = then * priced$cost)
    beyond <- then * (priced$cost + cumsum(gap))
  } else {
    made <- c("number of frames" = after(priced$frames - priced$promised))
    use <- gap[["use beyond the meter"]]
    gap <- gap[names(gap) != "use beyond the meter"]
    made <- c(made, use = then * (priced$cost + use))
    beyond <- then * (priced$cost + use + cumsum(gap))
  }
  levels <- c(fixed, made, beyond, exchange = now * sum(lines[["amount"]]))
  list(table = step_table(levels, project$currency), rate = c(then = then, now = now))
}
