#include "core_simulate.h"
#include <algorithm>
#include <memory>
#include "core_tasks.h"

namespace clockpigeon {

std::size_t Windows::at(ticks t, std::size_t near) const {
  const std::size_t n = to.size();
  // Consecutive queries mostly fall into one stretch.
  if (near <= n && (near == 0 || to[near - 1] <= t) && (near == n || to[near] > t)) return near;
  return std::upper_bound(to.begin(), to.end(), t) - to.begin();
}

ticks Windows::next(ticks t, std::size_t near) const {
  if (always()) return t;
  const std::size_t i = at(t, near);
  return i == to.size() ? t : std::max(t, from[i]);  // after the last that is known: always
}

ticks Windows::within(ticks a, ticks b, std::size_t near) const {
  if (always()) return b - a;
  ticks sum = 0;
  for (std::size_t i = at(a, near); i < to.size() && from[i] < b; ++i) {
    sum += std::min(b, to[i]) - std::max(a, from[i]);
  }
  return sum;
}

namespace {

enum class Needs { nothing, tail, stretches, frames };

// Eight draws as the lanes leave them: when each node is free and each task is done (keys), how long each task took,
// the end of each draw's last task, and the length of its longest.
struct LaneEnds {
  span<const ticks> free, done, tasks;
  const ticks *last, *longest;
};

// The draws of one option, one after another: its crew, its tasks, and the results.
class Simulation {
 public:
  Simulation(const Frames &frames, const Way &way, const Rest &rest, const Tariff *tariff,
             const std::vector<char> &prepaid)
      : frames_(frames),
        way_(way),
        rest_(rest),
        tariff_(tariff),
        prepaid_(prepaid),
        account_(way, tariff, way.cap > 0 || rest.told()),
        cut_(way, tariff, false),
        crew_(way),
        tasks_(frames, way),
        joined_(way.parts > 1 ? frames.frames : 0),
        joined_given_up_(joined_.size()) {}

  // May eight draws go side by side? Where all nodes are alike and nothing cuts a run short.
  bool plain() const {
    return way_.spread == Way::Kind::frames && way_.parts == 1 && way_.node_sd == 0 && way_.node_speed.empty() &&
           way_.fails == 0 && way_.vanish_rate + way_.freeze_rate == 0 && way_.cap == 0 && way_.nodes <= 64 &&
           rest_.past.empty();
  }
  // Ends of a draw's frames that its outcome needs: none, the last ones, each node's stretches, or all.
  Needs needs(const Results &out) const {
    if (!out.home.empty() || way_.halt < kNever) return Needs::frames;
    const bool gaps = !way_.open.always() || account_.special();
    if (!gaps && !is_fetched()) return Needs::nothing;
    // A frame of another way takes no time here but may wait for opening hours, so its end must be left out.
    if (rest_.mine) return Needs::frames;
    if (!gaps) return Needs::tail;
    return is_fetched() || account_.each_run() ? Needs::frames : Needs::stretches;
  }

  void run(span<const double> seconds, int lane, int draw, Results &out) {
    begin(draw);
    tasks_.run(number(draw), seconds.data(), lane, record_.get(), crew_, account_);
    if (way_.parts > 1) join_parts();
    close(draw, out);
  }

  // The same for a draw that is scheduled side by side with others: the moments at which its nodes are free, and
  // then the results.
  void begin(int draw) {
    draw = std::min(draw, frames_.draws - 1);
    account_.clear();
    read_past(draw);
    if (record_) {
      for (const Span &s : record_->past().spans) {
        if (s.to < kNever) account_.note(s.node, s.activity, s.from, s.to, s.task, s.runs);
      }
    }
    for (int f = 0; rest_.mine && f < frames_.frames; ++f) {
      const char not_mine = !rest_.mine[std::size_t(f) * frames_.draws + draw];
      for (int k = f * way_.parts; k < (f + 1) * way_.parts; ++k) tasks_.elsewhere[k] = not_mine;
    }
    if (!rest_.mine && way_.halt < kNever) std::fill(tasks_.elsewhere.begin(), tasks_.elsewhere.end(), 0);
    crew_.begin(number(draw), record_.get(), account_);
  }
  // A frame that is not for these nodes takes no time.
  void to_lane(double *seconds, int lane) const {
    for (int f = 0; rest_.mine && f < frames_.frames; ++f) {
      if (tasks_.elsewhere[f]) seconds[std::size_t(f) * kLanes + lane] = 0;
    }
  }
  double ticks_a_second() const { return kTicks / crew_.common; }
  int bits() const { return crew_.bits; }
  void to_lane(span<ticks> free, int lane) const {
    for (int w = 0; w < way_.nodes; ++w) free[w * kLanes + lane] = crew_.free[w] << crew_.bits | w;
  }
  // Close a draw whose nodes work without a gap and whose frames are not fetched: no frame matters alone.
  void from_lane(const LaneEnds &ends, int lane, int draw, Results &out) {
    note_nodes(ends.free, lane);
    close(draw, out, ends.last[lane]);
  }
  // Close a draw whose frames are fetched: only ends that can keep the link busy until the last download matter.
  void from_lane_tail(const LaneEnds &ends, int lane, int draw, Results &out) {
    note_nodes(ends.free, lane);
    const int n = tasks_.count();
    const ticks each = to_ticks(way_.fetch / crew_.link);
    const ticks early = std::max(ends.last[lane], crew_.at.prepassed) - ticks(n) * each;
    usable_.clear();
    for (int k = n - 1; k >= 0; --k) {
      const std::size_t at = std::size_t(k) * kLanes + lane;
      const ticks end = ends.done[at] >> crew_.bits;
      if (end >= early) usable_.push_back(end);
      // Tasks begin in their order, so that none before this one ends later than its start and the longest task.
      if (end - ends.tasks[at] + ends.longest[lane] < early) break;
    }
    close(draw, out, ends.last[lane], true);
  }
  // Close a draw whose nodes pause (opening hours) and whose frames are not fetched: add up stretches without a gap.
  void from_lane_stretches(const LaneEnds &ends, int lane, int draw, Results &out) {
    const ticks mask = (ticks(1) << crew_.bits) - 1;
    stretches_.assign(way_.nodes, {-1, -1});
    for (int k = 0; k < tasks_.count(); ++k) {
      if (tasks_.elsewhere[k]) continue;
      const std::size_t at = std::size_t(k) * kLanes + lane;
      const ticks end = ends.done[at] >> crew_.bits, from = end - ends.tasks[at];
      const int w = int(ends.done[at] & mask);
      auto &[stretch_from, stretch_to] = stretches_[w];
      if (from != stretch_to) {
        account_.note(w, rendering, stretch_from, stretch_to);
        stretch_from = from;
      }
      stretch_to = end;
    }
    for (int w = 0; w < way_.nodes; ++w) {
      const auto [from, to] = stretches_[w];
      if (to < 0) continue;
      account_.note(w, rendering, from, to);
      crew_.free[w] = to;
    }
    close(draw, out, ends.last[lane]);
  }
  // Close a draw frame by frame.
  void from_lane_frames(const LaneEnds &ends, int lane, int draw, Results &out) {
    const ticks mask = (ticks(1) << crew_.bits) - 1;
    for (int k = 0; k < tasks_.count(); ++k) {
      tasks_.done[k] = kNever;
      if (tasks_.elsewhere[k]) continue;
      const ticks key = ends.done[std::size_t(k) * kLanes + lane];
      if (key == kNever) {
        tasks_.elsewhere[k] = 1;  // not started before the halt
        continue;
      }
      const ticks end = key >> crew_.bits;
      const int w = int(key & mask);
      account_.note(w, rendering, end - ends.tasks[std::size_t(k) * kLanes + lane], end);
      crew_.free[w] = tasks_.done[k] = end;
    }
    close(draw, out);
  }

 private:
  bool is_fetched() const { return way_.fetch > 0 && way_.link > 0; }
  void note_nodes(span<const ticks> free, int lane) {
    for (int w = 0; w < way_.nodes; ++w) {
      const ticks end = free[w * kLanes + lane] >> crew_.bits;
      account_.note(w, rendering, crew_.free[w], end);
      crew_.free[w] = end;
    }
  }
  int number(int draw) const { return rest_.numbers.empty() ? frames_.before + draw : rest_.numbers[draw]; }
  void read_past(int draw) {
    const Past *past = rest_.of(draw);
    if (past && !(record_ && &record_->past() == past)) record_ = std::make_unique<Record>(*past, way_, tasks_.count());
  }
  bool is_here(int frame) const { return !tasks_.elsewhere[frame * way_.parts]; }
  int count_here() const {
    int count = 0;
    for (int f = 0; f < frames_.frames; ++f) count += is_here(f);
    return count;
  }
  void join_parts();
  void close(int draw, Results &out, ticks known_last = -1, bool has_usable = false);
  void charge(const Tally &tally, ticks stop, ticks at_home, int draw, Results &out);
  Tally tally_of(double home) const;
  Outcome stages_of(ticks last, ticks home) const;
  ticks bring_home(std::vector<ticks> &done, ticks each, ticks &from, bool keep) const;
  Bill charged_by(ticks t, bool in_flight, int64_t *lines);
  int64_t charged_beside(const Bill &past) const;
  ticks capped_at(ticks last);
  int64_t paid_ahead(const std::vector<int64_t> &credit) const {
    int64_t sum = 0;
    for (std::size_t k = 0; k < credit.size(); ++k) sum += prepaid_[k] ? credit[k] : 0;
    return sum;
  }

  const Frames &frames_;
  const Way &way_;
  const Rest &rest_;
  std::unique_ptr<Record> record_;
  const Tariff *tariff_;
  const std::vector<char> &prepaid_;
  Account account_, cut_;  // of the job, and of the job as far as a cap lets it run
  Crew crew_;
  Tasks tasks_;
  std::vector<ticks> joined_;  // when each frame of several parts was whole
  std::vector<char> joined_given_up_;
  std::vector<ticks> usable_;
  std::vector<std::pair<ticks, ticks>> stretches_;
  std::vector<int64_t> of_charge_;
};

// Frames of parts: a frame is done when its last part is in, has come through the coordinator's link and is merged; it
// is given up with any of its parts.
void Simulation::join_parts() {
  const int n = frames_.frames;
  std::vector<std::pair<ticks, int>> in(n);
  for (int f = 0; f < n; ++f) {
    in[f] = {0, f};
    joined_given_up_[f] = 0;
    for (int k = f * way_.parts; k < (f + 1) * way_.parts; ++k) {
      in[f].first = std::max(in[f].first, tasks_.done[k]);
      joined_given_up_[f] |= tasks_.given_up[k];
    }
  }
  std::sort(in.begin(), in.end());
  const double sent = way_.part_link > 0 ? way_.parts * way_.part_bytes / way_.part_link : 0;
  const ticks each = to_ticks(crew_.merge + sent);
  ticks busy = 0;
  for (const auto &[t, f] : in) {
    if (t < kNever) busy = std::max(busy, t) + each;
    joined_[f] = t < kNever ? busy : kNever;
  }
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
  o.prepare = s(0, crew_.at.prepared);
  o.upload = s(crew_.at.prepared, crew_.at.sent);
  o.wait = s(crew_.at.sent, crew_.at.hired);
  o.start = s(crew_.at.hired, crew_.at.started);
  o.prepass = s(crew_.at.started, crew_.at.prepassed);
  const ticks open = way_.open.always() ? last - crew_.at.prepassed : way_.open.within(crew_.at.prepassed, last);
  o.render = open / kTicks;
  o.closed = s(crew_.at.prepassed, last) - o.render;
  o.download = s(last, home);
  o.encode = crew_.encode;
  o.finish = home / kTicks + crew_.encode;
  o.lost_minor = 0;
  return o;
}

// Charges of the site by t, if it stopped the job then; without running work, if that were forgiven.
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

// Excess of the actual charges over the card so far: a site's own account is final.
int64_t Simulation::charged_beside(const Bill &past) const { return record_->past().spent - past.to_pay - past.credit; }

// When a cap stops the job: its lag after the meter has reached it. To the second, as meters are read.
ticks Simulation::capped_at(ticks last) {
  const bool told = record_ && record_->past().spent >= 0;
  const int64_t beside = told ? charged_beside(charged_by(record_->past().now, true, nullptr)) : 0;
  const auto reached = [&](ticks t) {
    const Bill b = charged_by(t, true, nullptr);
    return b.to_pay + b.credit + beside >= way_.cap;
  };
  const ticks second = ticks(kTicks);
  if (!reached(last)) return kNever;
  ticks low = 0, high = last / second + 1;
  while (low < high) {
    const ticks middle = (low + high) / 2;
    if (reached(middle * second))
      high = middle;
    else
      low = middle + 1;
  }
  return high * second + way_.cap_lag;
}

// Outcome of a draw. `known_last`: end of the last frame, for a draw whose frames are not looked at one by one.
// `has_usable`: usable_ already has the ends that keep the link busy.
void Simulation::close(int draw, Results &out, ticks known_last, bool has_usable) {
  const int n = frames_.frames, looked_at = known_last < 0 ? n : 0;
  const std::vector<ticks> &done = way_.parts > 1 ? joined_ : tasks_.done;
  const std::vector<char> &given_up = way_.parts > 1 ? joined_given_up_ : tasks_.given_up;
  ticks stop = kNever, last = std::max(crew_.at.prepassed, known_last);
  bool whole = true;
  int here = n;  // frames of this way
  if (rest_.mine || way_.halt < kNever) here = count_here();
  for (int f = 0; f < looked_at; ++f) {
    if (!is_here(f)) continue;
    if (done[f] < kNever)
      last = std::max(last, done[f]);
    else
      whole = false;
  }
  for (int w = 0; w < way_.nodes && way_.until_end; ++w) account_.note(w, idling, crew_.free[w], last);
  if (tariff_ && way_.cap > 0) stop = capped_at(last);
  if (stop >= last) stop = kNever;
  // Frames that are done by then, and come home.
  if (!has_usable) usable_.clear();
  for (int f = 0; f < looked_at; ++f) {
    if (!is_here(f)) continue;
    const bool ran = done[f] <= stop && done[f] < kNever;
    whole = whole && ran;
    if (ran && !given_up[f]) usable_.push_back(done[f]);
  }
  const Tally tally = tally_of(known_last < 0 ? double(usable_.size()) : here);
  span<double> home = out.home.empty() ? span<double>{} : out.home.part(std::size_t(draw) * n, n);
  for (int f = 0; !out.begun.empty() && f < n; ++f) out.begun[std::size_t(draw) * n + f] = is_here(f);
  const ticks each = is_fetched() ? to_ticks(way_.fetch / crew_.link) : 0;
  ticks from = stop < kNever ? stop : last;
  const ticks end = from;
  const ticks at_home = std::max(end, bring_home(usable_, each, from, !home.empty()));
  if (at_home == end) from = end;  // a frame that was given up ended it, or no frame has a way to go
  Outcome &o = out.outcomes[draw] = stages_of(std::max(from, crew_.at.prepassed), at_home);
  o.log_speed = std::log(crew_.common);
  o.done = tally.home;
  o.lost = here - tally.home;
  o.capped = stop < kNever;
  if (!whole) o.finish = INFINITY;
  for (std::size_t f = 0; f < home.size(); ++f) home[f] = f < usable_.size() ? usable_[f] / kTicks : INFINITY;
  if (tariff_) charge(tally, stop, at_home, draw, out);
  const Account &told = stop < kNever && tariff_ ? cut_ : account_;
  o.node_s = told.sum(way_.metered);
  o.busy_s = told.sum(kWorking);
}

// Frames as the bill counts them; `home` of them came home.
Tally Simulation::tally_of(double home) const {
  Tally tally;
  const bool may_fail = way_.fails > 0 || record_;
  for (int k = 0; may_fail && way_.bills_failed && k < tasks_.count(); ++k) {
    tally.runs += tasks_.elsewhere[k] ? 0 : tasks_.failures[k];
  }
  if (way_.bills_aborted) tally.runs += tasks_.aborted;
  tally.runs = tally.runs / way_.parts + home;
  tally.prepasses = crew_.at.hired < way_.halt ? way_.prepass_tasks : 0;
  tally.home = home;
  return tally;
}

// The bill of the whole, or of what a cap let run.
void Simulation::charge(const Tally &tally, ticks stop, ticks at_home, int draw, Results &out) {
  Outcome &o = out.outcomes[draw];
  const bool told = record_ && record_->past().spent >= 0;
  const int64_t beside = told ? charged_beside(charged_by(record_->past().now, true, nullptr)) : 0;
  of_charge_.resize(tariff_->charges.size());
  if (stop < kNever) {
    const Bill kept = charged_by(stop, false, nullptr);
    o.bill = charged_by(stop, true, of_charge_.data());
    o.lost_minor = o.bill.to_pay + o.bill.credit - kept.to_pay - kept.credit;
    o.prepaid = paid_ahead(cut_.credit());
  } else {
    o.bill = account_.bill(tally, at_home, of_charge_.data());
    o.prepaid = paid_ahead(account_.credit());
  }
  o.bill.to_pay += beside;
  if (out.lines.empty()) return;
  span<double> lines = out.lines.part(std::size_t(draw) * of_charge_.size(), of_charge_.size());
  for (std::size_t c = 0; c < lines.size(); ++c) lines[c] = double(of_charge_[c]);
}

}  // namespace

void simulate_draws(const Frames &frames, const Way &way, const Rest &rest, const Tariff *tariff,
                    const std::vector<char> &prepaid, int first, int last, bool lanes, Results &out) {
  const std::size_t n = frames.frames;
  std::vector<std::unique_ptr<Simulation>> of_lane;
  for (int l = 0; l < kLanes; ++l) of_lane.push_back(std::make_unique<Simulation>(frames, way, rest, tariff, prepaid));
  const bool side_by_side = lanes && has_lanes() && of_lane[0]->plain();
  const Needs needs = of_lane[0]->needs(out);
  std::vector<double> seconds(n * kLanes);
  std::vector<ticks> tasks(side_by_side ? n * kLanes : 0), done(needs == Needs::nothing ? 0 : tasks.size());
  std::vector<ticks> free(side_by_side ? std::size_t(way.nodes) * kLanes : 0);
  for (int draw = first; draw < last; draw += kLanes) {
    draw_frames(frames, draw, seconds.data());
    const int here = std::min(kLanes, last - draw);
    if (!side_by_side) {
      for (int l = 0; l < here; ++l) of_lane[0]->run(seconds, l, draw + l, out);
      continue;
    }
    double a_second[kLanes];
    ticks latest[kLanes] = {}, longest[kLanes] = {};
    for (int l = 0; l < kLanes; ++l) {
      of_lane[l]->begin(draw + l);
      of_lane[l]->to_lane(free, l);
      of_lane[l]->to_lane(seconds.data(), l);
      a_second[l] = of_lane[l]->ticks_a_second();
    }
    seconds_to_tasks(seconds.data(), int(n), a_second, tasks.data());
    schedule_lanes(tasks.data(), int(n), {way.nodes, of_lane[0]->bits(), free.data(),
                                          done.empty() ? nullptr : done.data(), latest, way.halt, &way.open});
    for (std::size_t k = 0; needs == Needs::tail && k < n * kLanes; ++k) {
      longest[k % kLanes] = std::max(longest[k % kLanes], tasks[k]);
    }
    const LaneEnds ends{free, done, tasks, latest, longest};
    for (int l = 0; l < here; ++l) {
      switch (needs) {
        case Needs::nothing: of_lane[l]->from_lane(ends, l, draw + l, out); break;
        case Needs::tail: of_lane[l]->from_lane_tail(ends, l, draw + l, out); break;
        case Needs::stretches: of_lane[l]->from_lane_stretches(ends, l, draw + l, out); break;
        case Needs::frames: of_lane[l]->from_lane_frames(ends, l, draw + l, out);
      }
    }
  }
}

}  // namespace clockpigeon
