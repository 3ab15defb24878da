# The clock by which durations are measured, and the one hold on processes that needs compiled code.

# Seconds of a clock that only goes forward: it neither steps when the time of day is set nor stands still. Only
# differences mean something.
steady_clock <- function() steady_seconds()

# Has processes whose parent ends become children of this one, while `code` runs (Linux; elsewhere nothing changes).
with_orphans <- function(code) {
  adopted <- adopt_orphans(TRUE)
  on.exit(if (adopted) adopt_orphans(FALSE))
  code
}

bury_orphan <- function(pid) bury(as.integer(pid))
