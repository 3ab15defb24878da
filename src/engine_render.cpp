#include "engine_render.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <limits>
#include <thread>

namespace pebble {

namespace {

using Clock = std::chrono::steady_clock;

struct Pixel {
  Vec sum;
  double mean = 0, squares = 0;  // of the brightness (Welford 1962)
  int samples = 0;

  void add(Vec c) {
    sum += c;
    ++samples;
    const double x = brightness(c), d = x - mean;
    mean += d / samples;
    squares += d * (x - mean);
  }
  double variance() const { return squares / (samples - 1); }  // of one sample
};

class Eye {
 public:
  Eye(const Camera &c, int width, int height) : eye_(c.eye), width_(width), height_(height) {
    forward_ = normalize(c.target - c.eye);
    right_ = normalize(cross(Vec{0, 1, 0}, forward_));
    up_ = cross(forward_, right_);
    half_ = std::tan(c.fov_degrees * kPi / 360);
  }
  Ray through(float column, float row) const {
    const float x = (2 * column / width_ - 1) * half_ * width_ / height_, y = (1 - 2 * row / height_) * half_;
    return {eye_, normalize(forward_ + right_ * x + up_ * y)};
  }

 private:
  Vec eye_, forward_, right_, up_;
  float half_;
  int width_, height_;
};

// Mean brightness of the whole frame, judged on a coarse grid before the first pass: every band of a
// frame then works towards the same noise.
double frame_brightness(const Scene &scene, const Tree &tree, const Job &job, const Eye &eye) {
  constexpr int kColumns = 48, kRows = 27, kSamples = 4;
  double total = 0;
  uint64_t rays = 0;
  for (int cell = 0; cell < kColumns * kRows; ++cell) {
    for (int k = 0; k < kSamples; ++k) {
      Stream stream(job.seed ^ 0x5EEDull, cell, k);
      const float x = (cell % kColumns + stream.uniform()) / kColumns, y = (cell / kColumns + stream.uniform()) / kRows;
      total += brightness(trace(scene, tree, eye.through(x * job.width, y * job.height), job.bounces, stream, rays));
    }
  }
  return std::max(total / (kColumns * kRows * kSamples), 1e-6);
}

// Variance of one sample around each pixel: mean over the pixels of its row at most twelve away. A pixel's own few
// samples often miss its rare bright paths, and it would be ended by mistake; those of 25 pixels seldom do. (Pixels of
// one row only, so that a band ends its pixels as the whole frame would.)
std::vector<double> local_variance(const std::vector<Pixel> &pixels, int width) {
  constexpr int kReach = 12;
  std::vector<double> out(pixels.size());
  for (size_t start = 0; start < pixels.size(); start += width) {
    for (int x = 0; x < width; ++x) {
      const int from = std::max(x - kReach, 0), to = std::min(x + kReach, width - 1);
      double total = 0;
      for (int k = from; k <= to; ++k) total += pixels[start + k].variance();
      out[start + x] = total / (to - from + 1);
    }
  }
  return out;
}

// Samples of this pixel after the next pass: at most twice the present number, so that the spread is judged
// again on the way to a noise target.
int wanted(const Pixel &p, double variance, const Limits &limits, int most, double target) {
  constexpr int kLeast = 8;
  if (limits.noise <= 0 && limits.time_s <= 0) return most;
  int next = p.samples ? 2 * p.samples : limits.noise > 0 ? kLeast : 1;
  if (limits.noise > 0 && p.samples > 1) {
    const double need = variance / (target * target);
    next = need <= p.samples ? p.samples : static_cast<int>(std::min<double>(next, std::ceil(need)));
  }
  return std::min(next, most);
}

Outcome finish(const std::vector<Pixel> &pixels, const Job &job, uint64_t rays) {
  Outcome out;
  out.picture.width = job.width;
  out.picture.height = job.row_to - job.row_from;
  out.rays = rays;
  double total = 0, error = 0, light = 0;
  bool judged = true;
  for (const Pixel &p : pixels) {
    out.picture.pixels.push_back(p.sum * (1.0f / p.samples));
    total += p.samples;
    light += p.mean;
    if (p.samples < 2)
      judged = false;
    else
      error += p.variance() / p.samples;
  }
  const double n = static_cast<double>(pixels.size());
  out.samples = total / n;
  if (judged && light > 0) out.noise = std::sqrt(error / n) / (light / n);
  return out;
}

}  // namespace

Outcome render(const Scene &scene, const Tree &tree, const Job &job) {
  const auto start = Clock::now();
  const Limits &limits = job.limits;
  const Eye eye(scene.camera, job.width, job.height);
  const int rows = job.row_to - job.row_from;
  const int most = limits.samples > 0 ? limits.samples : std::numeric_limits<int>::max() / 4;
  const double target = limits.noise > 0 ? limits.noise * frame_brightness(scene, tree, job, eye) : 0;
  std::vector<Pixel> pixels(static_cast<size_t>(rows) * job.width);
  std::atomic<uint64_t> rays{0};
  auto late = [&] {
    return limits.time_s > 0 && std::chrono::duration<double>(Clock::now() - start).count() >= limits.time_s;
  };

  for (bool first = true;; first = false) {  // the first pass is always completed: each pixel has a sample
    std::vector<double> variance(pixels.size(), 0.0);
    if (!first && limits.noise > 0 && pixels[0].samples > 1) variance = local_variance(pixels, job.width);
    std::atomic<int> next_row{0};
    std::atomic<bool> more{false};
    auto work = [&] {
      uint64_t mine = 0;
      for (int r; (first || !late()) && (r = next_row++) < rows;) {
        for (int column = 0; column < job.width; ++column) {
          const size_t place = static_cast<size_t>(r) * job.width + column;
          Pixel &p = pixels[place];
          const uint64_t id = static_cast<uint64_t>(job.row_from + r) * job.width + column;
          const int goal = wanted(p, variance[place], limits, most, target);
          if (goal > p.samples) more = true;
          while (p.samples < goal) {
            Stream stream(job.seed, id, p.samples);
            const float dx = stream.uniform(), dy = stream.uniform();
            p.add(trace(scene, tree, eye.through(column + dx, job.row_from + r + dy), job.bounces, stream, mine));
          }
        }
      }
      rays += mine;
    };
    std::vector<std::thread> helpers;
    for (int k = 1; k < job.threads; ++k) helpers.emplace_back(work);
    work();
    for (std::thread &t : helpers) t.join();
    if (!more || late()) break;
  }
  return finish(pixels, job, rays);
}

}  // namespace pebble
