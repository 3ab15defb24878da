// Moments at which each number of a draw's frames had arrived.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>
#include <vector>

namespace clockpigeon {

// `home`: draws x frames by columns, the moment at which each frame is at home (infinite or no number: never).
// `counts`: rising, each from 1 to `frames`. `out`: draws x counts by columns, the moment at which each count was
// reached. Draws are taken sixteen at a time, so that columns are read in memory order, and sorted only as far as
// needed.
inline void arrivals_at(const double* home, std::size_t draws, std::size_t frames, const std::vector<int>& counts,
                        double* out) {
  const std::size_t together = 16;
  std::vector<double> rows(together * frames);
  for (std::size_t first = 0; first < draws; first += together) {
    const std::size_t some = std::min(together, draws - first);
    for (std::size_t f = 0; f < frames; ++f) {
      for (std::size_t d = 0; d < some; ++d) {
        const double at = home[f * draws + first + d];
        rows[d * frames + f] = std::isnan(at) ? std::numeric_limits<double>::infinity() : at;
      }
    }
    for (std::size_t d = 0; d < some; ++d) {
      auto begin = rows.begin() + static_cast<std::ptrdiff_t>(d * frames);
      const auto end = begin + static_cast<std::ptrdiff_t>(frames);
      const auto origin = begin;
      for (std::size_t k = 0; k < counts.size(); ++k) {
        const auto nth = origin + (counts[k] - 1);
        if (nth >= begin) std::nth_element(begin, nth, end);
        out[k * draws + first + d] = *nth;
        if (nth >= begin) begin = nth + 1;
      }
    }
  }
}

}  // namespace clockpigeon
