// Curves of frame times, for lists of R.
#include <Rcpp.h>

#include <thread>

#include "core_curve.h"

using namespace clockpigeon;

namespace {

std::vector<double> numbers(const Rcpp::List &x, const char *name) { return Rcpp::as<std::vector<double>>(x[name]); }

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
  const Rcpp::NumericMatrix parameters = chain["parameters"];
  const Rcpp::LogicalMatrix heavy = chain["heavy"];
  const int n = int(whole.frame.size()), m = int(d.at.size());
  Rcpp::NumericVector total(draws), slowest(draws), open(draws);
  Rcpp::IntegerVector place(draws);
  Rcpp::NumericMatrix seconds(keep ? draws : 0, keep ? n : 0), smooth(keep ? draws : 0, keep ? n : 0);
  // Every draw has a stream of its own, so it is the same on whichever thread it is made. No R inside.
  const auto draw_from = [&](int first, int step) {
    std::vector<double> path(n), log_s(n);
    curve_sample sample;
    sample.heavy.resize(m);
    for (int i = first; i < draws; i += step) {
      const int row = (before + i) % parameters.nrow();
      sample.p = parameters_of(parameters, row);
      for (int j = 0; j < m; ++j) sample.heavy[j] = heavy(row, j) != 0;
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
      total[i] = sum;
      open[i] = sum - probed;
      slowest[i] = path[most];
      place[i] = most + 1;
      for (int j = 0; keep && j < n; ++j) {
        seconds(i, j) = path[j];
        smooth(i, j) = log_s[j];
      }
    }
  };
  if (double(draws) * n < 2e6) {  // small: a thread costs more than it brings
    draw_from(0, 1);
  } else {
    std::thread other(draw_from, 1, 2);
    draw_from(0, 2);
    other.join();
  }
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
