// Blocks of pictures: the middle values of their rows.
#pragma once
#include <vector>

namespace clockpigeon {

// The middle one of the values of each row of blocks that are numbers, where at least `least` are; NaN else.
std::vector<double> row_medians(const double *x, int columns, int rows, int least);

}  // namespace clockpigeon
