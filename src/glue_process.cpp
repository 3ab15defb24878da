// Facts about time and processes that R lacks: a clock that is never set, and orphans on Linux.
#include <Rcpp.h>

#include <chrono>

#ifdef __linux__
#include <sys/prctl.h>
#include <sys/wait.h>
#endif

// Seconds of a clock that only goes forward, even if the time of day is changed.
// [[Rcpp::export(rng = false)]]
double steady_seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Makes processes whose parent ends this one's children; false on systems without that feature.
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
