// Every sum and product is rounded as written, so that all processors give the same draws.
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("fp-contract=off")
#endif
#include "core_simulate.h"
#include <algorithm>
#include <functional>
#include <memory>
#include "core_random.h"

namespace clockpigeon {

ticks Windows::next(ticks t) const {
  if (always()) return t;
  const std::size_t i = std::upper_bound(to.begin(), to.end(), t) - to.begin();
  return i == to.size() ? t : std::max(t, from[i]);  // after the last that is known: always
}

ticks Windows::within(ticks a, ticks b) const {
  if (always()) return b - a;
  ticks sum = 0;
  for (std::size_t i = std::upper_bound(to.begin(), to.end(), a) - to.begin(); i < to.size() && from[i] < b; ++i) {
    sum += std::min(b, to[i]) - std::max(a, from[i]);
  }
  return sum;
}

namespace {

constexpr double kHour = 3600 * kTicks;

// Student's t for a finite df, made from a normal.
double with_df(double z, double df, random_stream &random) {
  return std::isfinite(df) ? z / std::sqrt(2 * random.gamma(df / 2) / df) : z;
}

double standard(double df, random_stream &random) { return with_df(random.normal(), df, random); }

double draw_spread(const Varying &s, random_stream &random) {
  if (s.median <= 0) return 0;
  return s.sd > 0 ? s.median * std::exp(s.sd * standard(s.df, random)) : s.median;
}

// The nodes that are free, first the one that is free first; a tie goes to the lower number.
class NodeHeap {
 public:
  explicit NodeHeap(int bits) : bits_(bits) {}
  void clear() { keys_.clear(); }
  bool empty() const { return keys_.empty(); }
  ticks time() const { return keys_[0] >> bits_; }
  int node() const { return int(keys_[0] & ((ticks(1) << bits_) - 1)); }
  void push(ticks t, int node) {
    keys_.push_back(t << bits_ | node);
    std::push_heap(keys_.begin(), keys_.end(), std::greater<ticks>());
  }
  void pop() {
    std::pop_heap(keys_.begin(), keys_.end(), std::greater<ticks>());
    keys_.pop_back();
  }
  // The first node is free again at t.
  void put_back(ticks t) {
    const ticks key = t << bits_ | node();
    const std::size_t n = keys_.size();
    std::size_t i = 0;
    for (std::size_t c = 1; c < n; c = 2 * i + 1) {
      if (c + 1 < n) c += keys_[c + 1] < keys_[c];
      if (key <= keys_[c]) break;
      keys_[i] = keys_[c];
      i = c;
    }
    keys_[i] = key;
  }

 private:
  int bits_;
  std::vector<ticks> keys_;
};

struct Span { int node; unsigned activity; ticks from, to; int task; double runs; };

// Things that a job is charged by beside time.
struct Tally { double runs = 0, prepasses = 0, home = 0; };  // frames rendered, as billed; frames sent home

// What the nodes did, as the meter sees it: by node and activity, by node and charge where a charge needs the spans
// themselves, and the spans where a cap may cut them short.
class Account {
 public:
  Account(const Way &way, const Tariff *tariff, bool keeps) : way_(way), keeps_(keeps) {
    for (const Counted &c : way.counted) special_ = special_ || needs_spans(c);
    by_activity_.resize(std::size_t(way.nodes) * kActivities);
    if (special_) by_charge_.resize(way.nodes * way.counted.size());
    if (!tariff) return;
    const std::size_t rows = way.nodes + 1;
    first_ = {0, rows};
    for (std::size_t i = 0; i < rows; ++i) node_.push_back(i < rows - 1 ? int(i) : 0);
    value_.resize(rows * way.counted.size());
    tariff_ = *tariff;
    for (std::size_t c = 0; c < way.counted.size(); ++c) weight_.emplace_back(rows, way.counted[c].weight);
    for (std::size_t c = 0; c < way.counted.size(); ++c) {
      tariff_.charges[c].value = value_.data() + c * rows;
      tariff_.charges[c].weight = weight_[c].data();
      if (way.counted[c].each_run && needs_spans(way.counted[c])) tariff_.charges[c].step = 1;  // stepped run by run
    }
    credit_.resize(tariff->balances.size());
  }

  bool special() const { return special_; }

  void clear() {
    std::fill(by_activity_.begin(), by_activity_.end(), 0);
    std::fill(by_charge_.begin(), by_charge_.end(), 0);
    spans_.clear();
  }

  void note(int node, unsigned activity, ticks from, ticks to, int task = -1, double runs = 0) {
    if (to <= from) return;
    by_activity_[std::size_t(node) * kActivities + __builtin_ctz(activity)] += to - from;
    if (keeps_) spans_.push_back({node, activity, from, to, task, runs});
    if (!special_) return;
    for (std::size_t c = 0; c < way_.counted.size(); ++c) {
      const Counted &counted = way_.counted[c];
      if (!needs_spans(counted) || !(activity & counted.activities)) continue;
      ticks ms = (counted.hours.within(from, to) + 500) / 1000;
      if (counted.each_run) ms = stepped(ms, counted);
      by_charge_[node * way_.counted.size() + c] += ms;
    }
  }

  double sum(unsigned activities) const {
    ticks total = 0;
    for (int w = 0; w < way_.nodes; ++w) total += of_node(w, activities);
    return total / kTicks;
  }

  // The bill of what is noted; `until` is the end of storage. `lines` gets what each charge comes to.
  Bill bill(const Tally &tally, ticks until, int64_t *lines = nullptr) {
    const std::size_t rows = way_.nodes + 1;
    for (std::size_t c = 0; c < way_.counted.size(); ++c) {
      double *value = value_.data() + c * rows;
      for (int w = 0; w < way_.nodes; ++w) value[w] = node_value(way_.counted[c], c, w);
      value[rows - 1] = job_value(way_.counted[c], tally, until);
    }
    Bill out;
    price_usages(tariff_, first_, node_.data(), way_.nodes, &out, credit_.data(), lines);
    return out;
  }

  // What each balance gave of the last bill.
  const std::vector<int64_t> &credit() const { return credit_; }
  const std::vector<Span> &spans() const { return spans_; }

 private:
  static bool needs_spans(const Counted &c) {
    return c.what == Counted::What::time && (!c.hours.always() || (c.each_run && c.step > 1));
  }
  static ticks stepped(ticks ms, const Counted &c) {
    switch (c.rounding) {
      case Rounding::up: return (ms + c.step - 1) / c.step * c.step;
      case Rounding::down: return ms / c.step * c.step;
      default: return (2 * ms + c.step) / (2 * c.step) * c.step;
    }
  }
  ticks of_node(int w, unsigned activities) const {
    ticks sum = 0;
    for (int a = 0; a < kActivities; ++a) {
      sum += (activities >> a & 1) * by_activity_[std::size_t(w) * kActivities + a];
    }
    return sum;
  }
  double node_value(const Counted &c, std::size_t at, int w) const {
    if (c.what == Counted::What::one) return of_node(w, kAnything) > 0;
    if (c.what != Counted::What::time) return 0;
    if (needs_spans(c)) return double(by_charge_[w * way_.counted.size() + at]);
    return double((of_node(w, c.activities) + 500) / 1000);
  }
  static double frames_of(const Counted &c, const Tally &tally) {
    return (c.activities & rendering ? tally.runs : 0) + (c.activities & prepassing ? tally.prepasses : 0);
  }
  double job_value(const Counted &c, const Tally &tally, ticks until) const {
    switch (c.what) {
      case Counted::What::frames: return std::round(frames_of(c, tally));
      case Counted::What::pixels: return std::round(frames_of(c, tally) * way_.pixels);
      case Counted::What::bytes: return std::round(c.sent * way_.upload + c.fetched * way_.fetch * tally.home);
      case Counted::What::byte_days: return std::round(way_.upload) * std::ceil(until / (24 * kHour));
      default: return 0;
    }
  }

  const Way &way_;
  bool keeps_, special_ = false;
  std::vector<ticks> by_activity_, by_charge_;
  std::vector<Span> spans_;
  std::vector<std::size_t> first_;
  std::vector<int> node_;
  std::vector<double> value_;
  std::vector<std::vector<double>> weight_;
  Tariff tariff_;
  std::vector<int64_t> credit_;
};

// One draw after the other of one option.
class Simulation {
 public:
  Simulation(const Frames &frames, const Way &way, const Tariff *tariff, const std::vector<char> &prepaid)
      : frames_(frames), way_(way), tariff_(tariff), prepaid_(prepaid), account_(way, tariff, way.cap > 0),
        cut_(way, tariff, false), bits_(bits_for(way.nodes)), heap_(bits_), tasks_(frames.frames * way.parts),
        speed_(way.nodes, 1.0), free_(way.nodes), death_(way.nodes, kNever), frozen_(way.nodes, 0), done_(tasks_),
        failed_(tasks_, 0), failures_(tasks_, 0), given_up_(tasks_, 0) {}

  // May eight draws go side by side? Where all nodes are alike and nothing cuts a run short.
  bool plain() const {
    return way_.spread == Way::Kind::frames && way_.parts == 1 && way_.node_sd == 0 && way_.node_speed.empty() &&
           way_.fails == 0 && way_.vanish_rate + way_.freeze_rate == 0 && way_.open.always() && way_.cap == 0 &&
           !account_.special() && way_.nodes <= 64;
  }

  void run(const double *seconds, int lane, int draw, Outcome *out, double *home, double *lines) {
    begin(draw);
    if (way_.fails > 0) draw_failures(draw);
    schedule(seconds, lane);
    if (way_.parts > 1) join_parts();
    close(out, home, lines);
  }

  // The same of a draw that is scheduled side by side with others: its nodes as they are free, and then what came of
  // it.
  void begin(int draw);
  double ticks_a_second() const { return kTicks / common_; }
  int bits() const { return bits_; }
  void to_lane(ticks *free, int lane) const {
    for (int w = 0; w < way_.nodes; ++w) free[w * kLanes + lane] = free_[w] << bits_ | w;
  }
  // When frames have no way home it is enough to know when the `last` of them was done.
  void from_lane(const ticks *free, const ticks *done, ticks last, int lane, Outcome *out, double *home,
                 double *lines) {
    for (int w = 0; w < way_.nodes; ++w) {
      const ticks end = free[w * kLanes + lane] >> bits_;
      account_.note(w, rendering, free_[w], end);
      free_[w] = end;
    }
    if (!done) return close(out, home, lines, last);
    for (int k = 0; k < tasks_; ++k) done_[k] = done[std::size_t(k) * kLanes + lane];
    close(out, home, lines);
  }

 private:
  static int bits_for(int nodes) {
    int bits = 0;
    while ((1 << bits) < nodes) ++bits;
    return bits;
  }

  struct Stages { ticks prepared, sent, hired, started, prepassed; };

  void prepass(random_stream &job);
  void draw_failures(int draw);
  void schedule(const double *seconds, int lane);
  void deal_ranges();
  int take(int node, ticks t, bool &wait);
  void lose_node(int node, int task, ticks from);
  ticks duration(const double *seconds, int lane, int task, int node) const;
  void join_parts();
  void close(Outcome *out, double *home, double *lines, ticks known_last = -1);
  Outcome stages_of(ticks last, ticks home) const;
  ticks bring_home(std::vector<ticks> &done, ticks each, ticks &from, bool keep) const;
  Bill charged_by(ticks t, bool in_flight, int64_t *lines);
  ticks capped_at(ticks last);
  int64_t paid_ahead(const std::vector<int64_t> &credit) const {
    int64_t sum = 0;
    for (std::size_t k = 0; k < credit.size(); ++k) sum += prepaid_[k] ? credit[k] : 0;
    return sum;
  }

  const Frames &frames_;
  const Way &way_;
  const Tariff *tariff_;
  const std::vector<char> &prepaid_;
  Account account_, cut_;                      // of the job, and of the job as far as a cap lets it run
  int bits_;
  NodeHeap heap_;
  int tasks_;
  std::vector<double> speed_;                  // of each node, in this draw
  std::vector<ticks> free_, death_;
  std::vector<char> frozen_;
  std::vector<ticks> done_;                    // of tasks; after join_parts() of frames
  std::vector<double> failed_;                 // runs of a task that came to nothing, in its own time
  std::vector<int> failures_;
  std::vector<char> given_up_;
  std::vector<std::pair<ticks, int>> again_;   // tasks to be taken again, from when on
  std::vector<std::pair<ticks, int>> parked_;  // nodes with nothing to do
  std::vector<int> next_, stop_;               // of ranges: each node's own run of tasks
  std::vector<ticks> usable_;
  std::vector<int64_t> of_charge_;
  int fresh_ = 0, aborted_ = 0;
  double common_ = 1, link_ = 0, encode_ = 0, merge_ = 0;
  Stages at_{};
  random_stream vanish_{0, 0}, start_{0, 0};
};

void Simulation::begin(int draw) {
  aborted_ = 0;
  const uint64_t stream = uint64_t(frames_.before + draw) + 1;
  account_.clear();
  random_stream job(way_.streams.job, stream);
  // What moves a whole draw at once is spread evenly over the draws.
  const auto even = [&](uint64_t seed, double df) {
    random_stream random(seed, stream);
    const double z = even_normal(seed, stream, random);
    return with_df(z, df, random);
  };
  start_ = random_stream(way_.streams.start, stream);
  vanish_ = random_stream(way_.streams.vanish, stream);
  // Student's t has tails without end; a site is not more than a factor of 150 off.
  const double off = way_.speed_se > 0 ? way_.speed_se * even(way_.streams.speed, way_.speed_df) : 0;
  common_ = std::exp(way_.log_speed + std::max(-5.0, std::min(5.0, off)));
  link_ = way_.link * (way_.link_sd > 0 ? std::exp(way_.link_sd * even(way_.streams.link, INFINITY)) : 1);
  at_.prepared = way_.begin + to_ticks(draw_spread(way_.prepare, job));
  encode_ = draw_spread(way_.encode, job);
  merge_ = draw_spread(way_.merge, job);
  at_.sent = at_.prepared + (way_.upload > 0 && way_.link > 0 ? to_ticks(way_.upload / link_) : 0);
  const double waited = way_.wait.sd > 0 ? std::exp(way_.wait.sd * even(way_.streams.wait, way_.wait.df)) : 1;
  at_.hired = at_.sent + to_ticks(std::max(way_.wait.median, 0.0) * waited);
  heap_.clear();
  at_.started = kNever;
  for (int w = 0; w < way_.nodes; ++w) {
    // In the order of the nodes, so that the first of many start as they would alone.
    const ticks up = at_.hired + to_ticks(draw_spread(way_.start, start_) + draw_spread(way_.install, start_));
    const double own = way_.node_sd > 0 ? std::exp(way_.node_sd * start_.normal()) : 1;
    speed_[w] = common_ * own * (way_.node_speed.empty() ? 1 : way_.node_speed[w]);
    const ticks load_at = way_.open.next(up);
    const ticks loaded = load_at + to_ticks(draw_spread(way_.load, start_));
    free_[w] = way_.open.next(loaded);
    at_.started = std::min(at_.started, free_[w]);
    account_.note(w, starting, at_.hired, up);
    account_.note(w, idling, up, load_at);
    account_.note(w, loading, load_at, loaded);
    account_.note(w, idling, loaded, free_[w]);
  }
  prepass(job);
}

// Frames wait for all of the pre-pass, which goes to the nodes that are free first, or to the first of them alone.
void Simulation::prepass(random_stream &job) {
  ticks over = at_.started;
  if (way_.prepass_tasks > 0) {
    const int one = int(std::min_element(free_.begin(), free_.end()) - free_.begin());
    for (int w = 0; w < way_.nodes; ++w) {
      if (!way_.prepass_on_one || w == one) heap_.push(free_[w], w);
    }
    for (int k = 0; k < way_.prepass_tasks; ++k) {
      const int w = heap_.node();
      const ticks from = heap_.time(), to = from + to_ticks(draw_spread(way_.prepass_each, job) / speed_[w]);
      account_.note(w, prepassing, from, to);
      over = std::max(over, to);
      free_[w] = way_.open.next(to);
      heap_.put_back(free_[w]);
    }
    heap_.clear();
    for (int w = 0; w < way_.nodes; ++w) {
      const ticks on = way_.open.next(std::max(free_[w], over));
      account_.note(w, idling, free_[w], on);
      free_[w] = on;
    }
  }
  at_.prepassed = over;
}

// Runs that fail are taken up again at once where they failed, so that they only make a task longer.
void Simulation::draw_failures(int draw) {
  random_stream random(way_.streams.fail, uint64_t(frames_.before + draw) + 1);
  for (int k = 0; k < tasks_; ++k) {
    failed_[k] = 0;
    failures_[k] = 0;
    given_up_[k] = 1;
    for (int run = 0; run <= way_.retries; ++run) {
      const double fate = random.uniform(), share = random.uniform();
      if (fate >= way_.fails) {
        given_up_[k] = 0;
        break;
      }
      failed_[k] += share;
      ++failures_[k];
    }
  }
}

ticks Simulation::duration(const double *seconds, int lane, int task, int node) const {
  const double whole = seconds[std::size_t(task / way_.parts) * kLanes + lane];
  if (way_.parts == 1) return ticks(whole * (kTicks / speed_[node]) + 0.5);  // as seconds_to_tasks() has it
  const double load = std::min(way_.part_load, whole);
  const double mine = load + (whole - load) * way_.part_weight[task % way_.parts];
  return ticks(mine * (kTicks / speed_[node]) + 0.5);
}

// The next task for a node that is free at t: one to be taken again, then fresh ones; -1 when there is none, `wait`
// when one will come back later.
int Simulation::take(int node, ticks t, bool &wait) {
  wait = false;
  if (!again_.empty() && again_.front().first <= t) {
    std::pop_heap(again_.begin(), again_.end(), std::greater<>());
    const int task = again_.back().second;
    again_.pop_back();
    return task;
  }
  if (way_.spread == Way::Kind::ranges) {
    if (next_[node] < stop_[node]) return next_[node]++;
  } else if (fresh_ < tasks_) {
    return fresh_++;
  }
  wait = !again_.empty();
  return -1;
}

// A node is gone in the middle of a task, or idle; the task waits until that is noticed.
void Simulation::lose_node(int node, int task, ticks from) {
  const ticks gone = death_[node], noticed = gone + way_.notice, paid = frozen_[node] ? noticed : gone;
  if (task >= 0) {
    account_.note(node, aborting, from, paid, task, 1);
    ++aborted_;
    again_.push_back({noticed, task});
    std::push_heap(again_.begin(), again_.end(), std::greater<>());
  }
  heap_.pop();
  if (way_.replaced) {
    const ticks up = noticed + to_ticks(draw_spread(way_.start, start_) + draw_spread(way_.install, start_));
    const ticks ready = way_.open.next(up + to_ticks(draw_spread(way_.load, start_)));
    account_.note(node, starting, noticed, up);
    account_.note(node, loading, up, ready);
    const double life = -std::log(vanish_.uniform()) / (way_.vanish_rate + way_.freeze_rate) * kHour;
    death_[node] = ready + ticks(std::min(life, double(kNever)));
    frozen_[node] = vanish_.uniform() * (way_.vanish_rate + way_.freeze_rate) >= way_.vanish_rate;
    free_[node] = ready;
    heap_.push(ready, node);
  } else {
    free_[node] = paid;
    if (way_.spread == Way::Kind::ranges) {
      for (; next_[node] < stop_[node]; ++next_[node]) {
        again_.push_back({noticed, next_[node]});
        std::push_heap(again_.begin(), again_.end(), std::greater<>());
      }
    }
  }
  if (again_.empty()) return;
  for (const auto &[t, w] : parked_) heap_.push(t, w);
  parked_.clear();
}

// Each node's run of tasks, in proportion to the speeds that are known, ends rounded.
void Simulation::deal_ranges() {
  const auto known = [&](int w) { return way_.node_speed.empty() ? 1.0 : way_.node_speed[w]; };
  next_.assign(way_.nodes, 0);
  stop_.assign(way_.nodes, 0);
  double all = 0, so_far = 0;
  for (int w = 0; w < way_.nodes; ++w) all += known(w);
  for (int w = 0; w < way_.nodes; ++w) {
    next_[w] = w ? stop_[w - 1] : 0;
    so_far += known(w);
    stop_[w] = int(tasks_ * (so_far / all) + 0.5);
  }
}

// List scheduling (Graham 1966): each task, in order, to the node that is free first.
void Simulation::schedule(const double *seconds, int lane) {
  const double hazard = way_.vanish_rate + way_.freeze_rate;
  for (int w = 0; w < way_.nodes; ++w) {
    heap_.push(free_[w], w);
    if (hazard <= 0) continue;
    const double life = -std::log(vanish_.uniform()) / hazard * kHour;
    death_[w] = free_[w] + ticks(std::min(life, double(kNever)));
    frozen_[w] = vanish_.uniform() * hazard >= way_.vanish_rate;
  }
  again_.clear();
  parked_.clear();
  fresh_ = 0;
  if (way_.spread == Way::Kind::ranges) deal_ranges();
  std::fill(done_.begin(), done_.end(), kNever);
  for (int left = tasks_; left > 0 && !heap_.empty();) {
    const int w = heap_.node();
    const ticks t = heap_.time();
    if (death_[w] <= t) {
      lose_node(w, -1, t);
      continue;
    }
    bool wait;
    const int task = take(w, t, wait);
    if (task < 0 && wait) {
      const ticks on = way_.open.next(again_.front().first);
      account_.note(w, idling, t, on);
      heap_.put_back(on);
      continue;
    }
    if (task < 0) {
      parked_.push_back({t, w});
      heap_.pop();
      continue;
    }
    const ticks once = duration(seconds, lane, task, w);
    const ticks lost = failed_[task] > 0 ? ticks(once * failed_[task] + 0.5) : 0;
    const ticks end = t + lost + (given_up_[task] ? 0 : once);
    if (end > death_[w]) {
      lose_node(w, task, t);
      continue;
    }
    account_.note(w, failing, t, t + lost, task, failures_[task]);
    account_.note(w, rendering, t + lost, end, task, 1);
    done_[task] = end;
    free_[w] = end;
    --left;
    heap_.put_back(way_.open.next(end));
  }
}

// Frames of parts: a frame is done when its last part is in, has come through the coordinator's link and is merged.
void Simulation::join_parts() {
  const int n = frames_.frames;
  std::vector<std::pair<ticks, int>> in(n);
  for (int f = 0; f < n; ++f) {
    in[f] = {0, f};
    for (int p = 0; p < way_.parts; ++p) in[f].first = std::max(in[f].first, done_[f * way_.parts + p]);
    for (int p = 1; p < way_.parts; ++p) given_up_[f * way_.parts] |= given_up_[f * way_.parts + p];
  }
  std::sort(in.begin(), in.end());
  const ticks each = to_ticks(merge_ + (way_.part_link > 0 ? way_.parts * way_.part_bytes / way_.part_link : 0));
  std::vector<char> lost(n);
  for (int f = 0; f < n; ++f) lost[f] = given_up_[f * way_.parts];
  ticks busy = 0;
  for (const auto &[t, f] : in) {
    if (t < kNever) busy = std::max(busy, t) + each;
    done_[f] = t < kNever ? busy : kNever;
  }
  std::copy(lost.begin(), lost.end(), given_up_.begin());
}

// Frames go home one behind the other, as they are done, over a link that takes `each` for one: when the last is there,
// and from which frame on the link was the one that was waited for. Only frames that can matter are looked at.
ticks Simulation::bring_home(std::vector<ticks> &done, ticks each, ticks &from, bool keep) const {
  if (done.empty()) return from;
  ticks last = *std::max_element(done.begin(), done.end());
  from = last;
  if (each == 0 && !keep) return last;
  if (!keep) {
    // A frame so early that all after it could follow and still be there before the last is home changes nothing.
    for (std::size_t n = done.size() + 1; done.size() < n;) {
      n = done.size();
      const ticks early = last - ticks(n) * each;
      done.erase(std::remove_if(done.begin(), done.end(), [&](ticks t) { return t < early; }), done.end());
    }
  }
  std::sort(done.begin(), done.end());
  ticks busy = 0;
  for (ticks &t : done) {
    if (t >= busy) from = t;
    busy = std::max(busy, t) + each;
    if (keep) t = busy;
  }
  return busy;
}

Outcome Simulation::stages_of(ticks last, ticks home) const {
  const auto s = [](ticks a, ticks b) { return (b - a) / kTicks; };
  Outcome o{};
  o.prepare = s(0, at_.prepared);
  o.upload = s(at_.prepared, at_.sent);
  o.wait = s(at_.sent, at_.hired);
  o.start = s(at_.hired, at_.started);
  o.prepass = s(at_.started, at_.prepassed);
  const ticks open = way_.open.always() ? last - at_.prepassed : way_.open.within(at_.prepassed, last);
  o.render = open / kTicks;
  o.closed = s(at_.prepassed, last) - o.render;
  o.download = s(last, home);
  o.encode = encode_;
  o.finish = home / kTicks + encode_;
  o.lost_minor = 0;
  return o;
}

// What the site has charged by t, were it to stop the job then; without what was in flight, were it forgiven.
Bill Simulation::charged_by(ticks t, bool in_flight, int64_t *lines) {
  cut_.clear();
  Tally tally;
  const double part = 1.0 / way_.parts;
  for (const Span &s : account_.spans()) {
    if (s.from >= t) continue;
    const bool cut = s.to > t && s.task >= 0;
    if (cut && !in_flight) continue;
    const unsigned activity = cut ? unsigned(aborting) : s.activity;
    cut_.note(s.node, activity, s.from, std::min(s.to, t));
    const bool billed = activity == failing ? way_.bills_failed : activity != aborting || way_.bills_aborted;
    if (s.task >= 0 && billed) tally.runs += (cut ? 1 : s.runs) * part;
    if (activity == rendering) tally.home += part;
    if (activity == prepassing) tally.prepasses += 1;
  }
  return cut_.bill(tally, t, lines);
}

// When a cap stops the job: its lag after the meter has reached it. To the second, as meters are read.
ticks Simulation::capped_at(ticks last) {
  const auto reached = [&](ticks t) {
    const Bill b = charged_by(t, true, nullptr);
    return b.to_pay + b.credit >= way_.cap;
  };
  const ticks second = ticks(kTicks);
  if (!reached(last)) return kNever;
  ticks low = 0, high = last / second + 1;
  while (low < high) {
    const ticks middle = (low + high) / 2;
    if (reached(middle * second)) high = middle;
    else low = middle + 1;
  }
  return high * second + way_.cap_lag;
}

void Simulation::close(Outcome *out, double *home, double *lines, ticks known_last) {
  const int n = frames_.frames, looked_at = known_last < 0 ? n : 0;
  ticks stop = kNever, last = std::max(at_.prepassed, known_last);
  bool whole = true;
  for (int f = 0; f < looked_at; ++f) {
    if (done_[f] < kNever) last = std::max(last, done_[f]);
    else whole = false;
  }
  for (int w = 0; w < way_.nodes && way_.until_end; ++w) account_.note(w, idling, free_[w], last);
  if (tariff_ && way_.cap > 0) stop = capped_at(last);
  if (stop >= last) stop = kNever;
  // What is done by then, and comes home.
  usable_.clear();
  Tally tally;
  for (int f = 0; f < looked_at; ++f) {
    const bool ran = done_[f] <= stop && done_[f] < kNever;
    whole = whole && ran;
    if (ran && !given_up_[f]) usable_.push_back(done_[f]);
    if (way_.bills_failed) tally.runs += failures_[f];
  }
  tally.home = known_last < 0 ? double(usable_.size()) : n;
  tally.prepasses = way_.prepass_tasks;
  if (way_.bills_aborted) tally.runs += aborted_;
  tally.runs = tally.runs / way_.parts + tally.home;
  const ticks each = way_.fetch > 0 && way_.link > 0 ? to_ticks(way_.fetch / link_) : 0;
  ticks from = stop < kNever ? stop : last;
  const ticks end = from;
  const ticks at_home = std::max(end, bring_home(usable_, each, from, home != nullptr));
  if (at_home == end) from = end;  // a frame that was given up ended it, or no frame has a way to go
  *out = stages_of(std::max(from, at_.prepassed), at_home);
  out->log_speed = std::log(common_);
  out->done = tally.home;
  out->lost = n - tally.home;
  out->capped = stop < kNever;
  if (!whole) out->finish = INFINITY;
  for (int f = 0; home && f < n; ++f) home[f] = f < int(usable_.size()) ? usable_[f] / kTicks : INFINITY;
  if (tariff_) {
    of_charge_.resize(tariff_->charges.size());
    if (stop < kNever) {
      const Bill kept = charged_by(stop, false, nullptr);
      out->bill = charged_by(stop, true, of_charge_.data());
      out->lost_minor = out->bill.to_pay + out->bill.credit - kept.to_pay - kept.credit;
      out->prepaid = paid_ahead(cut_.credit());
    } else {
      out->bill = account_.bill(tally, at_home, of_charge_.data());
      out->prepaid = paid_ahead(account_.credit());
    }
    for (std::size_t c = 0; lines && c < of_charge_.size(); ++c) lines[c] = double(of_charge_[c]);
  }
  const Account &told = stop < kNever && tariff_ ? cut_ : account_;
  out->node_s = told.sum(way_.metered);
  out->busy_s = told.sum(kWorking);
}

}  // namespace

void simulate_draws(const Frames &frames, const Way &way, const Tariff *tariff, const std::vector<char> &prepaid,
                    int first, int last, Outcome *out, double *home, double *lines, bool lanes) {
  const std::size_t n = frames.frames, charges = tariff ? tariff->charges.size() : 0;
  std::vector<std::unique_ptr<Simulation>> of_lane;
  for (int l = 0; l < kLanes; ++l) of_lane.push_back(std::make_unique<Simulation>(frames, way, tariff, prepaid));
  const bool side_by_side = lanes && has_lanes() && of_lane[0]->plain();
  std::vector<double> seconds(n * kLanes);
  const bool kept = home || (way.fetch > 0 && way.link > 0);
  std::vector<ticks> tasks(side_by_side ? n * kLanes : 0), done(kept ? tasks.size() : 0);
  std::vector<ticks> free(side_by_side ? std::size_t(way.nodes) * kLanes : 0);
  for (int draw = first; draw < last; draw += kLanes) {
    draw_frames(frames, draw, seconds.data());
    const int here = std::min(kLanes, last - draw);
    const auto home_of = [&](int l) { return home ? home + (draw + l) * n : nullptr; };
    const auto lines_of = [&](int l) { return lines ? lines + (draw + l) * charges : nullptr; };
    if (!side_by_side) {
      for (int l = 0; l < here; ++l) {
        of_lane[0]->run(seconds.data(), l, draw + l, out + draw + l, home_of(l), lines_of(l));
      }
      continue;
    }
    double a_second[kLanes];
    ticks latest[kLanes] = {};
    for (int l = 0; l < kLanes; ++l) {
      of_lane[l]->begin(draw + l);
      of_lane[l]->to_lane(free.data(), l);
      a_second[l] = of_lane[l]->ticks_a_second();
    }
    seconds_to_tasks(seconds.data(), int(n), a_second, tasks.data());
    schedule_lanes(tasks.data(), int(n), free.data(), way.nodes, of_lane[0]->bits(),
                   kept ? done.data() : nullptr, latest);
    for (int l = 0; l < here; ++l) {
      of_lane[l]->from_lane(free.data(), kept ? done.data() : nullptr, latest[l], l, out + draw + l, home_of(l),
                            lines_of(l));
    }
  }
}

}  // namespace clockpigeon
