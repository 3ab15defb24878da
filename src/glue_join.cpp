// Bands of a picture joined, for R.
#include <Rcpp.h>
#include "core_join.h"

// Puts rows of PNG files under each other; "" or what is in the way.
// [[Rcpp::export]]
std::string join_png_bands(std::vector<std::string> paths, std::vector<int> first, std::vector<int> last, int height,
                           std::string to) {
  std::vector<clockpigeon::band> bands;
  for (size_t k = 0; k < paths.size(); ++k) bands.push_back({paths[k], first[k], last[k]});
  return clockpigeon::join_png(bands, height, to);
}
