// Random numbers in streams: the same for a seed and the number of a stream, on any thread.
#pragma once
#include <array>
#include <cmath>
#include <cstdint>

namespace clockpigeon {

// The normal quantile (Wichura 1988, Appl. Stat. 37, 477, AS 241, PPND16).
inline double normal_quantile(double p) {
  const auto ratio = [](const double *a, const double *b, double r) {
    double x = a[7], y = b[7];
    for (int i = 6; i >= 0; --i) {
      x = x * r + a[i];
      y = y * r + b[i];
    }
    return x / y;
  };
  static const double a[] = {3.3871328727963666080e0,  1.3314166789178437745e+2, 1.9715909503065514427e+3,
                             1.3731693765509461125e+4, 4.5921953931549871457e+4, 6.7265770927008700853e+4,
                             3.3430575583588128105e+4, 2.5090809287301226727e+3};
  static const double b[] = {1,
                             4.2313330701600911252e+1,
                             6.8718700749205790830e+2,
                             5.3941960214247511077e+3,
                             2.1213794301586595867e+4,
                             3.9307895800092710610e+4,
                             2.8729085735721942674e+4,
                             5.2264952788528545610e+3};
  static const double c[] = {1.42343711074968357734e0,  4.63033784615654529590e0, 5.76949722146069140550e0,
                             3.64784832476320460504e0,  1.27045825245236838258e0, 2.41780725177450611770e-1,
                             2.27238449892691845833e-2, 7.74545014278341407640e-4};
  static const double d[] = {1,
                             2.05319162663775882187e0,
                             1.67638483018380384940e0,
                             6.89767334985100004550e-1,
                             1.48103976427480074590e-1,
                             1.51986665636164571966e-2,
                             5.47593808499534494600e-4,
                             1.05075007164441684324e-9};
  static const double e[] = {6.65790464350110377720e0,  5.46378491116411436990e0,  1.78482653991729133580e0,
                             2.96560571828504891230e-1, 2.65321895265761230930e-2, 1.24266094738807843860e-3,
                             2.71155556874348757815e-5, 2.01033439929228813265e-7};
  static const double f[] = {1,
                             5.99832206555887937690e-1,
                             1.36929880922735805310e-1,
                             1.48753612908506148525e-2,
                             7.86869131145613259100e-4,
                             1.84631831751005468180e-5,
                             1.42151175831644588870e-7,
                             2.04426310338993978564e-15};
  const double q = p - 0.5;
  if (std::fabs(q) <= 0.425) return q * ratio(a, b, 0.180625 - q * q);
  const double r = std::sqrt(-std::log(q < 0 ? p : 1 - p));
  return std::copysign(r <= 5 ? ratio(c, d, r - 1.6) : ratio(e, f, r - 5), q);
}

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

// The first normal of a stream, spread evenly over draws: of each 256 consecutive draws every 256th part of the
// distribution holds one, in random order (Latin hypercube sampling, McKay, Beckman & Conover 1979, Technometrics
// 21, 239). So a tail holds its share of the draws for any number of them, and two seeds stay independent. `random`
// is the draw's stream.
inline double even_normal(uint64_t seed, uint64_t stream, random_stream &random) {
  random_stream block(seed, ~uint64_t(stream >> 8));
  const uint64_t keys = block.next();
  uint64_t at = stream & 255;
  // Steps that each take the 256 places to 256 others.
  for (int round = 0; round < 4; ++round) {
    at = (at * ((keys >> (16 * round) & 255) | 1) + (keys >> (16 * round + 8) & 255)) & 255;
    at ^= at >> 4;
  }
  return normal_quantile((double(at) + random.uniform()) / 256);
}

}  // namespace clockpigeon
