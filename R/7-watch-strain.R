# Strain on nodes while they render: full memory, waiting processors, slow downloads; and balances
# that are used up.

# `took`: timings of the job's frames, `wall_s`, `cpu_s`, `threads`, `peak_mem_mb`, `node`, and
# `memory_mb` of the machine.
strain_alarms <- function(x) {
  if (!NROW(x$took)) return(link_alarms(x))
  rbind(memory_alarms(x$took), idle_alarms(x), link_alarms(x))
}

# The newest rows of each node, of those that have enough.
newest_by_node <- function(rows, when, most = 8, least = 5) {
  rows <- rows[order(when), , drop = FALSE]
  groups <- split(rows, factor(rows[["node"]], unique(rows[["node"]])))
  lapply(Filter(function(g) nrow(g) >= least, groups), utils::tail, most)
}

# Frames that held over 90 % of a node's memory.
memory_alarms <- function(took) {
  full <- took[which(took[["peak_mem_mb"]] > 0.9 * took[["memory_mb"]]), , drop = FALSE]
  bind_tables(lapply(split(full, factor(full[["node"]], unique(full[["node"]]))), function(g) {
    of <- sum(took[["node"]] %in% g[["node"]][1])
    new_alarm("memory", "soon", NA, paste0(
      nrow(g), " of ", of, if (of == 1) " frame" else " frames", " of the node ", g[["node"]][1],
      " held over 90 % of its ", format_size(1e6 * g[["memory_mb"]][1]), " of memory (",
      format_size(1e6 * max(g[["peak_mem_mb"]])), ")"),
      paste0("Have it render fewer at once, or leave it out: what is put on its disk instead ",
             "takes many times as long."))
  }))
}

# Nodes whose processors wait: the last frames use less than 0.6 of what they used when the shot was
# measured, and each of them less than any did then.
idle_alarms <- function(x, share = 0.6) {
  if (is.null(x$state$job$evidence)) return(NULL)
  measured <- cpu_use(as_frame(x$state$job$evidence))
  measured <- measured[is.finite(measured)]
  if (length(measured) < 3) return(NULL)
  usual <- stats::median(measured)
  took <- x$took
  took$use <- cpu_use(took)
  took <- took[is.finite(took[["use"]]) & !is.na(took[["node"]]), , drop = FALSE]
  bind_tables(lapply(newest_by_node(took, took[["measured_at"]]), function(g) {
    now <- stats::median(g[["use"]])
    if (now > share * usual || max(g[["use"]]) >= min(measured)) return(NULL)
    new_alarm("idle", "soon", NA, paste0(
      "the last ", nrow(g), " frames of the node ", g[["node"]][1], " used ", format_percent(now),
      " of the cores they were ", "given, ", format_percent(usual), " when they were measured"),
      paste0("They wait for something: other work there, the disk that the scene is read from, ",
             "its link, or memory."))
  }))
}

# The share of its threads' time that a frame used.
cpu_use <- function(rows) {
  if (is.null(rows[["cpu_s"]])) return(numeric())
  threads <- ifelse(is.na(rows[["threads"]]), 1, rows[["threads"]])
  ifelse(rows[["status"]] %in% "ok" & rows[["wall_s"]] > 0,
         rows[["cpu_s"]] / (threads * rows[["wall_s"]]), NA_real_)
}

# Pictures that take long to arrive relative to their render time.
link_alarms <- function(x) {
  frames <- x$frames[x$frames[["state"]] %in% c("arrived", "usable") &
                     is.finite(x$frames[["seconds"]]) &
                       !is.na(x$frames[["node"]]) & !x$frames[["node"]] %in% nodes_of_sites(x), ,
                     drop = FALSE]
  frames$way <- frames[["since"]] - frames[["begun"]] - frames[["seconds"]]
  frames <- frames[is.finite(frames[["way"]]), , drop = FALSE]
  bind_tables(lapply(newest_by_node(frames, frames[["since"]]), function(g) {
    way <- stats::median(g[["way"]])
    took <- stats::median(g[["seconds"]])
    if (way < max(5, 0.5 * took)) return(NULL)
    new_alarm("link", "soon", NA, paste0(
      "pictures of the node ", g[["node"]][1], " take ", format_duration(way),
      " until they are here, and ", format_duration(took), " to render (median of the last ",
      nrow(g), ")"),
      paste0("See its link and the disk here, or let it write into a folder that both see: ",
             "`folder` of its file."))
  }))
}

# Nodes of which a site tells (`site/node`), and not the nodes themselves.
nodes_of_sites <- function(x) {
  nodes <- x$nodes[["node"]]
  nodes[grepl("/", nodes, fixed = TRUE) & sub("/.*", "", nodes) %in% x$at_sites[["site"]]]
}

# Prepaid money that the rest of the job will use up, at the charges so far. Gifts are used first. A
# used-up gift alone stops no job.
balance_alarm <- function(x, site, part) {
  if (is.na(site$charged)) return(NULL)
  card <- x$state$scenario$sites[[site$site]]
  if (!any(vapply(card$balances, function(b) b$kind == "prepaid", NA))) return(NULL)
  held <- balance_held(card, x$state$job, c(given_kinds, "prepaid"))
  # A gift reduces our payment, not the site's charge.
  total <- x$parts[["cost_mean"]][part] + mean(or_else(x$going$draws[[part]][["gifts"]], 0))
  if (is.na(held) || site$charged < 0.05 * total || total <= held) return(NULL)
  currency <- x$state$scenario$currency
  gone <- site$charged >= held
  share <- (held - site$charged) / (total - site$charged)
  at <- x$passed_s + share * (x$parts[["finish_p50"]][part] - x$passed_s)
  new_alarm("balance", if (gone) "now" else "soon", site$site, paste0(
    "the balances at ", site$site, " are worth ", format_money(held, currency), ", ",
    format_money(site$charged, currency), " are charged, and its part comes to ",
    format_money(total, currency), " on average"),
            "Top it up: a prepaid site stops at a zero balance.",
    if (gone || !is.finite(at)) NA_real_ else at)
}
