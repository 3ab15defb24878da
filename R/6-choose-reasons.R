# Reasons of a decision: codes with their numbers. 6-choose-words.R says them.

# One row for each thing to be said of an option: what it is (`code`), the share of draws that keep
# what was asked, and how much more time or money would let it in.
reasons_of <- function(table) {
  rows <- lapply(seq_len(nrow(table)), function(i) {
    row <- table[i, ]
    code <- reason_codes(row)
    share <- c(pick = NA, fits = NA, late = row[["p_deadline"]], unfinished = row[["p_deadline"]],
               dear = row[["p_budget"]], not_both = row[["p_both"]])
    data.frame(option = row[["option"]], code = code, share = unname(share[code]),
               seconds = ifelse(code %in% c("late", "unfinished", "not_both"), row[["late_s"]],
                                NA_real_),
               money = ifelse(code %in% c("dear", "not_both"), row[["over"]], NA_real_))
  })
  do.call(rbind, rows)
}

reason_codes <- function(row) {
  if (row[["pick"]]) return("pick")
  if (row[["fits"]]) return("fits")
  if (row[["late_s"]] > 0 && row[["over"]] > 0 && !row[["both_miss"]]) return("not_both")
  c(if (is.infinite(row[["late_s"]])) "unfinished" else if (row[["late_s"]] > 0) "late",
    if (row[["over"]] > 0) "dear")
}

# What a reader must know before acting on a plan.
warnings_of <- function(table, plan, stale) {
  rows <- table[table[["option"]] %in% plan_options_of(plan), , drop = FALSE]
  risky <- unique(rows[rows[["evidence"]] %in% c("claimed", "assumed"), c("evidence", "site"),
                       drop = FALSE])
  rbind(data.frame(code = rep("stale_card", length(stale)), about = stale),
        data.frame(code = sprintf("%s_speed", risky[["evidence"]]), about = risky[["site"]]))
}
