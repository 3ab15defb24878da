# A settled bill, in words and as a figure.

# `x` from settle_job(); all steps with `all`, else those that change something.
settle_lines <- function(x, all = FALSE, width = terminal_width()) {
  body <- settled_table(x, all)
  nothing <- setdiff(x$steps[["step"]], body[["step"]])
  c(wrap_lines(settle_head(x), width), "",
    text_table(body, right = c("change", x$currency), spare = "why", width = width),
    if (length(nothing)) wrap_lines(paste0("No change from: ", toString(nothing), "."), width),
    "", finding_texts(x, width))
}

# First sentence of a settled bill: promised, billed, overcharged.
settle_head <- function(x) {
  end <- utils::tail(x$steps[["after"]], 1)
  p <- x$promised
  priced <- all(x$lines[["basis"]] == "priced")
  over <- any(x$findings[["claimed"]])
  billed <- paste0(format_money(x$billed, x$billed_in),
                   if (x$billed_in != x$currency) paste0(" (", format_money(end, x$currency), ")"))
  paste0(if (over) paste0(x$site, " overcharged ", format_money(x$too_much, x$billed_in), " of ",
                          billed)
         else paste0(x$site, if (priced) " has sent no bill; by the rate card the runs cost "
                     else " billed ", billed),
         " for job ", x$job, ". Forecast on ", substr(p$made_at, 1, 10), ": ",
         format_money(p$mean, x$currency), if (!anyNA(c(p$p10, p$p90))) {
           paste0(" (80 % range ", format_span(format_money(p$p10), format_money(p$p90)), ")")
         }, ".",
         if (x$new > 0)
         paste0(" ", x$new, if (x$new == 1) " line is" else " lines are", " new in the ledger."),
         if (x$other > 0) paste0(" ", x$other, " lines of the file belong to other jobs."),
         if (x$replaced > 0)
         paste0(" ", x$replaced, if (x$replaced == 1) " earlier line was replaced."
                else " earlier lines were replaced."),
         if (length(x$unmatched))
         paste0(" No word of `bill: kinds` matches ", either_of_many(x$unmatched), "."))
}

# The first three of many texts.
either_of_many <- function(texts, most = 3) {
  more <- length(texts) - most
  paste0(paste(utils::head(texts, most), collapse = "; "),
         if (more > 0) paste0("; and ", more, " more lines"))
}

# Its steps as texts: all of them, or those that change something.
settled_table <- function(x, all = FALSE) {
  steps <- as_frame(x$steps)
  change <- ifelse(is.na(steps[["difference"]]), "",
                   sprintf("%+.*f", minor_digits(x$currency), steps[["difference"]]))
  out <- data.frame(step = steps[["step"]], change = change,
                    after = formatC(steps[["after"]], format = "f",
                                    digits = minor_digits(x$currency)),
                    why = step_words(x, steps[["step"]]))
  names(out)[3] <- x$currency
  out[all | seq_len(nrow(steps)) == 1 | !steps[["difference"]] %in% 0, , drop = FALSE]
}

# Reason of a step, in a few words.
step_words <- function(x, steps) {
  part <- x$watched$parts
  rate <- x$rate
  count <- function(code) sum(x$findings[["code"]] %in% code)
  at <- match(x$site, part[["site"]])
  words <- c(
    promised = "mean of the forecast", "since the promise" = "new forecast at the start",
    "number of frames" = paste(part[["there"]][at], "of", part[["frames"]][at], "delivered"),
    speed = if (x$measured)
      paste0("median frame took ", format(round(x$ratio, 2)), " of the forecast"),
    "time a frame" = "frames other than the median",
    "failed and unusable work" = if (x$measured)
    paste0(x$runs[["failed"]], " of ", x$runs[["all"]], " runs failed"),
    "start, load and idle" = "other use on the rate card", use = "not metered",
    "doubled lines" = paste(count("doubled"), "billed twice"),
    "use beyond the meter" = "more use billed than metered",
    rate = "billed and card prices differ",
    "tier or class" = "prices of another tier",
    rounding = "rounding of the lines",
    exchange = paste0(signif(rate[["then"]], 5), " then, ", signif(rate[["now"]], 5), " now")
  )
  out <- words[steps]
  unname(ifelse(is.na(out), "", out))
}

# Findings of a settled bill, as lines.
finding_texts <- function(x, width = terminal_width()) {
  f <- as_frame(x$findings)
  if (!nrow(f)) return(wrap_lines("The bill agrees with the rate card and the meter.", width))
  says <- finding_sentence(f, x$billed_in, x$card_as_of)
  marks <- ifelse(f[["claimed"]], "! ", "* ")
  c(unlist(lapply(paste0(marks, says), wrap_lines, width = width)),
    if (any(f[["claimed"]])) {
      c("", "To write a letter to the site:",
        paste0("  clockpigeon settle ", x$job, " --dispute FILE"))
    })
}

# Findings as sentences, their arithmetic shown.
finding_sentence <- function(f, currency, as_of) {
  money <- function(v) format_money(v, currency)
  # One that was worked out of an amount has no more digits than that bears.
  price <- function(v) paste(format_price(signif(v, 6), minor_digits(currency)), currency)
  number <- function(v) formatC(v, format = "f", digits = 3, drop0trailing = TRUE, big.mark = "")
  where <- function(k) {
    if (is.na(f[["label"]][k])) "Of all lines"
    else if (f[["lines"]][k] > 1)
      paste0(f[["lines"]][k], " lines, the first ", f[["label"]][k]) else f[["label"]][k]
  }
  card <- paste0("the card", if (length(as_of)) paste0(" of ", format(as_of)))
  vapply(seq_len(nrow(f)), function(k) {
    row <- as.list(f[k, ])
    amount <- money(row$amount)
    of <- function(...) paste0(where(k), ": ", ...)
    units <- paste(number(row$quantity), row$unit)
    switch(
      row$code,
      doubled = of("duplicate of ", row$detail, ": ", amount, "."),
      undelivered = of(if (is.na(row$detail))
                       paste0(units, " more than the ", number(row$known), " delivered")
                       else paste0("frames ", row$detail, ", never delivered"), ": ", amount, "."),
      sum = of(units, " x ", price(row$price), " = ", money(row$known), "; the bill says ", amount,
               " more."),
      price = of(units, " x (", price(row$price), " - ", price(row$known_price), " on ", card,
                 ") = ", amount, "."),
      tier = of(units, " x (", price(row$price), ", the price of ", row$detail, ", - ",
                price(row$known_price), " of the order) = ", amount, "."),
      beyond = of(units, " more than the ", number(row$known), " that ",
                  if (is.na(row$detail)) "all nodes" else row$detail, " can have worked: ", amount,
                  "."),
      meter = of(units, " more than the ", number(row$known), " of the runs: ", amount, "."),
      spoilt = of(units, " spent on unusable pictures (frames ", row$detail, "): ",
                  amount, "."),
      discount = paste0("The discount is ", money(row$quantity), ", and by ", card, " it is ",
                        money(row$known), ": ", amount, "."),
      tax = paste0("The tax is ", money(row$quantity), ", and ", format_percent(row$price),
                   " of what is due is ", money(row$known), ": ", amount, "."),
      total = paste0("A stated total is ", money(abs(row$amount)),
                     if (row$amount > 0) " more" else " less", " than the lines that it is of."),
      minimum = if (row$amount < 0) {
        paste0("The card's minimum is ", money(row$known), ", which leaves ", money(-row$amount),
               " less to claim back.")
      } else paste0("Up to the minimum ", money(row$quantity), " is billed, and by ", card,
                    " it is ", money(row$quantity - row$amount), ": ", amount, "."),
      unknown = of(amount, " for ", show_value(row$detail), ", which is not on ", card,
                   ": to be explained.")
    )
  }, "")
}

#' @export
print.cp_settled <- function(x, ...) {
  show_lines(settle_lines(x))
  invisible(x)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_settled <- function(object, ...) { # nolint: object_name_linter.
  steps <- as_frame(object$steps)
  first <- data.frame(step = "promised", from = 0, to = steps[["after"]][1], change = NA)
  moved <- which(!steps[["difference"]] %in% c(NA, 0))
  middle <- data.frame(step = steps[["step"]][moved],
                       from = steps[["after"]][moved] - steps[["difference"]][moved],
                       to = steps[["after"]][moved], change = steps[["difference"]][moved])
  last <- data.frame(step = "billed", from = 0, to = utils::tail(steps[["after"]], 1), change = NA)
  x <- rbind(first, middle, last)
  x$at <- rev(seq_len(nrow(x)))
  x$what <- ifelse(is.na(x$change), "whole", ifelse(x$change > 0, "more", "less"))
  digits <- minor_digits(object$currency)
  x$label <- ifelse(is.na(x$change), formatC(x$to, format = "f", digits = digits),
                    sprintf("%+.*f", digits, x$change))
  joined <- data.frame(at = x$at[-nrow(x)], value = x$to[-nrow(x)])
  room <- max(x$from, x$to) * 0.012
  ggplot2::ggplot(x) +
    ggplot2::geom_segment(ggplot2::aes(x = .data[["value"]], xend = .data[["value"]],
                                       y = .data[["at"]] + 0.35, yend = .data[["at"]] - 1.35),
                          joined, colour = "grey70", linewidth = 0.3) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data[["from"]], xmax = .data[["to"]],
                                    ymin = .data[["at"]] - 0.35, ymax = .data[["at"]] + 0.35,
                                    fill = .data[["what"]])) +
    ggplot2::geom_text(ggplot2::aes(x = pmax(.data[["from"]], .data[["to"]]) + room,
                                    y = .data[["at"]],
                                    label = .data[["label"]]), hjust = 0, size = 3.6) +
    ggplot2::scale_fill_manual(values = c(whole = "grey55", more = series_colours[2],
                                          less = series_colours[1]),
                               guide = "none") +
    ggplot2::scale_y_continuous(breaks = x$at, labels = x$step) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0, 0.12))) +
    ggplot2::labs(x = object$currency, y = NULL,
                  title = paste0("From promised to billed: job ", object$job, " at ", object$site),
                  subtitle = if (object$too_much > 0)
                  paste0(format_money(object$too_much, object$billed_in),
                         " overcharged"),
                  caption = "Orange: more. Blue: less. Differences add up to the minor unit.",
                  alt = paste0("Steps from ", x$label[1], " promised to ", x$label[nrow(x)], " ",
                               object$currency, " billed: ",
                               paste(middle$step, sprintf("%+.2f", middle$change), collapse = ", "),
                               ".")) +
    plain_theme() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
