# The slots of own pools: what renders one frame at a time.

# The names of the nodes of a site's pool, one a slot.
pool_slots <- function(project, site) {
  site <- project$sites[[site]]
  if (site$kind != "own") return(character())
  site$pool
}

# A site's slots: a node, how many share its machine, and which of the site's it is.
site_slots <- function(project, site) {
  names <- pool_slots(project, site)
  slots <- lapply(seq_along(names), function(k) {
    node <- if (names[k] == "here" && is.null(project$nodes[["here"]])) this_node()
            else project_entry(project$nodes, names[k], "node")
    many <- sum(names == names[k])
    own <- sum(names[seq_len(k)] == names[k])
    node$slot <- paste0(site, "-", own)
    list(node = node, site = site, number = k, share = many, label = paste0(names[k], if (many > 1) paste0("/", own)))
  })
  stats::setNames(slots, vapply(slots, `[[`, "", "label"))
}

# The slots of several sites, told apart where a machine is in two pools.
all_slots <- function(project, sites) {
  slots <- unlist(lapply(sites, function(s) site_slots(project, s)), recursive = FALSE)
  twice <- names(slots) %in% names(slots)[duplicated(names(slots))]
  names(slots)[twice] <- paste0(names(slots), " (", vapply(slots, `[[`, "", "site"), ")")[twice]
  slots
}
