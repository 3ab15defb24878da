// Jobs one after another and side by side on pools of nodes that open and close, or sent out: which plan keeps most of
// them for least money. No R in here.
#pragma once
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>
#include "core_random.h"

namespace clockpigeon {

// Hours in which a pool works: [from, to) in seconds from now, rising; none for always.
struct OpenHours {
  const double *from;
  const double *to;
  int count;

  // When `work` seconds of open time have passed from `start` on; never where the hours do not suffice.
  double after(double start, double work) const {
    if (count == 0) return start + work;
    const double *next = std::upper_bound(to, to + count, start);
    for (int k = int(next - to); k < count; ++k) {
      const double begin = std::max(start, from[k]);
      if (begin + work <= to[k]) return begin + work;
      work -= to[k] - begin;
    }
    return std::numeric_limits<double>::infinity();
  }
};

// Ends of jobs in one draw. `free`: when each node is free, rising. A job takes as many nodes as it wants, the first
// free ones, and starts when it has all of them.
inline double place_job(std::vector<double> &free, int nodes, double work, const OpenHours &hours) {
  const double end = hours.after(free[nodes - 1], work);
  // Later nodes move ahead of the taken ones if they are free earlier.
  std::copy(free.begin() + nodes, free.end(), free.begin());
  const auto last = free.end() - nodes;
  const auto at = std::upper_bound(free.begin(), last, end);
  std::copy_backward(at, last, free.end());
  std::fill(at, at + nodes, end);
  return end;
}

// The same for a job that may take the first `of` nodes only: `free` then has a place for each node. Of nodes that
// are free at once it takes the last, which fewer others may take.
inline double place_among(std::vector<double> &free, std::vector<int> &by, int of, int nodes, double work,
                          const OpenHours &hours) {
  by.resize(size_t(of));
  std::iota(by.begin(), by.end(), 0);
  std::partial_sort(by.begin(), by.begin() + nodes, by.end(), [&](int a, int b) {
    return free[size_t(a)] != free[size_t(b)] ? free[size_t(a)] < free[size_t(b)] : a > b;
  });
  const double end = hours.after(free[size_t(by[size_t(nodes - 1)])], work);
  for (int k = 0; k < nodes; ++k) free[size_t(by[size_t(k)])] = end;
  return end;
}

// A way to render a job: on `nodes` of a pool, or (pool -1) sent out. One time and one cost a draw.
struct WeekWay {
  int job, pool, nodes;
  const double *seconds, *cost;
  int alone;        // draws in which it keeps its limits alone; all that matters for a way out
  double mean;      // of its cost
  OpenHours hours;  // in which it works
  int of;           // how many of the pool's nodes it may take from, the first
};

struct WeekJob {
  double deadline, budget, confidence;
  std::vector<int> ways;
};

struct WeekPool {
  int nodes;
  const double *busy;  // until when nodes have other work: draws x nodes by columns; or none
  bool even;           // all ways may take any of its nodes
};

// When each node of a pool is free in a draw; rising where it is all the same which node is which (`even`).
inline void free_from(std::vector<double> &free, const double *busy, int draws, int draw, bool even) {
  for (size_t k = 0; k < free.size(); ++k) free[k] = busy ? busy[k * size_t(draws) + size_t(draw)] : 0.0;
  if (busy && even) std::sort(free.begin(), free.end());
}

// Way of each job (-1: not rendered), and all jobs in the order in which they are scheduled.
struct WeekPlan {
  std::vector<int> way, order;
};

// How good a plan is: first how many jobs it keeps, then its mean cost, both in one number, the less the better. In
// `leading`, which the search follows, a job that misses by a little counts less than one that misses by much.
struct WeekValue {
  double strict, leading;
  std::vector<char> keeps;
};

class Week {
 public:
  Week(int draws, std::vector<WeekJob> jobs, std::vector<WeekWay> ways, std::vector<WeekPool> pools, double budget,
       double confidence)
      : draws_(draws), jobs_(std::move(jobs)), ways_(std::move(ways)), pools_(std::move(pools)), budget_(budget),
        confidence_(confidence), counts_(jobs_.size()) {
    worth_ = 1;
    for (const WeekJob &job : jobs_) {
      double most = 0;
      for (int w : job.ways) most = std::max(most, ways_[w].mean);
      worth_ += 2 * most;
    }
  }

  int jobs() const { return int(jobs_.size()); }

  WeekValue value(const WeekPlan &plan) {
    std::fill(counts_.begin(), counts_.end(), 0);
    for (size_t p = 0; p < pools_.size(); ++p) count_pool(plan, int(p));
    WeekValue out = {0, 0, std::vector<char>(jobs_.size(), 0)};
    double cost = 0;
    for (int j = 0; j < jobs(); ++j) {
      const int w = plan.way[j];
      double missed = 1;
      if (w >= 0) {
        const double kept = double(ways_[w].pool < 0 ? ways_[w].alone : counts_[j]) / draws_;
        out.keeps[j] = kept >= jobs_[j].confidence - 1e-9;
        missed = out.keeps[j] ? 0 : 1.02 - 0.4 * kept / jobs_[j].confidence;
        cost += ways_[w].mean;
      }
      out.strict += out.keeps[j] ? 0 : worth_;
      out.leading += worth_ * missed;
    }
    const double short_of = std::isfinite(budget_) ? std::max(0.0, confidence_ - in_budget(plan)) : 0;
    const double beyond = short_of > 1e-9 ? worth_ * double(jobs_.size()) * (1 + short_of) : 0;
    out.strict += beyond + cost;
    out.leading += beyond + cost;
    return out;
  }

  // Random plans, accepted if they are better or, while the temperature is high, a little worse (Kirkpatrick, Gelatt &
  // Vecchi 1983, Science 220, 671); then, from the best one, each job moves to its best place until the plan stops
  // improving.
  WeekPlan search(WeekPlan plan, int steps, random_stream random) {
    WeekValue now = value(plan);
    WeekPlan best = plan;
    double least = now.strict;
    const double warm = 0.3 * worth_, cold = 1e-4 * worth_ / std::max(1, jobs());
    for (int step = 0; step < steps; ++step) {
      const double heat = warm * std::pow(cold / warm, double(step) / steps);
      WeekPlan tried = plan;
      change(tried, random);
      const WeekValue then = value(tried);
      if (then.leading <= now.leading || random.uniform() < std::exp((now.leading - then.leading) / heat)) {
        plan = std::move(tried);
        now = then;
        if (now.strict < least - 1e-12) {
          least = now.strict;
          best = plan;
        }
      }
    }
    while (put_best(best, least)) {}
    return best;
  }

 private:
  static int below(random_stream &random, size_t n) { return int(random.uniform() * double(n)); }

  void count_pool(const WeekPlan &plan, int p) {
    here_.clear();
    for (int j : plan.order) {
      if (plan.way[j] >= 0 && ways_[plan.way[j]].pool == p) here_.push_back(j);
    }
    if (here_.empty()) return;
    const WeekPool &pool = pools_[p];
    free_.resize(pool.nodes);
    for (int d = 0; d < draws_; ++d) {
      free_from(free_, pool.busy, draws_, d, pool.even);
      for (int j : here_) {
        const WeekWay &way = ways_[plan.way[j]];
        const double end = pool.even ? place_job(free_, way.nodes, way.seconds[d], way.hours)
                                     : place_among(free_, by_, way.of, way.nodes, way.seconds[d], way.hours);
        counts_[j] += end <= jobs_[j].deadline && way.cost[d] <= jobs_[j].budget;
      }
    }
  }

  double in_budget(const WeekPlan &plan) const {
    int within = 0;
    for (int d = 0; d < draws_; ++d) {
      double paid = 0;
      for (int w : plan.way) paid += w >= 0 ? ways_[w].cost[d] : 0;
      within += paid <= budget_;
    }
    return double(within) / draws_;
  }

  static void move(std::vector<int> &order, int j, size_t place) {
    order.erase(std::find(order.begin(), order.end(), j));
    order.insert(order.begin() + std::min(place, order.size()), j);
  }

  void change(WeekPlan &plan, random_stream &random) const {
    const int j = below(random, jobs_.size());
    const double what = random.uniform();
    if (what < 0.5) {
      const std::vector<int> &ways = jobs_[j].ways;
      const int k = below(random, ways.size() + 1);
      plan.way[j] = k == int(ways.size()) ? -1 : ways[k];
    }
    if (what > 0.3) move(plan.order, j, below(random, jobs_.size()));
  }

  // Each job in each way at each place; whether anything was gained.
  bool put_best(WeekPlan &best, double &least) {
    const double before = least;
    for (int j = 0; j < jobs(); ++j) {
      const WeekPlan from = best;
      for (int k = -1; k < int(jobs_[j].ways.size()); ++k) {
        const int w = k < 0 ? -1 : jobs_[j].ways[k];
        const bool anywhere = w < 0 || ways_[w].pool < 0;
        for (size_t place = 0; place < (anywhere ? 1 : jobs_.size()); ++place) {
          WeekPlan tried = from;
          tried.way[j] = w;
          move(tried.order, j, place);
          const double strict = value(tried).strict;
          if (strict < least - 1e-9) {
            least = strict;
            best = std::move(tried);
          }
        }
      }
    }
    return least < before - 1e-9;
  }

  int draws_;
  std::vector<WeekJob> jobs_;
  std::vector<WeekWay> ways_;
  std::vector<WeekPool> pools_;
  double budget_, confidence_, worth_;
  std::vector<int> counts_, here_, by_;
  std::vector<double> free_;
};

}  // namespace clockpigeon
