// What R itself does not tell of time and processes: a clock that nobody sets, and orphans on Linux.
#include <Rcpp.h>

#include <chrono>

#ifdef __linux__
#include <sys/prctl.h>
#include <sys/wait.h>
#endif

// Seconds of a clock that only goes forward, whatever is done to the time of day.
// [[Rcpp::export(rng = false)]]
double steady_seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Whether processes whose parent ends become this one's children; false where the system knows no such thing.
// [[Rcpp::export(rng = false)]]
bool adopt_orphans(bool adopt) {
#ifdef __linux__
  return prctl(PR_SET_CHILD_SUBREAPER, adopt ? 1 : 0, 0, 0, 0) == 0;
#else
  return false;
#endif
}

// Takes an adopted child that has ended off the system's list.
// [[Rcpp::export(rng = false)]]
void bury(int pid) {
#ifdef __linux__
  waitpid(pid, nullptr, WNOHANG);
#endif
}
