# Which cards are of the same machines.

# The machines of each site, by the site's name: two are the same for cards of one's own that say so
# (`same_nodes_as`) or whose pools name a node in common. `sites`: by name.
machines_of_sites <- function(sites) {
  machines <- stats::setNames(nm = names(sites))
  join <- function(all) machines[machines %in% machines[all]] <<- machines[[all[1]]]
  for (site in Filter(function(site) site$same_nodes_as %in% names(sites), linked_sites(sites))) {
    join(c(site$same_nodes_as, site$site))
  }
  pools <- lapply(sites, function(site) unique(site$pool))
  for (node in unique(unlist(pools)))
    join(names(sites)[vapply(pools, function(pool) node %in% pool, NA)])
  machines
}

linked_sites <- function(sites) Filter(function(site) length(site$same_nodes_as) > 0, sites)

# Sites of a project, each `same_nodes_as` checked: it names a card of one's own.
check_same_nodes <- function(sites) {
  for (site in linked_sites(sites)) {
    where <- paste0("site ", site$site, ", field `same_nodes_as`")
    other <- sites[[check_choice(site$same_nodes_as, where, names(sites))]]
    if (site$kind != "own" || other$kind != "own") {
      stop_input("site", "is for two cards of your own machines", where, "Leave it out at farms.")
    }
  }
  sites
}
