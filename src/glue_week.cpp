// Jobs on a pool of nodes, for many draws.
#include <Rcpp.h>
#include <numeric>
#include "core_week.h"

namespace {

const double *busy_of(const Rcpp::NumericMatrix &busy, int draws, int nodes) {
  if (busy.ncol() == 0) return nullptr;
  if (busy.nrow() != draws || busy.ncol() != nodes) Rcpp::stop("other work must be said of each node in each draw");
  return busy.begin();
}

// For a matrix that stays in place while it is used.
clockpigeon::OpenHours hours_of(SEXP matrix) {
  if (TYPEOF(matrix) != REALSXP) Rcpp::stop("hours must be numbers");
  const Rcpp::NumericMatrix open(matrix);
  return {open.begin(), open.begin() + open.nrow(), int(open.nrow())};
}

// Mean in two passes: the sum in extended precision, then the mean deviation from it.
double mean_of(const Rcpp::NumericVector &x) {
  const auto size = static_cast<long double>(x.size());
  long double mean = std::accumulate(x.begin(), x.end(), 0.0L) / size;
  long double left = 0;
  for (double value : x) left += value - mean;
  return static_cast<double>(mean + left / size);
}

}  // namespace

// Ends of jobs, in seconds from now: draws x jobs. `work`: open seconds that each job takes on its nodes, draws x jobs;
// `order`: which jobs (columns, from 1) come one after another; `nodes`: how many each takes; `open`: each one's
// hours, a matrix of two columns; `of`: how many of the pool's nodes each may take from, the first; `busy`: until when
// nodes have other work, draws x nodes; no columns: not at all. Jobs that are not in the order are NA.
// [[Rcpp::export]]
Rcpp::NumericMatrix pool_ends(Rcpp::NumericMatrix work, Rcpp::IntegerVector order, Rcpp::IntegerVector nodes, int pool,
                              Rcpp::List open, Rcpp::IntegerVector of, Rcpp::NumericMatrix busy) {
  const double *until = busy_of(busy, work.nrow(), pool);
  const int draws = work.nrow(), jobs = work.ncol();
  for (int j : order) {
    if (j < 1 || j > jobs) Rcpp::stop("the order names a job that is not there");
    if (nodes[j - 1] < 1 || nodes[j - 1] > pool) Rcpp::stop("a job takes more nodes than the pool has");
    if (of[j - 1] < nodes[j - 1] || of[j - 1] > pool) Rcpp::stop("a job takes more nodes than it may");
  }
  if (open.size() != jobs) Rcpp::stop("hours must be said of each job");
  const bool even = std::all_of(of.begin(), of.end(), [&](int n) { return n == pool; });
  std::vector<clockpigeon::OpenHours> hours;
  for (R_xlen_t j = 0; j < open.size(); ++j) hours.push_back(hours_of(open[j]));
  Rcpp::NumericMatrix ends(draws, jobs);
  std::fill(ends.begin(), ends.end(), NA_REAL);
  std::vector<double> free(pool);
  std::vector<int> by;
  for (int d = 0; d < draws; ++d) {
    clockpigeon::free_from(free, until, draws, d, even);
    for (int j : order) {
      ends(d, j - 1) = even ? clockpigeon::place_job(free, nodes[j - 1], work(d, j - 1), hours[j - 1])
                            : clockpigeon::place_among(free, by, of[j - 1], nodes[j - 1], work(d, j - 1), hours[j - 1]);
    }
  }
  return ends;
}

// The best plan that is found: `way` of each job (a number within its ways from 1, 0: not rendered) and `order`, from
// plans to begin with (each a list of these). `jobs`: lists of deadline_s, budget, confidence and ways, each of kind,
// pool (a number from 1, 0: sent out), nodes, of (how many it may take from), seconds, cost and open (hours, a matrix);
// `pools`: lists of nodes and busy (a matrix).
// [[Rcpp::export]]
Rcpp::List week_search(Rcpp::List jobs, Rcpp::List pools, double budget, double confidence, Rcpp::List starts,
                       int steps, double seed) {
  using namespace clockpigeon;
  std::vector<WeekPool> there;
  std::vector<int> sizes;
  for (R_xlen_t p = 0; p < pools.size(); ++p) sizes.push_back(Rcpp::as<int>(Rcpp::List(pools[p])["nodes"]));
  std::vector<WeekJob> asked;
  std::vector<WeekWay> ways;
  int draws = 0;
  for (R_xlen_t j = 0; j < jobs.size(); ++j) {
    const Rcpp::List job = jobs[j], own = job["ways"];
    WeekJob one = {job["deadline_s"], job["budget"], job["confidence"], {}};
    for (R_xlen_t k = 0; k < own.size(); ++k) {
      const Rcpp::List way = own[k];
      const Rcpp::NumericVector seconds = way["seconds"], cost = way["cost"];
      const int pool = Rcpp::as<int>(way["pool"]) - 1, nodes = Rcpp::as<int>(way["nodes"]);
      if (draws == 0) draws = seconds.size();
      if (seconds.size() != draws || cost.size() != draws) Rcpp::stop("ways have unlike numbers of draws");
      if (pool >= int(sizes.size()) || (pool >= 0 && (nodes < 1 || nodes > sizes[size_t(pool)]))) {
        Rcpp::stop("a job takes more nodes than the pool has");
      }
      int alone = 0;
      for (int d = 0; d < draws; ++d) alone += seconds[d] <= one.deadline && cost[d] <= one.budget;
      one.ways.push_back(int(ways.size()));
      ways.push_back({int(j), pool, nodes, seconds.begin(), cost.begin(), alone, mean_of(cost),
                      hours_of(way["open"]), Rcpp::as<int>(way["of"])});
      if (pool >= 0 && (ways.back().of < nodes || ways.back().of > sizes[size_t(pool)])) {
        Rcpp::stop("a job takes more nodes than it may");
      }
    }
    asked.push_back(one);
  }
  for (R_xlen_t p = 0; p < pools.size(); ++p) {
    const Rcpp::List pool = pools[p];
    const Rcpp::NumericMatrix busy = pool["busy"];
    const int nodes = sizes[size_t(p)];
    const bool even = std::all_of(ways.begin(), ways.end(), [&](const WeekWay &way) {
      return way.pool != int(p) || way.of == nodes;
    });
    there.push_back({nodes, busy_of(busy, draws, nodes), even});
  }
  const std::vector<WeekJob> own = asked;
  Week week(draws, std::move(asked), std::move(ways), std::move(there), budget, confidence);
  WeekPlan best;
  double least = R_PosInf;
  for (R_xlen_t s = 0; s < starts.size(); ++s) {
    Rcpp::checkUserInterrupt();
    const Rcpp::List start = starts[s];
    const std::vector<int> way = start["way"], order = start["order"];
    WeekPlan plan;
    for (size_t j = 0; j < own.size(); ++j) plan.way.push_back(way[j] < 1 ? -1 : own[j].ways.at(way[j] - 1));
    for (int j : order) plan.order.push_back(j - 1);
    plan = week.search(plan, steps, random_stream(uint64_t(seed), uint64_t(s)));
    const double strict = week.value(plan).strict;
    if (strict < least) {
      least = strict;
      best = plan;
    }
  }
  // Jobs that miss are not rendered.
  const std::vector<char> keeps = week.value(best).keeps;
  Rcpp::IntegerVector way(own.size()), order;
  for (size_t j = 0; j < own.size(); ++j) {
    const auto at = std::find(own[j].ways.begin(), own[j].ways.end(), best.way[j]);
    way[j] = keeps[j] ? int(at - own[j].ways.begin()) + 1 : 0;
  }
  for (int j : best.order) if (keeps[j]) order.push_back(j + 1);
  return Rcpp::List::create(Rcpp::Named("way") = way, Rcpp::Named("order") = order);
}
