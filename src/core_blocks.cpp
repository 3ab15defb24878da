#include "core_blocks.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>

namespace clockpigeon {

std::vector<double> row_medians(const double *x, int columns, int rows, int least) {
  std::vector<double> out(rows, std::numeric_limits<double>::quiet_NaN()), kept;
  for (int r = 0; r < rows; ++r) {
    kept.clear();
    const double *row = x + size_t(r) * columns;
    std::copy_if(row, row + columns, std::back_inserter(kept), [](double v) { return !std::isnan(v); });
    if (int(kept.size()) < std::max(1, least)) continue;
    const size_t half = kept.size() / 2;
    std::nth_element(kept.begin(), kept.begin() + half, kept.end());
    out[r] = kept[half];
    if (kept.size() % 2 == 0) out[r] = 0.5 * (out[r] + *std::max_element(kept.begin(), kept.begin() + half));
  }
  return out;
}

}  // namespace clockpigeon
