// Bands of a picture joined: rows of PNG files put under each other, their values as they are.
#pragma once
#include <string>
#include <vector>

namespace clockpigeon {

struct band {
  std::string path;
  long first, last;  // rows of the whole, from 1
};

// Writes the whole picture of `height` rows. A band's file holds its own rows, or the whole picture's. Returns what is
// in the way, empty for nothing; then `to` is whole.
std::string join_png(const std::vector<band> &bands, long height, const std::string &to);

}  // namespace clockpigeon
