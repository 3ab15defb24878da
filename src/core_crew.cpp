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

void Crew::begin(int draw, const Record *record, Account &account) {
  const uint64_t stream = uint64_t(draw) + 1;
  random_stream job(way_.streams.job, stream), start(way_.streams.start, stream);
  // Factors common to a whole draw are spread evenly over the draws.
  const auto even = [&](uint64_t seed, double df) {
    random_stream random(seed, stream);
    const double z = even_normal(seed, stream, random);
    return with_df(z, df, random);
  };
  // A stage that is over ended when it is known to have; one that is not ends in time to come.
  const Past none, &past = record ? record->past() : none;
  const auto known = [&](ticks when, ticks drawn) { return when < kNever ? when : std::max(drawn, past.now); };
  // Student's t has tails without end; a site is not more than a factor of 150 off.
  const double off = way_.speed_se > 0 ? way_.speed_se * even(way_.streams.speed, way_.speed_df) : 0;
  common = std::exp(way_.log_speed + std::max(-5.0, std::min(5.0, off)));
  link = way_.link * (way_.link_sd > 0 ? std::exp(way_.link_sd * even(way_.streams.link, INFINITY)) : 1);
  at.prepared = known(past.prepared, way_.begin + to_ticks(draw_varying(way_.prepare, job)));
  encode = draw_varying(way_.encode, job);
  merge = draw_varying(way_.merge, job);
  const ticks sending = way_.upload > 0 && way_.link > 0 ? to_ticks(way_.upload / link) : 0;
  at.sent = known(past.sent, at.prepared + sending);
  const double waited = way_.wait.sd > 0 ? std::exp(way_.wait.sd * even(way_.streams.wait, way_.wait.df)) : 1;
  at.hired = known(past.hired, at.sent + to_ticks(std::max(way_.wait.median, 0.0) * waited));
  heap.clear();
  if (cancelled()) return;
  at.started = kNever;
  for (int w = 0; w < way_.nodes; ++w) {
    // In the order of the nodes, so that the first of many start as they would alone.
    const Record::Node *n = record && record->node[w].life == 0 ? &record->node[w] : nullptr;
    const bool later = record && !n;
    const auto seen = [&](bool under_way, ticks when, ticks drawn) {
      return when < kNever ? when : under_way ? std::max(drawn, past.now) : drawn;
    };
    const auto note = [&](unsigned activity, ticks from, ticks to) {
      if (!later && !(n && n->did(activity, to))) account.note(w, activity, from, to);
    };
    const double starts = draw_varying(way_.start, start), installs = draw_varying(way_.install, start);
    ticks up = at.hired + to_ticks(starts + installs);
    if (n) up = seen(n->starts, n->up, up);
    const double own = way_.node_sd > 0 ? std::exp(way_.node_sd * start.normal()) : 1;
    speed[w] = common * own * (way_.node_speed.empty() ? 1 : way_.node_speed[w]);
    const ticks load_at = n && n->load_from < kNever ? n->load_from : way_.open.next(up);
    ticks loaded = load_at + to_ticks(draw_varying(way_.load, start));
    if (n) loaded = seen(n->loads, n->loaded, loaded);
    free[w] = way_.open.next(loaded);
    at.started = std::min(at.started, free[w]);
    note(starting, at.hired, up);
    note(idling, up, load_at);
    note(loading, load_at, loaded);
    note(idling, loaded, free[w]);
  }
  prepass(job, record, account);
}

// A job that is halted while it waits for its nodes never has them.
bool Crew::cancelled() {
  if (at.hired < way_.halt) return false;
  for (ticks *t : {&at.prepared, &at.sent, &at.hired}) *t = std::min(*t, way_.halt);
  at.started = at.prepassed = at.hired;
  std::fill(free.begin(), free.end(), at.hired);
  std::fill(speed.begin(), speed.end(), common);
  return true;
}

// Frames wait for all of the pre-pass, which goes to the nodes that are free first, or to the first of them alone.
void Crew::prepass(random_stream &job, const Record *record, Account &account) {
  ticks over = at.started;
  if (way_.prepass_tasks > 0) {
    const int one = record && !record->prepass.empty() ? record->prepass[0].node
                                                       : int(std::min_element(free.begin(), free.end()) - free.begin());
    int begun = 0;
    if (record) {
      for (const Record::Prepass &p : record->prepass) {
        const ticks drawn = p.from + to_ticks(draw_varying(way_.prepass_each, job) / speed[p.node]);
        const ticks to = p.to < kNever ? p.to : std::max(drawn, record->past().now);
        if (p.to == kNever) account.note(p.node, prepassing, p.from, to);
        over = std::max(over, to);
        free[p.node] = way_.open.next(to);
        ++begun;
      }
    }
    for (int w = 0; w < way_.nodes; ++w) {
      if (!way_.prepass_on_one || w == one) heap.push(free[w], w);
    }
    for (int k = begun; k < way_.prepass_tasks; ++k) {
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
      if (!(record && (record->node[w].life > 0 || record->node[w].did(idling, on)))) {
        account.note(w, idling, free[w], on);
      }
      free[w] = on;
    }
  }
  at.prepassed = over;
}

ticks Crew::begin_again(int node, int life, int draw, ticks t, const Record::Node *known, Account &account) const {
  random_stream random = life_stream(node, life, draw, true);
  ticks up = t + to_ticks(draw_varying(way_.start, random) + draw_varying(way_.install, random));
  if (known && known->up < kNever) up = known->up;
  ticks ready = way_.open.next(up + to_ticks(draw_varying(way_.load, random)));
  if (known && known->loaded < kNever) ready = known->loaded;
  if (!(known && known->did(starting, up))) account.note(node, starting, t, up);
  if (!(known && known->did(loading, ready))) account.note(node, loading, up, ready);
  return ready;
}

}  // namespace clockpigeon
