#include "engine_picture.h"

#include <png.h>

#include <algorithm>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <stdexcept>

namespace pebble {

namespace {

uint8_t display(float linear) {  // sRGB transfer curve, IEC 61966-2-1
  const float c = std::min(1.0f, std::max(0.0f, linear));
  const float s = c <= 0.0031308f ? 12.92f * c : 1.055f * std::pow(c, 1 / 2.4f) - 0.055f;
  return static_cast<uint8_t>(std::lround(255 * s));
}

bool write_png(const Picture &p, const std::string &path) {
  std::vector<uint8_t> bytes;
  bytes.reserve(3 * p.pixels.size());
  for (const Vec &c : p.pixels) {
    for (int k = 0; k < 3; ++k) bytes.push_back(display(c[k]));
  }
  png_image image;
  std::memset(&image, 0, sizeof image);
  image.version = PNG_IMAGE_VERSION;
  image.width = p.width;
  image.height = p.height;
  image.format = PNG_FORMAT_RGB;
  return png_image_write_to_file(&image, path.c_str(), 0, bytes.data(), 0, nullptr) != 0;
}

bool write_pfm(const Picture &p, const std::string &path) {  // bottom row first, as the format has it
  std::FILE *file = std::fopen(path.c_str(), "wb");
  if (!file) return false;
  bool good = std::fprintf(file, "PF\n%d %d\n-1.0\n", p.width, p.height) > 0;
  for (int row = p.height - 1; row >= 0 && good; --row) {
    for (int column = 0; column < p.width && good; ++column) {
      const Vec &c = p.pixels[static_cast<size_t>(row) * p.width + column];
      const float rgb[3] = {c.x, c.y, c.z};
      good = std::fwrite(rgb, sizeof(float), 3, file) == 3;
    }
  }
  return std::fclose(file) == 0 && good;
}

}  // namespace

void write_picture(const Picture &picture, const std::string &path) {
  namespace fs = std::filesystem;
  std::error_code trouble;
  const fs::file_status there = fs::status(path, trouble);
  if (fs::exists(there) && !fs::is_regular_file(there)) {
    throw std::runtime_error("cannot write the picture " + path + ": there is something that is no file");
  }
  const std::string part = path + ".part";
  const bool pfm = path.size() > 4 && path.compare(path.size() - 4, 4, ".pfm") == 0;
  const bool good = pfm ? write_pfm(picture, part) : write_png(picture, part);
  if (good) fs::rename(part, path, trouble);
  if (!good || trouble) {
    fs::remove(part, trouble);
    throw std::runtime_error("cannot write the picture " + path);
  }
}

}  // namespace pebble
