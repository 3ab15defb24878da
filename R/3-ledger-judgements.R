# Judgements: which noise people found clean enough, without knowing which they saw.

#' Keep what people judged clean enough
#'
#' @param ledger A ledger from [open_ledger()].
#' @param sheet What `contact_sheet()` returned for a blind sheet.
#' @param accepted Letters of the crops that are clean enough; `character()` for none.
#' @param shot Name of the shot.
#' @param frame Its frame.
#' @param by Who judged; `NA` for an unnamed person.
#' @return `judge_sheet()`: the sheet with a column `accepted`, a tibble. `judged_noise()`: the
#'   noise of a tile (`seen` of `noise_map()`) that the shot's judgements accept: half of those
#'   shown at that noise are accepted, by a logistic curve over log noise where both answers
#'   overlap, otherwise the geometric mean between the noisiest crop accepted below all refused ones
#'   and the cleanest refused; `NULL` without judgements, or if none accepted.
#' @section Conditions: `clockpigeon_error_choice` for a letter that is not on the sheet;
#'   `clockpigeon_error_type` for an open sheet.
#' @noRd
judge_sheet <- function(ledger, sheet, accepted, shot, frame, by = NA_character_) {
  con <- ledger_connection(ledger)
  check_columns(sheet, argument("sheet"), c("letter", "tile", "samples", "noise"))
  if (anyNA(sheet[["letter"]])) {
    stop_input("type", "got an open sheet", argument("sheet"),
               "Give a blind one: people who know the count see less noise.")
  }
  accepted <- unique(toupper(trimws(accepted)))
  for (letter in accepted) check_choice(letter, argument("accepted"), sheet[["letter"]])
  sheet <- as_frame(sheet)
  sheet$accepted <- sheet[["letter"]] %in% accepted
  n <- nrow(sheet)
  write_ledger(con, function() {
    insert_rows(con, "judgements", list(
      judged_at = rep(utc_now(), n), by = rep(as.character(by), n),
      shot = rep(check_text(shot, argument("shot")), n), frame = rep(as.integer(frame), n),
      tile = as.integer(sheet$tile), samples = as.numeric(sheet$samples),
      noise = as.numeric(sheet$noise), accepted = as.integer(sheet$accepted)
    ))
  })
  as_table(sheet)
}

judged_noise <- function(ledger, shot) {
  con <- ledger_connection(ledger)
  if (!has_table(con, "judgements")) return(NULL)
  x <- ask_rows(con, "SELECT noise, accepted FROM judgements WHERE shot = ?", params = list(shot))
  acceptable_noise(x[["noise"]], x[["accepted"]] == 1)
}
