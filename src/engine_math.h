// Vectors and the random stream of the built-in engine.
#pragma once
#include <cmath>
#include <cstdint>

namespace pebble {

constexpr float kPi = 3.14159265358979f;

struct Vec {
  float x = 0, y = 0, z = 0;
  Vec() = default;
  constexpr Vec(float x_, float y_, float z_) : x(x_), y(y_), z(z_) {}
  float operator[](int axis) const { return axis == 0 ? x : axis == 1 ? y : z; }
  Vec &operator+=(const Vec &b) {
    x += b.x;
    y += b.y;
    z += b.z;
    return *this;
  }
};

inline Vec operator+(Vec a, Vec b) {
  return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Vec operator-(Vec a, Vec b) {
  return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Vec operator*(Vec a, Vec b) {
  return {a.x * b.x, a.y * b.y, a.z * b.z};
}
inline Vec operator*(Vec a, float s) {
  return {a.x * s, a.y * s, a.z * s};
}
inline float dot(Vec a, Vec b) {
  return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline Vec cross(Vec a, Vec b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline float length(Vec a) {
  return std::sqrt(dot(a, a));
}
inline Vec normalize(Vec a) {
  return a * (1.0f / length(a));
}
inline Vec reflect(Vec d, Vec n) {
  return d - n * (2 * dot(d, n));
}
inline float brightness(Vec c) {
  return 0.2126f * c.x + 0.7152f * c.y + 0.0722f * c.z;
}
inline float mix(float a, float b, float t) {
  return a + (b - a) * t;
}
inline Vec mix(Vec a, Vec b, float t) {
  return a + (b - a) * t;
}
inline float smooth(float t) {
  t = t < 0 ? 0 : t > 1 ? 1 : t;
  return t * t * (3 - 2 * t);
}

// One stream for each (seed, pixel, sample), so that a picture depends on neither the number of
// threads nor the order of the work. Generator: PCG-XSH-RR 64/32 (O'Neill 2014, HMC-CS-2014-0905);
// the streams are set apart by the finaliser of SplitMix64 (Steele, Lea & Flood 2014).
class Stream {
 public:
  Stream(uint64_t seed, uint64_t pixel, uint64_t sample)
      : state_(
            scramble(seed * 0x9E3779B97F4A7C15ull + scramble(pixel * 0xD1342543DE82EF95ull + scramble(sample + 1)))) {}
  float uniform() {  // in [0, 1)
    const uint64_t old = state_;
    state_ = old * 6364136223846793005ull + 1442695040888963407ull;
    const uint32_t shifted = static_cast<uint32_t>(((old >> 18u) ^ old) >> 27u);
    const uint32_t turn = static_cast<uint32_t>(old >> 59u);
    const uint32_t bits = (shifted >> turn) | (shifted << ((32u - turn) & 31u));
    return static_cast<float>(bits >> 8) * (1.0f / 16777216.0f);
  }

 private:
  static uint64_t scramble(uint64_t z) {
    z += 0x9E3779B97F4A7C15ull;
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ull;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBull;
    return z ^ (z >> 31);
  }
  uint64_t state_;
};

}  // namespace pebble
