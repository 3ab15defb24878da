// Random numbers in streams: the same for a seed and the number of a stream, whatever thread they are drawn on.
#pragma once
#include <array>
#include <cmath>
#include <cstdint>

namespace clockpigeon {

// xoshiro256++ (Blackman & Vigna 2021, ACM Trans. Math. Softw. 47, 36), its state filled by splitmix64. Normals by the
// ziggurat of Marsaglia & Tsang (2000, J. Stat. Softw. 5, 8), layer and value from different bits (Doornik 2005).
class random_stream {
 public:
  random_stream(uint64_t seed, uint64_t stream) {
    uint64_t x = seed * 0x9e3779b97f4a7c15ULL ^ (stream + 1) * 0xd1b54a32d192ed03ULL;
    for (uint64_t &s : state_) s = mixed(x += 0x9e3779b97f4a7c15ULL);
  }

  uint64_t next() {
    const uint64_t out = turned(state_[0] + state_[3], 23) + state_[0];
    const uint64_t t = state_[1] << 17;
    state_[2] ^= state_[0];
    state_[3] ^= state_[1];
    state_[1] ^= state_[2];
    state_[0] ^= state_[3];
    state_[2] ^= t;
    state_[3] = turned(state_[3], 45);
    return out;
  }

  std::array<uint64_t, 4> state() const { return {state_[0], state_[1], state_[2], state_[3]}; }

  // Between 0 and 1, neither of them.
  double uniform() { return (double(next() >> 12) + 0.5) * 0x1p-52; }

  double normal() {
    const layers &z = table();
    for (;;) {
      const uint64_t bits = next();
      const int i = int(bits & 255);
      const double x = double(int64_t(bits) >> 10) * 0x1p-53 * z.x[i];
      if (std::fabs(x) < z.x[i + 1]) return x;
      if (i == 0) return std::copysign(tail(), x);
      if (z.f[i] + uniform() * (z.f[i + 1] - z.f[i]) < std::exp(-x * x / 2)) return x;
    }
  }

  // Gamma of scale 1 (Marsaglia & Tsang 2000, ACM Trans. Math. Softw. 26, 363).
  double gamma(double shape) {
    if (shape < 1) return gamma(shape + 1) * std::pow(uniform(), 1 / shape);
    const double d = shape - 1.0 / 3, c = 1 / std::sqrt(9 * d);
    for (;;) {
      const double x = normal(), v = std::pow(1 + c * x, 3);
      if (v > 0 && std::log(uniform()) < x * x / 2 + d * (1 - v + std::log(v))) return d * v;
    }
  }

  double beta(double a, double b) {
    const double x = gamma(a), y = gamma(b);
    return x + y > 0 ? x / (x + y) : 0;
  }

 private:
  static constexpr double kEdge = 3.6541528853610088, kArea = 0.00492867323399;  // of 256 layers

  struct layers {
    double x[257], f[257];
    layers() {
      const auto density = [](double v) { return std::exp(-v * v / 2); };
      x[0] = kArea / density(kEdge);
      x[1] = kEdge;
      for (int i = 1; i < 255; ++i) x[i + 1] = std::sqrt(-2 * std::log(kArea / x[i] + density(x[i])));
      x[256] = 0;
      for (int i = 0; i <= 256; ++i) f[i] = density(x[i]);
    }
  };

  static const layers &table() {
    static const layers made;
    return made;
  }

  double tail() {
    for (;;) {
      const double x = -std::log(uniform()) / kEdge, y = -std::log(uniform());
      if (y + y > x * x) return kEdge + x;
    }
  }

  static uint64_t turned(uint64_t x, int by) { return (x << by) | (x >> (64 - by)); }
  static uint64_t mixed(uint64_t x) {
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
    x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
    return x ^ (x >> 31);
  }

  uint64_t state_[4];
};

}  // namespace clockpigeon
