# The clock by which durations are measured, and the one hold on processes that needs compiled code.

# Seconds of a clock that only goes forward: it neither steps when the time of day is set nor stands
# still. Only differences mean something.
steady_clock <- function() steady_seconds()

# Has processes whose parent ends become children of this one, while `code` runs (Linux; elsewhere
# nothing changes).
with_orphans <- function(code) {
  adopted <- adopt_orphans(TRUE)
  on.exit(if (adopted) adopt_orphans(FALSE))
  code
}

bury_orphan <- function(pid) bury(as.integer(pid))

# Seconds that a step of a job took: by the steady clock, which no correction of the system's time
# disturbs, or by a simulated clock where there is one. Call the result before the step, and what it
# returns after it.
job_timer <- function() {
  clock <- if (has_clock_file()) function() as.numeric(this_moment()) else steady_clock
  began <- clock()
  function() clock() - began
}
