#include "core_tasks.h"
#include <algorithm>

namespace clockpigeon {

void Tasks::run(int draw, const double *seconds, int lane, Crew &crew, Account &account) {
  aborted = 0;
  if (way_.fails > 0) draw_failures(draw);
  schedule(seconds, lane, crew, account);
}

// Runs that fail are taken up again at once where they failed, so that they only make a task longer.
void Tasks::draw_failures(int draw) {
  random_stream random(way_.streams.fail, uint64_t(draw) + 1);
  for (int k = 0; k < count_; ++k) {
    failed_[k] = 0;
    failures[k] = 0;
    given_up[k] = 1;
    for (int run = 0; run <= way_.retries; ++run) {
      const double fate = random.uniform(), share = random.uniform();
      if (fate >= way_.fails) {
        given_up[k] = 0;
        break;
      }
      failed_[k] += share;
      ++failures[k];
    }
  }
}

ticks Tasks::duration(const double *seconds, int lane, int task, double speed) const {
  const double whole = seconds[std::size_t(task / way_.parts) * kLanes + lane];
  if (way_.parts == 1) return ticks(whole * (kTicks / speed) + 0.5);  // as seconds_to_tasks() has it
  const double load = std::min(way_.part_load, whole);
  const double mine = load + (whole - load) * way_.part_weight[task % way_.parts];
  return ticks(mine * (kTicks / speed) + 0.5);
}

// The next task for a node that is free at t: one to be taken again, then fresh ones; -1 when there is none, `wait`
// when one will come back later.
int Tasks::take(int node, ticks t, bool &wait) {
  wait = false;
  if (!again_.empty() && again_.front().first <= t) {
    std::pop_heap(again_.begin(), again_.end(), std::greater<>());
    const int task = again_.back().second;
    again_.pop_back();
    return task;
  }
  if (way_.spread == Way::Kind::ranges) {
    if (next_[node] < stop_[node]) return next_[node]++;
  } else if (fresh_ < count_) {
    return fresh_++;
  }
  wait = !again_.empty();
  return -1;
}

// How long a node lives from `from` on, and how it ends.
void Tasks::begin_life(int node, ticks from, Crew &crew) {
  const double hazard = way_.vanish_rate + way_.freeze_rate;
  const double life = -std::log(crew.vanish.uniform()) / hazard * kHour;
  death_[node] = from + ticks(std::min(life, double(kNever)));
  frozen_[node] = crew.vanish.uniform() * hazard >= way_.vanish_rate;
}

// A node is gone in the middle of a task, or idle; the task waits until that is noticed.
void Tasks::lose_node(int node, int task, ticks from, Crew &crew, Account &account) {
  const ticks gone = death_[node], noticed = gone + way_.notice, paid = frozen_[node] ? noticed : gone;
  if (task >= 0) {
    account.note(node, aborting, from, paid, task, 1);
    ++aborted;
    again_.push_back({noticed, task});
    std::push_heap(again_.begin(), again_.end(), std::greater<>());
  }
  crew.heap.pop();
  if (way_.replaced) {
    const ticks up = noticed + to_ticks(draw_varying(way_.start, crew.start) + draw_varying(way_.install, crew.start));
    const ticks ready = way_.open.next(up + to_ticks(draw_varying(way_.load, crew.start)));
    account.note(node, starting, noticed, up);
    account.note(node, loading, up, ready);
    begin_life(node, ready, crew);
    crew.free[node] = ready;
    crew.heap.push(ready, node);
  } else {
    crew.free[node] = paid;
    if (way_.spread == Way::Kind::ranges) {
      for (; next_[node] < stop_[node]; ++next_[node]) {
        again_.push_back({noticed, next_[node]});
        std::push_heap(again_.begin(), again_.end(), std::greater<>());
      }
    }
  }
  if (again_.empty()) return;
  for (const auto &[t, w] : parked_) crew.heap.push(t, w);
  parked_.clear();
}

// Each node's run of tasks, in proportion to the speeds that are known, ends rounded.
void Tasks::deal_ranges() {
  const auto known = [&](int w) { return way_.node_speed.empty() ? 1.0 : way_.node_speed[w]; };
  next_.assign(way_.nodes, 0);
  stop_.assign(way_.nodes, 0);
  double all = 0, so_far = 0;
  for (int w = 0; w < way_.nodes; ++w) all += known(w);
  for (int w = 0; w < way_.nodes; ++w) {
    next_[w] = w ? stop_[w - 1] : 0;
    so_far += known(w);
    stop_[w] = int(count_ * (so_far / all) + 0.5);
  }
}

// List scheduling (Graham 1966): each task, in order, to the node that is free first.
void Tasks::schedule(const double *seconds, int lane, Crew &crew, Account &account) {
  for (int w = 0; w < way_.nodes; ++w) {
    crew.heap.push(crew.free[w], w);
    if (way_.vanish_rate + way_.freeze_rate > 0) begin_life(w, crew.free[w], crew);
  }
  again_.clear();
  parked_.clear();
  fresh_ = 0;
  if (way_.spread == Way::Kind::ranges) deal_ranges();
  std::fill(done.begin(), done.end(), kNever);
  for (int left = count_; left > 0 && !crew.heap.empty();) {
    const int w = crew.heap.node();
    const ticks t = crew.heap.time();
    if (death_[w] <= t) {
      lose_node(w, -1, t, crew, account);
      continue;
    }
    bool wait;
    const int task = take(w, t, wait);
    if (task < 0 && wait) {
      const ticks on = way_.open.next(again_.front().first);
      account.note(w, idling, t, on);
      crew.heap.put_back(on);
      continue;
    }
    if (task < 0) {
      parked_.push_back({t, w});
      crew.heap.pop();
      continue;
    }
    const ticks once = duration(seconds, lane, task, crew.speed[w]);
    const ticks lost = failed_[task] > 0 ? ticks(once * failed_[task] + 0.5) : 0;
    const ticks end = t + lost + (given_up[task] ? 0 : once);
    if (end > death_[w]) {
      lose_node(w, task, t, crew, account);
      continue;
    }
    account.note(w, failing, t, t + lost, task, failures[task]);
    account.note(w, rendering, t + lost, end, task, 1);
    done[task] = end;
    crew.free[w] = end;
    --left;
    crew.heap.put_back(way_.open.next(end));
  }
}

}  // namespace clockpigeon
