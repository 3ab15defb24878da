// Work on several threads, for R: what a thread throws becomes an error of R, and the user can interrupt.
#pragma once
#include <Rcpp.h>
#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace clockpigeon {

// Calls work(i) for i from 0 to count - 1, each once, on this number of threads, including this one. `work` must not
// touch R. Between two calls this thread checks for a user interrupt.
template <class Work>
void on_threads(int count, int threads, const Work &work) {
  std::atomic<int> next{0};
  std::atomic<bool> stop{false};
  std::exception_ptr thrown;
  std::mutex keep;
  const auto one = [&]() {
    const int i = next++;
    if (stop || i >= count) return false;
    try {
      work(i);
    } catch (...) {
      const std::lock_guard<std::mutex> lock(keep);
      if (!thrown) thrown = std::current_exception();
      stop = true;
    }
    return true;
  };
  std::vector<std::thread> others;
  struct Joiner {
    std::vector<std::thread> &threads;
    ~Joiner() {
      for (std::thread &t : threads) t.join();
    }
  };
  bool interrupted = false;
  {
    const Joiner joiner{others};
    for (int i = 1; i < std::min(threads, count); ++i) {
      others.emplace_back([&] {
        while (one()) {
        }
      });
    }
    while (one()) {
      interrupted = R_ToplevelExec([](void *) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
      if (interrupted) stop = true;
    }
  }
  if (thrown) std::rethrow_exception(thrown);
  if (interrupted) throw Rcpp::internal::InterruptedException();
}

}  // namespace clockpigeon
