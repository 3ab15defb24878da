# An alarm of a running job: a row of what is wrong.

alarm_levels <- c("now", "soon", "note")

new_alarm <- function(code, level, site, says, action, until_s = NA_real_) {
  data.frame(code = code, level = level, site = site, says = says, action = action,
             until_s = until_s)
}

# The gravest first, and of these what can be done for the shortest time; NULL: none.
ranked_alarms <- function(found) {
  if (is.null(found)) return(new_alarm("", "note", NA, "", "")[0, ])
  found[order(match(found[["level"]], alarm_levels), found[["until_s"]]), , drop = FALSE]
}
