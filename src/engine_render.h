// Renders a band of one frame until a limit ends it.
#pragma once
#include <cstdint>
#include <vector>

#include "engine_scene.h"
#include "engine_tree.h"

namespace pebble {

// A limit that is 0 does not stand. At least one must.
struct Limits {
  int samples = 0;    // per pixel
  double noise = 0;   // standard error of a pixel over the mean brightness of the frame
  double time_s = 0;  // of computing
};

struct Job {
  int width = 0, height = 0;
  int row_from = 0, row_to = 0;  // the band: first row, and one past the last
  Limits limits;
  int threads = 1;
  uint64_t seed = 1;
  int bounces = 32;  // at most, along a path
};

struct Picture {
  int width = 0, height = 0;
  std::vector<Vec> pixels;  // linear, top row first
};

struct Outcome {
  Picture picture;
  double samples = 0;  // mean per pixel
  double noise = -1;   // reached; -1 when a pixel has fewer than two samples
  uint64_t rays = 0;
};

Vec trace(const Scene &scene, const Tree &tree, Ray ray, int bounces, Stream &stream, uint64_t &rays);
Outcome render(const Scene &scene, const Tree &tree, const Job &job);

}  // namespace pebble
