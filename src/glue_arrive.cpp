// Moments at which each number of frames had arrived, for matrices of R.
#include <Rcpp.h>
#include "core_arrive.h"

// The moments at which `counts` frames (rising, each once) of each draw had arrived: draws x counts. `home`: draws x
// frames.
// [[Rcpp::export]]
Rcpp::NumericMatrix frames_arrived(Rcpp::NumericMatrix home, Rcpp::IntegerVector counts) {
  int last = 0;
  for (int k : counts) {
    if (k <= last || k > home.ncol()) Rcpp::stop("counts of frames must rise, and be at most all");
    last = k;
  }
  Rcpp::NumericMatrix out(home.nrow(), counts.size());
  clockpigeon::arrivals_at(home.begin(), static_cast<std::size_t>(home.nrow()), static_cast<std::size_t>(home.ncol()),
                           std::vector<int>(counts.begin(), counts.end()), out.begin());
  return out;
}
