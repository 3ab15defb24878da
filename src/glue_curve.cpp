// Curves of frame times, for lists of R.
#include <Rcpp.h>

#include "core_curve.h"
#include "core_span.h"
#include "glue_threads.h"

using namespace clockpigeon;

namespace {

std::vector<double> numbers(const Rcpp::List &x, const char *name) {
  return Rcpp::as<std::vector<double>>(x[name]);
}

std::vector<int> places(const Rcpp::List &x, const char *name) {  // from 1 in R, from 0 here
  std::vector<int> out = Rcpp::as<std::vector<int>>(x[name]);
  for (int &i : out) --i;
  return out;
}

curve_data data_of(const Rcpp::List &x) {
  curve_data data;
  data.at = numbers(x, "at");
  const std::vector<int> fresh = Rcpp::as<std::vector<int>>(x["fresh"]);
  data.fresh.assign(fresh.begin(), fresh.end());
  data.extra = numbers(x, "extra");
  data.frame = places(x, "frame");
  data.y = numbers(x, "y");
  data.noise = numbers(x, "noise");
  data.design = numbers(x, "design");
  data.mean = numbers(x, "mean");
  data.sd = numbers(x, "sd");
  const size_t k = data.mean.size();
  if (k > 9 || data.design.size() != data.y.size() * k) Rcpp::stop("design of wrong size");
  return data;
}

curve_shot shot_of(const Rcpp::List &x) {
  curve_shot shot;
  shot.frame = numbers(x, "frame");
  shot.probed = places(x, "probed");
  shot.extra = numbers(x, "extra");
  shot.design = numbers(x, "design");
  shot.cut_from = numbers(x, "cut_from");
  shot.cut_to = numbers(x, "cut_to");
  shot.run_sd = Rcpp::as<double>(x["run_sd"]);
  return shot;
}

curve_prior prior_of(const Rcpp::List &x) {
  const std::vector<double> mean = numbers(x, "mean"), spread = numbers(x, "spread");
  curve_prior prior;
  for (int j = 0; j < 3; ++j) {
    prior.mean[j] = mean[j];
    prior.spread[j] = spread[j];
  }
  const std::vector<double> rate = numbers(x, "rate"), heavy = numbers(x, "heavy");
  prior.rate_a = rate[0];
  prior.rate_b = rate[1];
  prior.heavy_mean = heavy[0];
  prior.heavy_sd = heavy[1];
  return prior;
}

// An empty list: the model as it is.
curve_design design_of(const Rcpp::List &x) {
  curve_design design;
  if (!x.size()) return design;
  const auto number = [&](const char *name) { return Rcpp::as<double>(x[name]); };
  design.known = true;
  design.middle = number("middle");
  design.centre = number("centre");
  design.below = number("below");
  design.above = number("above");
  design.least = number("least");
  design.most = number("most");
  return design;
}

curve_parameters parameters_of(const Rcpp::NumericMatrix &x, int row) {
  return {x(row, 0), x(row, 1), x(row, 2), x(row, 3)};
}

}  // namespace

// A chain: `parameters` (draws x sd, range, own, rate) and `heavy` (draws x probed frames).
// [[Rcpp::export]]
Rcpp::List curve_chain_draws(Rcpp::List data, Rcpp::List prior, int draws, int thin, int warm_up, double seed) {
  const curve_data d = data_of(data);
  const std::vector<curve_sample> chain = curve_chain(d, prior_of(prior), draws, thin, warm_up, uint64_t(seed));
  const int m = int(d.at.size());
  Rcpp::NumericMatrix parameters(draws, 4);
  Rcpp::LogicalMatrix heavy(draws, m);
  for (int i = 0; i < draws; ++i) {
    const curve_parameters &p = chain[i].p;
    const double all[] = {p.sd, p.range, p.own, p.rate};
    for (int j = 0; j < 4; ++j) parameters(i, j) = all[j];
    for (int j = 0; j < m; ++j) heavy(i, j) = chain[i].heavy[j];
  }
  return Rcpp::List::create(Rcpp::Named("parameters") = parameters, Rcpp::Named("heavy") = heavy);
}

// Log likelihood at each row of `parameters`, no frame standing out.
// [[Rcpp::export]]
Rcpp::NumericVector curve_log_likelihood(Rcpp::List data, Rcpp::List prior, Rcpp::NumericMatrix parameters) {
  const curve_data d = data_of(data);
  const curve_prior beforehand = prior_of(prior);
  const std::vector<char> heavy(d.at.size(), 0);
  Rcpp::NumericVector out(parameters.nrow());
  for (int i = 0; i < parameters.nrow(); ++i) {
    out[i] = curve_likelihood(d, parameters_of(parameters, i), beforehand, heavy);
  }
  return out;
}

namespace {

// The chain's draws of the parameters, with their flags of `probed` frames.
std::vector<curve_sample> samples_of(const Rcpp::List &chain, int probed) {
  const Rcpp::NumericMatrix parameters = chain["parameters"];
  const Rcpp::LogicalMatrix heavy = chain["heavy"];
  std::vector<curve_sample> out(parameters.nrow());
  for (int i = 0; i < parameters.nrow(); ++i) {
    out[i].p = parameters_of(parameters, i);
    out[i].heavy.resize(probed);
    for (int j = 0; j < probed; ++j) out[i].heavy[j] = heavy(i, j) != 0;
  }
  return out;
}

}  // namespace

// Draws of the whole shot, those of the chain taken in turn, brought to the design: `total`, that of the frames not
// probed (`open`) and `slowest` of each, with the `place` of the slowest; the seconds themselves (draws x frames) and
// the log of their smooth part where `keep` says so. They go on `before` draws after the first.
// [[Rcpp::export]]
Rcpp::List curve_path_draws(Rcpp::List data, Rcpp::List shot, Rcpp::List prior, Rcpp::List chain, Rcpp::List design,
                            int draws, double seed, bool keep, int before) {
  const curve_data d = data_of(data);
  const curve_shot whole = shot_of(shot);
  const curve_prior beforehand = prior_of(prior);
  const curve_design brought = design_of(design);
  const std::vector<curve_sample> samples = samples_of(chain, int(d.at.size()));
  const int n = int(whole.frame.size());
  Rcpp::NumericVector total(draws), slowest(draws), open(draws);
  Rcpp::IntegerVector place(draws);
  Rcpp::NumericMatrix seconds(keep ? draws : 0, keep ? n : 0), smooth(keep ? draws : 0, keep ? n : 0);
  // The threads see these stretches of memory only, and no R.
  const span<double> totals{total.begin(), size_t(draws)}, slow{slowest.begin(), size_t(draws)},
      opens{open.begin(), size_t(draws)}, all{seconds.begin(), size_t(seconds.size())},
      smoothed{smooth.begin(), size_t(smooth.size())};
  const span<int> places{place.begin(), size_t(draws)};
  // Every draw has its own stream, so it is the same on any thread.
  constexpr int kEach = 32;
  const int blocks = (draws + kEach - 1) / kEach;
  // Small: a thread costs more than it brings.
  on_threads(blocks, double(draws) * n < 2e6 ? 1 : 2, [&](int block) {
    std::vector<double> path(n), log_s(n);
    for (int i = block * kEach; i < std::min(draws, (block + 1) * kEach); ++i) {
      const curve_sample &sample = samples[(before + i) % samples.size()];
      random_stream random(uint64_t(seed), uint64_t(before + i) + 1);
      curve_path(d, whole, beforehand, sample, random, path.data(), keep ? log_s.data() : nullptr);
      curve_to_design(whole, brought, path.data());
      double sum = 0, probed = 0;
      for (int j : whole.probed) probed += path[j];
      int most = 0;
      for (int j = 0; j < n; ++j) {
        sum += path[j];
        if (path[j] > path[most]) most = j;
      }
      totals[i] = sum;
      opens[i] = sum - probed;
      slow[i] = path[most];
      places[i] = most + 1;
      for (size_t j = 0; keep && j < path.size(); ++j) {
        all[j * draws + i] = path[j];
        smoothed[j * draws + i] = log_s[j];
      }
    }
  });
  return Rcpp::List::create(Rcpp::Named("total") = total, Rcpp::Named("open") = open, Rcpp::Named("slowest") = slowest,
                            Rcpp::Named("place") = place, Rcpp::Named("seconds") = seconds,
                            Rcpp::Named("smooth") = smooth);
}

// Mean and variance of log seconds of every frame, given sd, range and own; `own`: each frame's own part included.
// [[Rcpp::export]]
Rcpp::List curve_smooth_moments(Rcpp::List data, Rcpp::List shot, Rcpp::NumericMatrix parameters, bool own) {
  const curve_shot whole = shot_of(shot);
  Rcpp::NumericVector mean(whole.frame.size()), variance(whole.frame.size());
  curve_moments(data_of(data), whole, parameters_of(parameters, 0), own, mean.begin(), variance.begin());
  return Rcpp::List::create(Rcpp::Named("mean") = mean, Rcpp::Named("variance") = variance);
}
