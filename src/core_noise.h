// Noise of a pair of pictures, tile by tile, in one pass over both.
#pragma once
#include <cstddef>
#include <vector>

namespace clockpigeon {

// Two pictures of one size: planes of columns, as R keeps arrays (height x width x channels).
struct picture_pair {
  const double *a, *b;
  int height, width, channels;

  double difference(int y, int x, int channel) const {
    const size_t i = y + size_t(height) * (x + size_t(width) * channel);
    return a[i] - b[i];
  }
};

// Sums of a tile's values (all channels). Outliers are excluded from `kept` and included in everything else.
struct tile_sums {
  double values = 0, sum_a = 0, sum_b = 0, squares = 0;
  double kept = 0, kept_squares = 0;
  double down = 0, across = 0;  // products of differences of neighbours, of a part of the columns,
  double down_pairs = 0, across_pairs = 0;
  double near_values = 0, near_squares = 0, near_fourths = 0;  // and the squares and fourth powers there
  double strips = 0, strip_steps = 0;  // upright strips of whole width (all channels); squared steps of their squares
  double worst = 0;                    // largest squared difference of an outlier
  int outliers = 0;                    // pixels
};

struct noise_rules {
  int tile = 32;
  double times = 8;  // an outlier's difference exceeds this multiple of the root mean square around it
};

// Tiles in rows from the top, each row from the left. Values must be finite; where they are not, the sums are not
// either.
std::vector<tile_sums> tile_noise(const picture_pair &pair, const noise_rules &rules);

}  // namespace clockpigeon
