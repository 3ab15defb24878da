// Writes pictures: PNG (8 bit, sRGB) to look at, PFM (linear 32 bit float) to measure.
#pragma once
#include <string>

#include "engine_render.h"

namespace pebble {

// The kind follows the ending of the name, .png or .pfm. Throws std::runtime_error; the file appears whole or not at
// all.
void write_picture(const Picture &picture, const std::string &path);

}  // namespace pebble
