// Eight draws side by side: random numbers, log-normal times and list scheduling in vector lanes.
//
// Every sum and product here is rounded as written (no fused operations), so that a processor with wide vectors and one
// without give the same draws bit by bit.
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3,no-math-errno")
#endif
#include <algorithm>
#include <cstring>
#include "core_random.h"
#include "core_simulate.h"

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define WIDE_VECTORS 1
#define WIDE_ONLY __attribute__((target("avx512f,avx512dq")))
#else
#define WIDE_ONLY
#endif
#define INSIDE inline __attribute__((always_inline))

namespace clockpigeon {

namespace {

typedef double reals __attribute__((vector_size(8 * kLanes), aligned(8), may_alias));
typedef int64_t wholes __attribute__((vector_size(8 * kLanes), aligned(8), may_alias));
typedef uint64_t words __attribute__((vector_size(8 * kLanes), aligned(8), may_alias));

// Helpers take and give vectors by reference: by value they would have another calling form on each kind of processor.
// No template here: a deduced type would lose the alignment of the names above.
INSIDE void as_bits(const reals &x, words &out) { std::memcpy(&out, &x, sizeof out); }
INSIDE void as_bits(const words &x, reals &out) { std::memcpy(&out, &x, sizeof out); }

// xoshiro256++ of core_random.h, eight streams stepped together.
struct eight_streams {
  words a, b, c, d;
  eight_streams(uint64_t seed, int first) {
    for (int l = 0; l < kLanes; ++l) {
      const auto s = random_stream(seed, uint64_t(first + l) + 1).state();
      a[l] = s[0], b[l] = s[1], c[l] = s[2], d[l] = s[3];
    }
  }
  INSIDE void next(words &out) {
    const words sum = a + d, t = b << 17;
    out = ((sum << 23) | (sum >> 41)) + a;
    c ^= a;
    d ^= b;
    b ^= c;
    a ^= d;
    c ^= t;
    d = (d << 45) | (d >> 19);
  }
};

// In (0, 1), by the upper 52 bits.
INSIDE void unit(const words &bits, reals &out) {
  const words one = (bits >> 12) | 0x3ff0000000000000ULL;
  as_bits(one, out);
  out = out - (1 - 0x1p-53);
}

// A whole number near 0 as a double and the other way, by the bits of 1.5 * 2^52.
constexpr double kMagic = 0x1.8p52;

// exp(x) for |x| below 700: 2^k exp(r), the series of exp(r) to r^13.
INSIDE void exp_of(const reals &x, reals &out) {
  const reals shifted = x * 1.4426950408889634 + kMagic, k = shifted - kMagic;
  const reals r = (x - k * 0x1.62e42fefa38p-1) - k * 0x1.ef35793c7673p-45;
  reals p = r * (1.0 / 6227020800) + 1.0 / 479001600;
  p = p * r + 1.0 / 39916800;
  p = p * r + 1.0 / 3628800;
  p = p * r + 1.0 / 362880;
  p = p * r + 1.0 / 40320;
  p = p * r + 1.0 / 5040;
  p = p * r + 1.0 / 720;
  p = p * r + 1.0 / 120;
  p = p * r + 1.0 / 24;
  p = p * r + 1.0 / 6;
  p = p * r + 0.5;
  p = p * r + 1;
  p = p * r + 1;
  words bits, power;
  as_bits(p, bits);
  as_bits(shifted, power);
  bits += power << 52;
  as_bits(bits, out);
}

// log(x) for x in (0, 1): x = m 2^e with m from sqrt(1/2) to sqrt(2), the series of log(m) in s = (m - 1) / (m + 1).
INSIDE void log_of(const reals &x, reals &out) {
  words bits;
  as_bits(x, bits);
  const words raised = bits + (0x3ff0000000000000ULL - 0x3fe6a09e667f3bcdULL);
  const words mantissa = (raised & 0x000fffffffffffffULL) + 0x3fe6a09e667f3bcdULL;
  const words exponent = (raised >> 52) + 0x4330000000000000ULL;  // 2^52 + 1023 + e
  reals m, e;
  as_bits(mantissa, m);
  as_bits(exponent, e);
  e = e - (0x1p52 + 1023);
  const reals s = (m - 1) / (m + 1), t = s * s;
  reals p = t * (2.0 / 19) + 2.0 / 17;
  p = p * t + 2.0 / 15;
  p = p * t + 2.0 / 13;
  p = p * t + 2.0 / 11;
  p = p * t + 2.0 / 9;
  p = p * t + 2.0 / 7;
  p = p * t + 2.0 / 5;
  p = p * t + 2.0 / 3;
  p = p * t + 2;
  out = e * 0.6931471805599453 + p * s;
}

// sin and cos of 2 pi u for u in (0, 1): the nearest quarter turn taken off, series of the rest.
INSIDE void turn_of(const reals &u, reals &sine, reals &cosine) {
  const reals shifted = u * 4 + kMagic, quarter = shifted - kMagic;
  const reals x = (u - quarter * 0.25) * 6.283185307179586, t = x * x;
  reals s = t * (-1.0 / 1307674368000) + 1.0 / 6227020800;
  s = s * t + -1.0 / 39916800;
  s = s * t + 1.0 / 362880;
  s = s * t + -1.0 / 5040;
  s = s * t + 1.0 / 120;
  s = s * t + -1.0 / 6;
  s = s * t + 1;
  s = s * x;
  reals c = t * (1.0 / 20922789888000) + -1.0 / 87178291200;
  c = c * t + 1.0 / 479001600;
  c = c * t + -1.0 / 3628800;
  c = c * t + 1.0 / 40320;
  c = c * t + -1.0 / 720;
  c = c * t + 1.0 / 24;
  c = c * t + -0.5;
  c = c * t + 1;
  words q, sine_bits, cosine_bits;
  as_bits(shifted, q);
  as_bits(s, sine_bits);
  as_bits(c, cosine_bits);
  const words odd = -(q & 1);  // all bits set where sine and cosine change places
  const words to_sine = (cosine_bits & odd) | (sine_bits & ~odd), to_cosine = (sine_bits & odd) | (cosine_bits & ~odd);
  const words minus_sine = (q & 2) << 62, minus_cosine = ((q + 1) & 2) << 62;
  const words signed_sine = to_sine ^ minus_sine, signed_cosine = to_cosine ^ minus_cosine;
  as_bits(signed_sine, sine);
  as_bits(signed_cosine, cosine);
}

// The root of x > 0: one over it by the bits, four times improved by Newton's rule. Roots of the library would not be
// taken side by side, for the errors that they report.
INSIDE void root_of(const reals &x, reals &out) {
  words bits;
  as_bits(x, bits);
  bits = 0x5fe6eb50c7b537a9ULL - (bits >> 1);
  reals y;
  as_bits(bits, y);
  const reals half = x * 0.5;
  for (int i = 0; i < 4; ++i) y = y * (1.5 - half * y * y);
  out = x * y;
}

}  // namespace

bool has_lanes() {
#ifdef WIDE_VECTORS
  return __builtin_cpu_supports("avx512dq");
#else
  return false;
#endif
}

// Normals in pairs by Box & Muller (1958, Ann. Math. Stat. 29, 610): always two numbers of the stream for two frames,
// so that eight streams stay in step. Step by step over a block of pairs, which keeps the processor busier than pair by
// pair.
INSIDE void draw_log_normal(const double *log_median, double sd, int frames, uint64_t seed, int first, double *out) {
  constexpr int kPairs = 32;
  eight_streams random(seed, first);
  reals radius[kPairs], turn[kPairs], value[2 * kPairs];
  for (int at = 0; at < frames; at += 2 * kPairs) {
    const int here = frames - at < 2 * kPairs ? frames - at : 2 * kPairs, pairs = (here + 1) / 2;
    for (int i = 0; i < pairs; ++i) {
      words bits;
      random.next(bits);
      unit(bits, radius[i]);
      random.next(bits);
      unit(bits, turn[i]);
    }
    for (int i = 0; i < pairs; ++i) {
      reals log_u;
      log_of(radius[i], log_u);
      root_of(log_u * -2.0, radius[i]);
    }
    for (int i = 0; i < pairs; ++i) {
      reals sine, cosine;
      turn_of(turn[i], sine, cosine);
      value[2 * i] = radius[i] * cosine;
      value[2 * i + 1] = radius[i] * sine;
    }
    for (int i = 0; i < here; ++i) {
      reals x;
      exp_of(value[i] * sd + log_median[at + i], x);
      std::memcpy(out + std::size_t(at + i) * kLanes, &x, sizeof x);
    }
  }
}

// The same code for wide vectors and for any: the compiler makes two of it.
WIDE_ONLY static void draw_wide(const Frames &f, int first, double *out) {
  draw_log_normal(f.log_median.data(), f.sd, f.frames, f.stream, f.before + first, out);
}
static void draw_narrow(const Frames &f, int first, double *out) {
  draw_log_normal(f.log_median.data(), f.sd, f.frames, f.stream, f.before + first, out);
}

void draw_frames(const Frames &f, int first, double *out) {
  if (!f.given) return has_lanes() ? draw_wide(f, first, out) : draw_narrow(f, first, out);
  // Eight draws of a frame lie side by side. Places beyond the last repeat it and are never read.
  const int here = std::min(kLanes, f.draws - first);
  for (int k = 0; k < f.frames; ++k) {
    const double *const from = f.given + std::size_t(k) * f.draws + first;
    double *const to = out + std::size_t(k) * kLanes;
    for (int l = 0; l < kLanes; ++l) to[l] = from[std::min(l, here - 1)];
  }
}

WIDE_ONLY void seconds_to_tasks(const double *seconds, int count, const double *per_second, ticks *tasks) {
  reals per;
  std::memcpy(&per, per_second, sizeof per);
  for (int k = 0; k < count; ++k) {
    reals x;
    std::memcpy(&x, seconds + std::size_t(k) * kLanes, sizeof x);
    x = x * per + 0.5;
    const wholes whole = __builtin_convertvector(x, wholes);
    std::memcpy(tasks + std::size_t(k) * kLanes, &whole, sizeof whole);
  }
}

// A straight scan for the node that is free first: the node's number in the low bits makes one minimum find both.
WIDE_ONLY void schedule_lanes(const ticks *tasks, int count, const Lanes &on) {
  wholes latest;
  std::memcpy(&latest, on.last, sizeof latest);
  const wholes *const end = reinterpret_cast<const wholes *>(on.free);
  const int nodes = on.nodes, bits = on.bits;
  const ticks mask = (ticks(1) << bits) - 1;
  const bool always = on.open->always(), halts = on.halt < kNever;
  const wholes halt = (wholes{} + on.halt) << bits;
  // Current stretch of open hours of each draw's nodes, and its end.
  std::size_t near[kLanes] = {};
  ticks edge[kLanes];
  for (int l = 0; l < kLanes; ++l) edge[l] = always ? kNever : 0;
  for (int k = 0; k < count; ++k) {
    wholes m0 = end[0], m1 = m0, m2 = m0, m3 = m0;
    int w = 1;
    for (; w + 3 < nodes; w += 4) {
      m0 = end[w] < m0 ? end[w] : m0;
      m1 = end[w + 1] < m1 ? end[w + 1] : m1;
      m2 = end[w + 2] < m2 ? end[w + 2] : m2;
      m3 = end[w + 3] < m3 ? end[w + 3] : m3;
    }
    for (; w < nodes; ++w) m0 = end[w] < m0 ? end[w] : m0;
    m0 = m1 < m0 ? m1 : m0;
    m2 = m3 < m2 ? m3 : m2;
    m0 = m2 < m0 ? m2 : m0;
    wholes x;
    std::memcpy(&x, tasks + std::size_t(k) * kLanes, sizeof x);
    x = x << bits;
    if (halts) x = m0 < halt ? x : wholes{};
    const wholes next = m0 + x, ended = next >> bits;
    if (halts) {
      latest = (ended > latest) & (m0 < halt) ? ended : latest;
    } else {
      latest = ended > latest ? ended : latest;
    }
    if (on.done) {
      const wholes key = halts ? (m0 < halt ? next : wholes{} + kNever) : next;
      std::memcpy(on.done + std::size_t(k) * kLanes, &key, sizeof key);
    }
    if (always) {
      for (int l = 0; l < kLanes; ++l) on.free[(m0[l] & mask) * kLanes + l] = next[l];
      continue;
    }
    for (int l = 0; l < kLanes; ++l) {
      ticks free = next[l];
      if (ended[l] >= edge[l]) {
        near[l] = on.open->at(m0[l] >> bits, near[l]);
        edge[l] = near[l] < on.open->to.size() ? on.open->to[near[l]] : kNever;
        free = on.open->next(ended[l], near[l]) << bits | (m0[l] & mask);
      }
      on.free[(m0[l] & mask) * kLanes + l] = free;
    }
  }
  std::memcpy(on.last, &latest, sizeof latest);
}

}  // namespace clockpigeon
