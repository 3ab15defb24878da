#include "core_tasks.h"
#include <algorithm>

namespace clockpigeon {

void Tasks::run(int draw, const double *seconds, int lane, const Record *record, Crew &crew, Account &account) {
  aborted = 0;
  draw_ = draw;
  if (way_.fails > 0) {
    draw_failures(draw);
  } else if (record) {
    std::fill(failures.begin(), failures.end(), 0);
    std::fill(given_up.begin(), given_up.end(), 0);
  }
  schedule(seconds, lane, record, crew, account);
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
  int &next = fresh_of(node);
  if (next < stop_of(node)) return next++;
  wait = !again_.empty();
  return -1;
}

// The first free task of a node, or of all.
int &Tasks::fresh_of(int node) {
  int &next = way_.spread == Way::Kind::ranges ? next_[node] : fresh_;
  while (next < stop_of(node) && taken_[next]) ++next;
  return next;
}

int Tasks::stop_of(int node) const { return way_.spread == Way::Kind::ranges ? stop_[node] : count_; }

// Is there a task that the node could take at t?
bool Tasks::is_left(int node, ticks t) {
  return (!again_.empty() && again_.front().first <= t) || fresh_of(node) < stop_of(node);
}

// When nodes take no more tasks: unstarted tasks go to others, except lost ones that are not yet noticed, and the other
// parts of a frame that was started. Returns their number.
int Tasks::drop_rest() {
  const int parts = way_.parts, before = fresh_ % parts ? fresh_ + parts - fresh_ % parts : fresh_;
  int dropped = 0;
  const auto drop = [&](int task) {
    elsewhere[task] = taken_[task] = 1;
    ++dropped;
  };
  if (way_.spread == Way::Kind::ranges) {
    for (int w = 0; w < way_.nodes; ++w) {
      for (int k = next_[w]; k < stop_[w]; ++k) {
        if (!taken_[k]) drop(k);
      }
    }
  } else {
    for (int k = before; k < count_; ++k) {
      if (!taken_[k]) drop(k);
    }
  }
  // A frame with a started part is finished here.
  const auto early = [&](const std::pair<ticks, int> &a) { return a.first <= way_.halt && parts == 1; };
  for (const auto &a : again_) {
    if (early(a) && !elsewhere[a.second]) drop(a.second);
  }
  again_.erase(std::remove_if(again_.begin(), again_.end(), early), again_.end());
  std::make_heap(again_.begin(), again_.end(), std::greater<>());
  return dropped;
}

// How long a node lives from `from` on, and how it ends.
void Tasks::begin_life(int node, int life, ticks from, const Crew &crew) {
  random_stream random = crew.life_stream(node, life, draw_);
  const double hazard = way_.vanish_rate + way_.freeze_rate;
  const double lasts = -std::log(random.uniform()) / hazard * kHour;
  death_[node] = from + ticks(std::min(lasts, double(kNever)));
  frozen_[node] = random.uniform() * hazard >= way_.vanish_rate;
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
    const ticks ready = crew.begin_again(node, ++life_[node], draw_, noticed, nullptr, account);
    begin_life(node, life_[node], ready, crew);
    crew.free[node] = ready;
    crew.heap.push(ready, node);
  } else {
    crew.free[node] = paid;
    if (way_.spread == Way::Kind::ranges) {
      for (; next_[node] < stop_[node]; ++next_[node]) {
        if (taken_[next_[node]]) continue;
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

// History is fixed: finished tasks, tasks to take again, the running ones with their nodes and starts, and lost
// nodes. Returns the number of tasks that need no more work.
int Tasks::go_on(const Record &record, Crew &crew, Account &account) {
  const ticks now = record.past().now;
  aborted = record.aborted;
  int over = 0;
  for (int k = 0; k < count_; ++k) {
    taken_[k] = taken_[k] || record.taken[k];
    if (record.done[k] < kNever) {
      done[k] = record.done[k];
      failures[k] = record.failures[k];
      given_up[k] = record.given_up[k];
      ++over;
    }
  }
  again_ = record.again;
  std::make_heap(again_.begin(), again_.end(), std::greater<>());
  const bool mortal = way_.vanish_rate + way_.freeze_rate > 0;
  for (int w = 0; w < way_.nodes; ++w) {
    const Record::Node &n = record.node[w];
    life_[w] = n.life;
    if (n.life > 0 && !n.gone) {
      crew.free[w] = crew.begin_again(w, n.life, draw_, n.noticed, &n, account);
      if (mortal) begin_life(w, n.life, crew.free[w], crew);
    }
    if (n.gone) {
      crew.free[w] = frozen_[w] ? n.noticed : n.lost;
      if (way_.spread == Way::Kind::ranges) {
        for (; next_[w] < stop_[w]; ++next_[w]) {
          if (taken_[next_[w]]) continue;
          again_.push_back({n.noticed, next_[w]});
          std::push_heap(again_.begin(), again_.end(), std::greater<>());
          taken_[next_[w]] = 1;
        }
      }
      continue;
    }
    // A node that is alive now has the usual time before it, whatever was drawn.
    if (mortal && death_[w] + way_.notice <= now) begin_life(w, n.life + 1000, now, crew);
    under_way_[w] = n.task;
    ticks key = way_.open.next(crew.free[w]);
    if (n.ended >= 0) {
      crew.free[w] = n.ended;
      key = way_.open.next(n.ended);
    }
    crew.heap.push(n.task >= 0 ? n.from : std::max(key, n.idle_to), w);
  }
  return over;
}

// List scheduling (Graham 1966): each task, in order, to the node that is free first.
void Tasks::schedule(const double *seconds, int lane, const Record *record, Crew &crew, Account &account) {
  again_.clear();
  parked_.clear();
  fresh_ = 0;
  taken_.assign(elsewhere.begin(), elsewhere.end());
  under_way_.assign(way_.nodes, -1);
  if (way_.spread == Way::Kind::ranges) deal_ranges();
  std::fill(done.begin(), done.end(), kNever);
  for (int w = 0; w < way_.nodes; ++w) {
    life_[w] = 0;
    if (way_.vanish_rate + way_.freeze_rate > 0) begin_life(w, 0, crew.free[w], crew);
  }
  int left = count_ - int(std::count(elsewhere.begin(), elsewhere.end(), 1));
  if (record) {
    left -= go_on(*record, crew, account);
  } else {
    for (int w = 0; w < way_.nodes; ++w) crew.heap.push(crew.free[w], w);
  }
  const ticks now = record ? record->past().now : 0;
  for (bool halted = false; left > 0 && !crew.heap.empty();) {
    const int w = crew.heap.node();
    const ticks t = crew.heap.time();
    int task = under_way_[w];
    if (task < 0 && t >= way_.halt && !halted) {
      halted = true;
      left -= drop_rest();
      continue;
    }
    if (task < 0 && death_[w] <= t) {
      lose_node(w, -1, t, crew, account);
      continue;
    }
    if (task < 0 && t < now && is_left(w, now)) {  // nothing begins in the past
      const ticks on = way_.open.next(now);
      account.note(w, idling, t, on);
      crew.heap.put_back(on);
      continue;
    }
    bool wait = false;
    const bool resumed = task >= 0;
    if (!resumed) task = take(w, t, wait);
    under_way_[w] = -1;
    if (task < 0 && wait) {
      const ticks on = way_.open.next(std::max(again_.front().first, now));
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
    const ticks end = std::max(t + lost + (given_up[task] ? 0 : once), now);
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
