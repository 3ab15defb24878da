#include "core_crew.h"
#include <algorithm>

namespace clockpigeon {

namespace {

// Student's t for a finite df, made from a normal.
double with_df(double z, double df, random_stream &random) {
  return std::isfinite(df) ? z / std::sqrt(2 * random.gamma(df / 2) / df) : z;
}

double standard(double df, random_stream &random) {
  return with_df(random.normal(), df, random);
}

int bits_for(int nodes) {
  int bits = 0;
  while ((1 << bits) < nodes) ++bits;
  return bits;
}

}  // namespace

double draw_varying(const Varying &s, random_stream &random) {
  if (s.median <= 0) return 0;
  return s.sd > 0 ? s.median * std::exp(s.sd * standard(s.df, random)) : s.median;
}

Crew::Crew(const Way &way) : bits(bits_for(way.nodes)), heap(bits), speed(way.nodes, 1.0), free(way.nodes), way_(way) {}

void Crew::begin(int draw, Account &account) {
  const uint64_t stream = uint64_t(draw) + 1;
  random_stream job(way_.streams.job, stream);
  // What moves a whole draw at once is spread evenly over the draws.
  const auto even = [&](uint64_t seed, double df) {
    random_stream random(seed, stream);
    const double z = even_normal(seed, stream, random);
    return with_df(z, df, random);
  };
  start = random_stream(way_.streams.start, stream);
  vanish = random_stream(way_.streams.vanish, stream);
  // Student's t has tails without end; a site is not more than a factor of 150 off.
  const double off = way_.speed_se > 0 ? way_.speed_se * even(way_.streams.speed, way_.speed_df) : 0;
  common = std::exp(way_.log_speed + std::max(-5.0, std::min(5.0, off)));
  link = way_.link * (way_.link_sd > 0 ? std::exp(way_.link_sd * even(way_.streams.link, INFINITY)) : 1);
  at.prepared = way_.begin + to_ticks(draw_varying(way_.prepare, job));
  encode = draw_varying(way_.encode, job);
  merge = draw_varying(way_.merge, job);
  at.sent = at.prepared + (way_.upload > 0 && way_.link > 0 ? to_ticks(way_.upload / link) : 0);
  const double waited = way_.wait.sd > 0 ? std::exp(way_.wait.sd * even(way_.streams.wait, way_.wait.df)) : 1;
  at.hired = at.sent + to_ticks(std::max(way_.wait.median, 0.0) * waited);
  heap.clear();
  at.started = kNever;
  for (int w = 0; w < way_.nodes; ++w) {
    // In the order of the nodes, so that the first of many start as they would alone.
    const ticks up = at.hired + to_ticks(draw_varying(way_.start, start) + draw_varying(way_.install, start));
    const double own = way_.node_sd > 0 ? std::exp(way_.node_sd * start.normal()) : 1;
    speed[w] = common * own * (way_.node_speed.empty() ? 1 : way_.node_speed[w]);
    const ticks load_at = way_.open.next(up);
    const ticks loaded = load_at + to_ticks(draw_varying(way_.load, start));
    free[w] = way_.open.next(loaded);
    at.started = std::min(at.started, free[w]);
    account.note(w, starting, at.hired, up);
    account.note(w, idling, up, load_at);
    account.note(w, loading, load_at, loaded);
    account.note(w, idling, loaded, free[w]);
  }
  prepass(job, account);
}

// Frames wait for all of the pre-pass, which goes to the nodes that are free first, or to the first of them alone.
void Crew::prepass(random_stream &job, Account &account) {
  ticks over = at.started;
  if (way_.prepass_tasks > 0) {
    const int one = int(std::min_element(free.begin(), free.end()) - free.begin());
    for (int w = 0; w < way_.nodes; ++w) {
      if (!way_.prepass_on_one || w == one) heap.push(free[w], w);
    }
    for (int k = 0; k < way_.prepass_tasks; ++k) {
      const int w = heap.node();
      const ticks from = heap.time(), to = from + to_ticks(draw_varying(way_.prepass_each, job) / speed[w]);
      account.note(w, prepassing, from, to);
      over = std::max(over, to);
      free[w] = way_.open.next(to);
      heap.put_back(free[w]);
    }
    heap.clear();
    for (int w = 0; w < way_.nodes; ++w) {
      const ticks on = way_.open.next(std::max(free[w], over));
      account.note(w, idling, free[w], on);
      free[w] = on;
    }
  }
  at.prepassed = over;
}

}  // namespace clockpigeon
