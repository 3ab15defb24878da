// Work of the nodes of a simulated job, as the meter sees it, and its price. No R in here.
#pragma once
#include "core_simulate.h"

namespace clockpigeon {

// Units that a job is charged by apart from time.
struct Tally {
  double runs = 0, prepasses = 0, home = 0;
};  // frames rendered, as billed; frames sent home

// Work of the nodes, as the meter sees it: by node and activity, by node and charge where a charge needs the spans
// themselves, and the spans where a cap may cut them short.
class Account {
 public:
  Account(const Way &way, const Tariff *tariff, bool keeps) : way_(way), keeps_(keeps) {
    for (std::size_t c = 0; c < way.counted.size(); ++c) {
      if (needs_spans(way.counted[c])) special_.push_back({&way.counted[c], c, 0});
    }
    by_activity_.resize(std::size_t(way.nodes) * kActivities);
    if (special()) by_charge_.resize(way.nodes * way.counted.size());
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

  bool special() const { return !special_.empty(); }
  // Does a charge round each run separately?
  bool each_run() const {
    return std::any_of(special_.begin(), special_.end(), [](const Special &s) { return s.counted->each_run; });
  }

  void clear() {
    std::fill(by_activity_.begin(), by_activity_.end(), 0);
    std::fill(by_charge_.begin(), by_charge_.end(), 0);
    spans_.clear();
  }

  void note(int node, unsigned activity, ticks from, ticks to, int task = -1, double runs = 0) {
    if (to <= from) return;
    by_activity_[std::size_t(node) * kActivities + __builtin_ctz(activity)] += to - from;
    if (keeps_) spans_.push_back({node, activity, from, to, task, runs});
    for (Special &s : special_) {
      const Counted &counted = *s.counted;
      if (!(activity & counted.activities)) continue;
      ticks inside = to - from;
      if (!counted.hours.always()) {
        s.near = counted.hours.at(from, s.near);
        const bool whole = s.near < counted.hours.to.size() && from >= counted.hours.from[s.near] &&
                           to <= counted.hours.to[s.near];
        const bool none = s.near == counted.hours.to.size() || to <= counted.hours.from[s.near];
        inside = whole ? inside : none ? 0 : counted.hours.within(from, to, s.near);
      }
      // Runs that are rounded one by one add up in milliseconds, all other time in ticks.
      by_charge_[node * way_.counted.size() + s.charge] += counted.each_run ? stepped(to_ms(inside), counted) : inside;
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

  // Contribution of each balance to the last bill.
  const std::vector<int64_t> &credit() const { return credit_; }
  const std::vector<Span> &spans() const { return spans_; }

 private:
  static bool needs_spans(const Counted &c) {
    return c.what == Value::ms && (!c.hours.always() || (c.each_run && c.step > 1));
  }
  static ticks to_ms(ticks t) { return (t + 500) / 1000; }
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
    if (c.what == Value::one) return of_node(w, kAnything) > 0;
    if (c.what != Value::ms) return 0;
    if (!needs_spans(c)) return double(to_ms(of_node(w, c.activities)));
    const ticks sum = by_charge_[w * way_.counted.size() + at];
    return double(c.each_run ? sum : to_ms(sum));
  }
  static double frames_of(const Counted &c, const Tally &tally) {
    return (c.activities & rendering ? tally.runs : 0) + (c.activities & prepassing ? tally.prepasses : 0);
  }
  double job_value(const Counted &c, const Tally &tally, ticks until) const {
    switch (c.what) {
      case Value::frames: return std::round(frames_of(c, tally));
      case Value::frame_pixels: return std::round(frames_of(c, tally) * way_.pixels);
      case Value::bytes: return std::round(c.sent * way_.upload + c.fetched * way_.fetch * tally.home);
      case Value::byte_days: return std::round(way_.upload) * std::ceil(until / (24 * kHour));
      default: return 0;
    }
  }

  const Way &way_;
  bool keeps_;
  // Charges that need the spans themselves, and where in their hours the last one was.
  struct Special {
    const Counted *counted;
    std::size_t charge, near;
  };
  std::vector<Special> special_;
  std::vector<ticks> by_activity_, by_charge_;
  std::vector<Span> spans_;
  std::vector<std::size_t> first_;
  std::vector<int> node_;
  std::vector<double> value_;
  std::vector<std::vector<double>> weight_;
  Tariff tariff_;
  std::vector<int64_t> credit_;
};

}  // namespace clockpigeon
