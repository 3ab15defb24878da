#include "core_curve.h"

#include <algorithm>
#include <cmath>

namespace clockpigeon {

namespace {

// The process and its slope over sqrt(3) / range, both of variance sd^2 when at rest, over a step of x = sqrt(3) step /
// range: state <- a state + noise of covariance sd^2 q (Hartikainen & Sarkka 2010, eq. 14).
struct step_law {
  double a11, a12, a21, a22, q11, q12, q22;

  explicit step_law(double x) {
    const double fade = std::exp(-x), fade2 = fade * fade;
    a11 = fade * (1 + x);
    a12 = fade * x;
    a21 = -fade * x;
    a22 = fade * (1 - x);
    // exp(2x) - 1 - 2x - 2x^2, without loss where x is small.
    double rest;
    if (x < 0.5) {
      const double u = 2 * x;
      double term = u * u * u / 6;
      rest = term;
      for (int k = 4; k < 16; ++k) rest += term *= u / k;
    } else {
      rest = std::exp(2 * x) - 1 - 2 * x - 2 * x * x;
      if (!std::isfinite(rest)) {
        q11 = q22 = 1;
        q12 = 0;
        return;
      }
    }
    q11 = fade2 * rest;
    q12 = fade2 * 2 * x * x;
    q22 = fade2 * (4 * x + rest);
  }
};

double speed_of(const curve_parameters &p) {
  return std::sqrt(3.0) / p.range;
}

// M <- A M A' where A is the identity but for its first two rows and columns.
constexpr int kMost = 12;

void turn_both_sides(double M[][kMost], int n, double a11, double a12, double a21, double a22) {
  for (int b = 0; b < n; ++b) {
    const double m0 = M[0][b], m1 = M[1][b];
    M[0][b] = a11 * m0 + a12 * m1;
    M[1][b] = a21 * m0 + a22 * m1;
  }
  for (int a = 0; a < n; ++a) {
    const double m0 = M[a][0], m1 = M[a][1];
    M[a][0] = m0 * a11 + m1 * a12;
    M[a][1] = m0 * a21 + m1 * a22;
  }
}

// Filter over (process, slope, the frame's own part, coefficients), small and dense.
struct filter_state {
  int n;
  double m[kMost], P[kMost][kMost];

  filter_state(const std::vector<double> &mean, const std::vector<double> &sd) : n(3 + int(mean.size())) {
    for (int i = 0; i < n; ++i) {
      m[i] = i < 3 ? 0 : mean[i - 3];
      for (int j = 0; j < n; ++j) P[i][j] = 0;
      if (i >= 3) P[i][i] = sd[i - 3] * sd[i - 3];
    }
  }

  void restart(double sd) {
    for (int i = 0; i < 2; ++i) {
      m[i] = 0;
      for (int j = 0; j < n; ++j) P[i][j] = P[j][i] = 0;
      P[i][i] = sd * sd;
    }
  }

  void step(const step_law &s, double sd) {
    const double m0 = m[0], m1 = m[1];
    m[0] = s.a11 * m0 + s.a12 * m1;
    m[1] = s.a21 * m0 + s.a22 * m1;
    turn_both_sides(P, n, s.a11, s.a12, s.a21, s.a22);
    const double v = sd * sd;
    P[0][0] += v * s.q11;
    P[0][1] += v * s.q12;
    P[1][0] += v * s.q12;
    P[1][1] += v * s.q22;
  }

  void own(double mean, double variance) {
    m[2] = mean;
    for (int j = 0; j < n; ++j) P[2][j] = P[j][2] = 0;
    P[2][2] = variance;
  }

  // Takes a measurement in; h is 1, 0, 1 and then the row of the design. Returns what it adds to -2 log likelihood.
  double measure(double y, double noise, const double *design, double *gain = nullptr, double *miss = nullptr,
                 double *spread = nullptr) {
    double g[kMost], f = noise, v = y - m[0] - m[2];
    for (int i = 0; i < n; ++i) {
      double s = P[i][0] + P[i][2];
      for (int j = 3; j < n; ++j) s += P[i][j] * design[j - 3];
      g[i] = s;
    }
    f += g[0] + g[2];
    for (int j = 3; j < n; ++j) {
      f += g[j] * design[j - 3];
      v -= m[j] * design[j - 3];
    }
    f = std::max(f, 1e-14);
    for (int i = 0; i < n; ++i) {
      const double k = g[i] / f;
      m[i] += k * v;
      for (int j = 0; j < n; ++j) P[i][j] -= k * g[j];
      if (gain) gain[i] = k;
    }
    if (miss) *miss = v;
    if (spread) *spread = f;
    return std::log(2 * M_PI * f) + v * v / f;
  }
};

double own_variance(const curve_parameters &p, const curve_prior &prior, bool heavy, double extra) {
  return p.own * p.own + extra + (heavy ? prior.heavy_sd * prior.heavy_sd : 0);
}

// Lower root of a symmetric 2 x 2 matrix.
struct root2 {
  double l11, l21, l22;
  root2(double a, double b, double d) {
    l11 = std::sqrt(std::max(a, 0.0));
    l21 = l11 > 0 ? b / l11 : 0;
    l22 = std::sqrt(std::max(d - l21 * l21, 0.0));
  }
};

struct state2 {
  double value, slope;
};

state2 rest_state(double sd, random_stream &random) {
  return {sd * random.normal(), sd * random.normal()};
}

// Steps of one length, forward in the shot, free.
struct free_step {
  step_law law;
  root2 root;
  free_step(double x, double sd) : law(x), root(sd * sd * law.q11, sd * sd * law.q12, sd * sd * law.q22) {}

  state2 from(const state2 &s, random_stream &random) const {
    const double e = random.normal(), u = random.normal();
    return {law.a11 * s.value + law.a12 * s.slope + root.l11 * e,
            law.a21 * s.value + law.a22 * s.slope + root.l21 * e + root.l22 * u};
  }
  // Backward it is the same process with the slope turned round.
  state2 before(const state2 &s, random_stream &random) const {
    const state2 back = from({s.value, -s.slope}, random);
    return {back.value, -back.slope};
  }
};

// A step of x with a known state y after it: state <- f state + k known + root noise.
struct bridge_step {
  double f11, f12, f21, f22, k11, k12, k21, k22;
  root2 root{0, 0, 0};

  bridge_step(double x, double y, double sd) {
    const step_law s(x), t(y);
    // Covariance of the known state given the one before the step: t.a s.q t.a' + t.q.
    const double b11 = t.a11 * s.q11 + t.a12 * s.q12, b12 = t.a11 * s.q12 + t.a12 * s.q22;
    const double b21 = t.a21 * s.q11 + t.a22 * s.q12, b22 = t.a21 * s.q12 + t.a22 * s.q22;
    const double c11 = b11 * t.a11 + b12 * t.a12 + t.q11, c12 = b11 * t.a21 + b12 * t.a22 + t.q12,
                 c22 = b21 * t.a21 + b22 * t.a22 + t.q22;
    const double det = std::max(c11 * c22 - c12 * c12, 1e-300);
    // k = s.q t.a' inverse(c); b' is s.q t.a'.
    k11 = (b11 * c22 - b21 * c12) / det;
    k12 = (b21 * c11 - b11 * c12) / det;
    k21 = (b12 * c22 - b22 * c12) / det;
    k22 = (b22 * c11 - b12 * c12) / det;
    const double h11 = 1 - k11 * t.a11 - k12 * t.a21, h12 = -k11 * t.a12 - k12 * t.a22;
    const double h21 = -k21 * t.a11 - k22 * t.a21, h22 = 1 - k21 * t.a12 - k22 * t.a22;
    f11 = h11 * s.a11 + h12 * s.a21;
    f12 = h11 * s.a12 + h12 * s.a22;
    f21 = h21 * s.a11 + h22 * s.a21;
    f22 = h21 * s.a12 + h22 * s.a22;
    const auto quadratic = [](double a, double b, double c, double d, double q11, double q12, double q22) {
      return a * c * q11 + (a * d + b * c) * q12 + b * d * q22;  // (a b) q (c d)'
    };
    const double v = sd * sd;
    // h s.q h' + k t.q k' for two rows of h and k.
    const auto both = [&](double ha, double hb, double hc, double hd, double ka, double kb, double kc, double kd) {
      return v * (quadratic(ha, hb, hc, hd, s.q11, s.q12, s.q22) + quadratic(ka, kb, kc, kd, t.q11, t.q12, t.q22));
    };
    root = root2(both(h11, h12, h11, h12, k11, k12, k11, k12), both(h11, h12, h21, h22, k11, k12, k21, k22),
                 both(h21, h22, h21, h22, k21, k22, k21, k22));
  }

  state2 from(const state2 &s, const state2 &known, random_stream &random) const {
    const double e = random.normal(), u = random.normal();
    return {f11 * s.value + f12 * s.slope + k11 * known.value + k12 * known.slope + root.l11 * e,
            f21 * s.value + f22 * s.slope + k21 * known.value + k22 * known.slope + root.l21 * e + root.l22 * u};
  }
};

// A draw of the coefficients given all rows.
std::vector<double> draw_coefficients(const std::vector<double> &mean, const std::vector<double> &covariance,
                                      random_stream &random) {
  const int k = int(mean.size());
  std::vector<double> root(covariance), out(mean);
  for (int i = 0; i < k; ++i) {  // Cholesky, in place
    for (int j = 0; j <= i; ++j) {
      double s = root[i * k + j];
      for (int l = 0; l < j; ++l) s -= root[i * k + l] * root[j * k + l];
      root[i * k + j] = i == j ? std::sqrt(std::max(s, 0.0)) : root[j * k + j] > 0 ? s / root[j * k + j] : 0;
    }
  }
  for (int j = 0; j < k; ++j) {
    const double e = random.normal();
    for (int i = j; i < k; ++i) out[i] += root[i * k + j] * e;
  }
  return out;
}

// The probed frames' process and own parts, one draw, the coefficients given: filter forward, draw backward
// (Carter & Kohn 1994, Biometrika 81, 541).
struct probe_draw {
  std::vector<state2> state;
  std::vector<double> own;    // the frame's own part
  std::vector<double> value;  // mean of what was measured less the coefficients' part
  std::vector<double> noise;  // its variance, own part not included
};

void draw_probes(const curve_data &data, const curve_parameters &p, const curve_prior &prior,
                 const std::vector<char> &heavy, const std::vector<double> &coefficients, random_stream &random,
                 probe_draw &out) {
  const int m = int(data.at.size()), k = data.coefficients();
  out.state.resize(m);
  out.own.resize(m);
  out.value.assign(m, 0);
  out.noise.assign(m, 0);
  for (size_t r = 0; r < data.y.size(); ++r) {
    double rest = data.y[r];
    for (int j = 0; j < k; ++j) rest -= data.design[r * k + j] * coefficients[j];
    const double weight = 1 / std::max(data.noise[r], 1e-20);
    out.value[data.frame[r]] += weight * rest;
    out.noise[data.frame[r]] += weight;
  }
  struct kept {
    double m0, m1, p00, p01, p11;
  };
  std::vector<kept> seen(m);
  std::vector<step_law> law;
  law.reserve(m);
  kept now{0, 0, 0, 0, 0};
  const double v = p.sd * p.sd, speed = speed_of(p);
  for (int i = 0; i < m; ++i) {
    out.value[i] /= out.noise[i];
    out.noise[i] = 1 / out.noise[i];
    law.emplace_back(i ? speed * (data.at[i] - data.at[i - 1]) : 0);
    if (i == 0 || data.fresh[i]) {
      now = {0, 0, v, 0, v};
    } else {
      const step_law &s = law[i];
      const double b00 = s.a11 * now.p00 + s.a12 * now.p01, b01 = s.a11 * now.p01 + s.a12 * now.p11;
      const double b10 = s.a21 * now.p00 + s.a22 * now.p01, b11 = s.a21 * now.p01 + s.a22 * now.p11;
      now = {s.a11 * now.m0 + s.a12 * now.m1, s.a21 * now.m0 + s.a22 * now.m1, b00 * s.a11 + b01 * s.a12 + v * s.q11,
             b00 * s.a21 + b01 * s.a22 + v * s.q12, b10 * s.a21 + b11 * s.a22 + v * s.q22};
    }
    const double mean = heavy[i] ? prior.heavy_mean : 0;
    const double f = now.p00 + out.noise[i] + own_variance(p, prior, heavy[i], data.extra[i]);
    const double miss = out.value[i] - mean - now.m0, k0 = now.p00 / f, k1 = now.p01 / f;
    now = {now.m0 + k0 * miss, now.m1 + k1 * miss, now.p00 - k0 * now.p00, now.p01 - k0 * now.p01,
           now.p11 - k1 * now.p01};
    seen[i] = now;
  }
  for (int i = m - 1; i >= 0; --i) {
    kept s = seen[i];
    if (i + 1 < m && !data.fresh[i + 1]) {
      const step_law &l = law[i + 1];
      const state2 &next = out.state[i + 1];
      // Covariance with the next state, and that state's own.
      const double c00 = s.p00 * l.a11 + s.p01 * l.a12, c01 = s.p00 * l.a21 + s.p01 * l.a22;
      const double c10 = s.p01 * l.a11 + s.p11 * l.a12, c11 = s.p01 * l.a21 + s.p11 * l.a22;
      const double n00 = l.a11 * c00 + l.a12 * c10 + v * l.q11, n01 = l.a11 * c01 + l.a12 * c11 + v * l.q12,
                   n11 = l.a21 * c01 + l.a22 * c11 + v * l.q22;
      const double det = std::max(n00 * n11 - n01 * n01, 1e-300);
      const double g00 = (c00 * n11 - c01 * n01) / det, g01 = (c01 * n00 - c00 * n01) / det;
      const double g10 = (c10 * n11 - c11 * n01) / det, g11 = (c11 * n00 - c10 * n01) / det;
      const double d0 = next.value - l.a11 * s.m0 - l.a12 * s.m1, d1 = next.slope - l.a21 * s.m0 - l.a22 * s.m1;
      s = {s.m0 + g00 * d0 + g01 * d1, s.m1 + g10 * d0 + g11 * d1, s.p00 - g00 * c00 - g01 * c01,
           s.p01 - g00 * c10 - g01 * c11, s.p11 - g10 * c10 - g11 * c11};
    }
    const root2 root(s.p00, s.p01, s.p11);
    const double e = random.normal(), u = random.normal();
    out.state[i] = {s.m0 + root.l11 * e, s.m1 + root.l21 * e + root.l22 * u};
    const double own = own_variance(p, prior, heavy[i], data.extra[i]), mean = heavy[i] ? prior.heavy_mean : 0;
    const double share = own / (own + out.noise[i]);
    out.own[i] =
        mean + share * (out.value[i] - out.state[i].value - mean) + std::sqrt(share * out.noise[i]) * random.normal();
  }
}

double log_normal(double x, double mean, double variance) {
  return -0.5 * (std::log(variance) + (x - mean) * (x - mean) / variance);
}

}  // namespace

double curve_likelihood(const curve_data &data, const curve_parameters &p, const curve_prior &prior,
                        const std::vector<char> &heavy, std::vector<double> *coefficients,
                        std::vector<double> *covariance) {
  filter_state state(data.mean, data.sd);
  const int k = data.coefficients();
  const double speed = speed_of(p);
  double total = 0;
  int last = -1;
  for (size_t r = 0; r < data.y.size(); ++r) {
    const int i = data.frame[r];
    if (i != last) {
      if (last < 0 || data.fresh[i])
        state.restart(p.sd);
      else
        state.step(step_law(speed * (data.at[i] - data.at[last])), p.sd);
      state.own(heavy[i] ? prior.heavy_mean : 0, own_variance(p, prior, heavy[i], data.extra[i]));
      last = i;
    }
    total += state.measure(data.y[r], data.noise[r], data.design.data() + r * k);
  }
  if (coefficients) coefficients->assign(state.m + 3, state.m + 3 + k);
  if (covariance) {
    covariance->resize(k * k);
    for (int i = 0; i < k; ++i) {
      for (int j = 0; j < k; ++j) (*covariance)[i * k + j] = state.P[3 + i][3 + j];
    }
  }
  return -total / 2;
}

std::vector<curve_sample> curve_chain(const curve_data &data, const curve_prior &prior, int draws, int thin,
                                      int warm_up, uint64_t seed) {
  random_stream random(seed, 0);
  const int m = int(data.at.size());
  std::vector<curve_sample> out;
  out.reserve(draws);
  curve_sample now;
  now.heavy.assign(m, 0);
  double place[3], width[3];
  for (int j = 0; j < 3; ++j) {
    place[j] = prior.mean[j];
    width[j] = prior.spread[j];
  }
  now.p.rate = prior.rate_a / (prior.rate_a + prior.rate_b);
  const auto put = [](curve_parameters &p, const double *at) {
    p.sd = std::exp(at[0]);
    p.range = std::exp(at[1]);
    p.own = std::exp(at[2]);
  };
  put(now.p, place);
  std::vector<double> coefficients, covariance;
  probe_draw path;
  for (int sweep = 0; sweep < warm_up + draws * thin; ++sweep) {
    double fit = curve_likelihood(data, now.p, prior, now.heavy, &coefficients, &covariance);
    for (int j = 0; j < 3; ++j) {
      double tried[3] = {place[0], place[1], place[2]};
      tried[j] += width[j] * random.normal();
      curve_parameters p = now.p;
      put(p, tried);
      std::vector<double> c, v;
      const double there = curve_likelihood(data, p, prior, now.heavy, &c, &v);
      const double gain = there - fit + log_normal(tried[j], prior.mean[j], prior.spread[j] * prior.spread[j]) -
                          log_normal(place[j], prior.mean[j], prior.spread[j] * prior.spread[j]);
      const bool taken = std::log(random.uniform()) < gain;
      if (taken) {
        place[j] = tried[j];
        now.p = p;
        fit = there;
        coefficients.swap(c);
        covariance.swap(v);
      }
      // Towards 44 % of steps taken, while warming up.
      if (sweep < warm_up) width[j] *= std::exp((taken ? 0.56 : -0.44) * 2 / std::sqrt(sweep + 4.0));
    }
    draw_probes(data, now.p, prior, now.heavy, draw_coefficients(coefficients, covariance, random), random, path);
    int count = 0;
    for (int i = 0; i < m; ++i) {
      const double rest = path.value[i] - path.state[i].value, plain = own_variance(now.p, prior, false, data.extra[i]),
                   odd = own_variance(now.p, prior, true, data.extra[i]);
      const double odds = std::log(now.p.rate / (1 - now.p.rate)) +
                          log_normal(rest, prior.heavy_mean, odd + path.noise[i]) -
                          log_normal(rest, 0, plain + path.noise[i]);
      now.heavy[i] = std::log(1 / random.uniform() - 1) < odds;
      count += now.heavy[i];
    }
    now.p.rate = std::min(std::max(random.beta(prior.rate_a + count, prior.rate_b + m - count), 1e-12), 0.5);
    if (sweep >= warm_up && (sweep - warm_up) % thin == thin - 1) out.push_back(now);
  }
  return out;
}

namespace {

// First frames of the parts between cuts, and one past the last frame; cuts that are not known to the frame are drawn.
std::vector<int> part_starts(const curve_shot &shot, random_stream &random) {
  const int n = int(shot.frame.size());
  std::vector<int> starts{0};
  for (size_t c = 0; c < shot.cut_from.size(); ++c) {
    const double cut = shot.cut_from[c] + random.uniform() * (shot.cut_to[c] - shot.cut_from[c]);
    const int i = int(std::lower_bound(shot.frame.begin(), shot.frame.end(), cut) - shot.frame.begin());
    if (i > starts.back() && i < n) starts.push_back(i);
  }
  starts.push_back(n);
  return starts;
}

// Walks the process along the shot: from probe to probe by bridges, free before the first and after the last of a part.
// Most shots have frames one step apart, and what such steps need is worked out once.
class path_walk {
 public:
  path_walk(const curve_shot &shot, const curve_parameters &p, random_stream &random)
      : shot_(shot),
        sd_(p.sd),
        speed_(speed_of(p)),
        usual_(shot.frame.size() > 1 ? shot.frame[1] - shot.frame[0] : 1),
        step_(speed_ * usual_, sd_),
        random_(random),
        path(shot.frame.size()) {}

  // Frames from..to - 1, with the states of the probes first..last - 1 among them.
  void part(int from, int to, const std::vector<state2> &states, size_t first, size_t last) {
    int at = from;
    if (first == last) {
      path[from] = rest_state(sd_, random_);
    } else {
      at = shot_.probed[first];
      path[at] = states[first];
      for (int i = at - 1; i >= from; --i) {
        const double g = gap(i, i + 1);
        path[i] =
            g == usual_ ? step_.before(path[i + 1], random_) : free_step(speed_ * g, sd_).before(path[i + 1], random_);
      }
      for (size_t next = first + 1; next < last; ++next) {
        const int end = shot_.probed[next];
        path[end] = states[next];
        bridge(at, end);
        at = end;
      }
    }
    for (int i = at + 1; i < to; ++i) {
      const double g = gap(i - 1, i);
      path[i] = g == usual_ ? step_.from(path[i - 1], random_) : free_step(speed_ * g, sd_).from(path[i - 1], random_);
    }
  }

 private:
  double gap(int a, int b) const { return shot_.frame[b] - shot_.frame[a]; }

  void bridge(int at, int end) {
    if (gap(at, end) == usual_ * (end - at)) {  // whole numbers: exact
      while (int(bridges_.size()) < end - at - 1) {
        bridges_.emplace_back(speed_ * usual_, speed_ * usual_ * double(bridges_.size() + 1), sd_);
      }
      for (int i = at + 1; i < end; ++i) path[i] = bridges_[end - i - 1].from(path[i - 1], path[end], random_);
    } else {
      for (int i = at + 1; i < end; ++i) {
        path[i] = bridge_step(speed_ * gap(i - 1, i), speed_ * gap(i, end), sd_).from(path[i - 1], path[end], random_);
      }
    }
  }

  const curve_shot &shot_;
  const double sd_, speed_, usual_;
  const free_step step_;
  std::vector<bridge_step> bridges_;  // usual steps, by how many such steps are left after them
  random_stream &random_;

 public:
  std::vector<state2> path;
};

}  // namespace

void curve_path(const curve_data &data, const curve_shot &shot, const curve_prior &prior, const curve_sample &sample,
                random_stream &random, double *seconds, double *smooth) {
  const curve_parameters &p = sample.p;
  std::vector<double> coefficients, covariance;
  curve_likelihood(data, p, prior, sample.heavy, &coefficients, &covariance);
  coefficients = draw_coefficients(coefficients, covariance, random);
  probe_draw probes;
  draw_probes(data, p, prior, sample.heavy, coefficients, random, probes);
  const std::vector<int> starts = part_starts(shot, random);
  path_walk walk(shot, p, random);
  for (size_t part = 0, probe = 0; part + 1 < starts.size(); ++part) {
    const size_t first = probe;
    while (probe < shot.probed.size() && shot.probed[probe] < starts[part + 1]) ++probe;
    walk.part(starts[part], starts[part + 1], probes.state, first, probe);
  }
  // Frames' own parts, the run's spread and those that stand out, skipped to by their waiting times.
  const int n = int(shot.frame.size()), k = data.coefficients();
  const double run = shot.run_sd * shot.run_sd, usual_spread = std::sqrt(p.own * p.own + run);
  const auto wait = [&]() { return p.rate > 1e-9 ? std::log(random.uniform()) / std::log1p(-p.rate) : double(n); };
  double odd = wait();
  size_t probe = 0;
  for (int i = 0; i < n; ++i) {
    double log_s = walk.path[i].value;
    for (int j = 0; j < k; ++j) log_s += shot.design[size_t(i) * k + j] * coefficients[j];
    if (smooth) smooth[i] = log_s;
    if (probe < shot.probed.size() && shot.probed[probe] == i) {
      log_s += probes.own[probe] + (run > 0 ? shot.run_sd * random.normal() : 0);
      ++probe;
    } else {
      const double spread = shot.extra[i] > 0 ? std::sqrt(p.own * p.own + run + shot.extra[i]) : usual_spread;
      log_s += spread * random.normal();
      if (odd < 1) log_s += prior.heavy_mean + prior.heavy_sd * random.normal();
    }
    odd = odd < 1 ? wait() : odd - 1;
    seconds[i] = log_s;
  }
  for (int i = 0; i < n; ++i) seconds[i] = std::exp(seconds[i]);
}

void curve_to_design(const curve_shot &shot, const curve_design &design, double *seconds) {
  if (!design.known) return;
  const int n = int(shot.frame.size());
  const auto open_frames = [&](auto &&use) {
    size_t probe = 0;
    for (int i = 0; i < n; ++i) {
      if (probe < shot.probed.size() && shot.probed[probe] == i)
        ++probe;
      else
        use(seconds[i]);
    }
  };
  double sum = 0;
  open_frames([&](double &s) { sum += s; });
  if (!(sum > 0)) return;
  const double off = std::log(sum) - design.middle;
  const double wanted = std::min(std::max(off * (off < 0 ? design.below : design.above), -design.least), design.most);
  const double factor = std::exp(design.centre + wanted) / sum;
  open_frames([&](double &s) { s *= factor; });
}

// The filter over all frames, then the smoother without inverses (de Jong 1989, J. Am. Stat. Assoc. 84, 1085; Durbin &
// Koopman 2012, section 4.4).
namespace {

// Effect of one measurement on the filter.
struct taken_row {
  double gain[kMost], miss, spread;
  size_t row;
};

// The smoother's backward pass: r and N of de Jong 1989, taken back over measurements, own parts and steps.
struct look_back {
  int n;
  double r[kMost] = {0}, N[kMost][kMost] = {{0}};

  // r <- h miss / spread + L' r with L = I - gain h'; N <- h h' / spread + L' N L.
  void measurement(const taken_row &t, const double *h) {
    double kr = 0, kN[kMost], kNk = 0;
    for (int a = 0; a < n; ++a) {
      kr += t.gain[a] * r[a];
      kN[a] = 0;
      for (int b = 0; b < n; ++b) kN[a] += N[a][b] * t.gain[b];
    }
    for (int a = 0; a < n; ++a) kNk += t.gain[a] * kN[a];
    for (int a = 0; a < n; ++a) {
      r[a] += h[a] * (t.miss / t.spread - kr);
      for (int b = 0; b < n; ++b) N[a][b] += h[a] * h[b] * (1 / t.spread + kNk) - h[a] * kN[b] - kN[a] * h[b];
    }
  }

  void forget(int a) {
    r[a] = 0;
    for (int b = 0; b < n; ++b) N[a][b] = N[b][a] = 0;
  }

  void step(const step_law &l) {
    const double r0 = r[0], r1 = r[1];
    r[0] = l.a11 * r0 + l.a21 * r1;
    r[1] = l.a12 * r0 + l.a22 * r1;
    turn_both_sides(N, n, l.a11, l.a21, l.a12, l.a22);
  }

  // Mean and variance of h' state, from the filter's state before the frame's measurements.
  void moments(const filter_state &s, const double *h, double &mean, double &variance) const {
    double g[kMost];
    mean = variance = 0;
    for (int a = 0; a < n; ++a) {
      g[a] = 0;
      for (int b = 0; b < n; ++b) g[a] += s.P[a][b] * h[b];
    }
    for (int a = 0; a < n; ++a) {
      mean += h[a] * s.m[a] + g[a] * r[a];
      variance += h[a] * g[a];
      for (int b = 0; b < n; ++b) variance -= g[a] * N[a][b] * g[b];
    }
    variance = std::max(variance, 0.0);
  }
};

}  // namespace

void curve_moments(const curve_data &data, const curve_shot &shot, const curve_parameters &p, bool own, double *mean,
                   double *variance) {
  const int n = int(shot.frame.size()), k = data.coefficients();
  const double speed = speed_of(p);
  std::vector<filter_state> before;
  before.reserve(n);
  std::vector<taken_row> taken;
  std::vector<size_t> until(n);    // rows taken in up to and with each frame
  std::vector<double> gap(n, -1);  // of the step to each frame; -1 where the process restarts
  filter_state state(data.mean, data.sd);
  size_t cut = 0, probe = 0;
  for (int i = 0; i < n; ++i) {
    bool fresh = i == 0;
    for (; cut < shot.cut_from.size() && shot.cut_from[cut] <= shot.frame[i]; ++cut) fresh = true;
    if (fresh)
      state.restart(p.sd);
    else
      state.step(step_law(gap[i] = speed * (shot.frame[i] - shot.frame[i - 1])), p.sd);
    const bool here = probe < shot.probed.size() && shot.probed[probe] == i;
    state.own(0, p.own * p.own + (here ? data.extra[probe] : shot.extra[i]));
    before.push_back(state);
    for (size_t row = taken.size(); here && row < data.y.size() && data.frame[row] == int(probe); ++row) {
      taken_row t;
      t.row = row;
      state.measure(data.y[row], data.noise[row], data.design.data() + row * k, t.gain, &t.miss, &t.spread);
      taken.push_back(t);
    }
    probe += here;
    until[i] = taken.size();
  }
  look_back back{3 + k};
  double h[kMost] = {1, 0, 1};
  for (int i = n - 1; i >= 0; --i) {
    h[2] = 1;
    for (size_t t = until[i]; t > (i ? until[i - 1] : 0); --t) {
      std::copy_n(data.design.data() + taken[t - 1].row * k, k, h + 3);
      back.measurement(taken[t - 1], h);
    }
    h[2] = own;
    std::copy_n(shot.design.data() + size_t(i) * k, k, h + 3);
    back.moments(before[i], h, mean[i], variance[i]);
    // Back over what led to this frame.
    back.forget(2);
    if (gap[i] >= 0) {
      back.step(step_law(gap[i]));
    } else {
      back.forget(0);
      back.forget(1);
    }
  }
}

}  // namespace clockpigeon
