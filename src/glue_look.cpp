// Pictures looked at, for R.
#include <Rcpp.h>
#include "core_blocks.h"
#include "core_look.h"
#include "glue_threads.h"

using clockpigeon::picture_look;

namespace {

Rcpp::List looks_for_r(const std::vector<picture_look> &looks) {
  const int n = int(looks.size());
  Rcpp::CharacterVector fault(n), hash(n);
  Rcpp::List grid(n), rough(n), strange(n), step(n), jag(n), slope(n), fold(n);
  const auto numbers = [&](double (*pick)(const picture_look &)) {
    Rcpp::NumericVector out(n);
    for (int i = 0; i < n; ++i) out[i] = pick(looks[i]);
    return out;
  };
  for (int i = 0; i < n; ++i) {
    const picture_look &x = looks[i];
    fault[i] = x.fault;
    char text[17];
    std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(x.hash));
    hash[i] = text;
    grid[i] = Rcpp::NumericVector(x.grid.begin(), x.grid.end());
    rough[i] = Rcpp::NumericVector(x.rough.begin(), x.rough.end());
    strange[i] = Rcpp::NumericVector(x.strange.begin(), x.strange.end());
    step[i] = Rcpp::NumericVector(x.step.begin(), x.step.end());
    jag[i] = Rcpp::NumericVector(x.jag.begin(), x.jag.end());
    slope[i] = Rcpp::NumericVector(x.slope.begin(), x.slope.end());
    fold[i] = Rcpp::NumericVector(x.fold.begin(), x.fold.end());
  }
#define CLOCKPIGEON_NUMBER(name) Rcpp::Named(#name) = numbers([](const picture_look &x) { return double(x.name); })
  Rcpp::List facts = Rcpp::List::create(
      Rcpp::Named("fault") = fault, Rcpp::Named("hash") = hash, CLOCKPIGEON_NUMBER(width), CLOCKPIGEON_NUMBER(height),
      CLOCKPIGEON_NUMBER(channels), CLOCKPIGEON_NUMBER(depth), CLOCKPIGEON_NUMBER(low), CLOCKPIGEON_NUMBER(high),
      CLOCKPIGEON_NUMBER(mean), CLOCKPIGEON_NUMBER(red), CLOCKPIGEON_NUMBER(green), CLOCKPIGEON_NUMBER(blue),
      CLOCKPIGEON_NUMBER(alpha), CLOCKPIGEON_NUMBER(odd), CLOCKPIGEON_NUMBER(odd_row), CLOCKPIGEON_NUMBER(odd_column),
      CLOCKPIGEON_NUMBER(columns), CLOCKPIGEON_NUMBER(rows));
  facts["space"] = numbers([](const picture_look &x) { return double(x.space); });
  facts["spikes"] = numbers([](const picture_look &x) { return double(x.spikes); });
  facts["slip_row"] = numbers([](const picture_look &x) { return double(x.slip_row); });
  facts["slip_by"] = numbers([](const picture_look &x) { return double(x.slip_by); });
  facts["slip_gain"] = numbers([](const picture_look &x) { return double(x.slip_gain); });
  facts["slip_whole"] = numbers([](const picture_look &x) { return double(x.slip_whole); });
  facts["bright_spikes"] = numbers([](const picture_look &x) { return double(x.bright_spikes); });
  facts["spike_row"] = numbers([](const picture_look &x) { return double(x.spike_row); });
  facts["spike_column"] = numbers([](const picture_look &x) { return double(x.spike_column); });
  facts["spike_by"] = numbers([](const picture_look &x) { return double(x.spike_by); });
#undef CLOCKPIGEON_NUMBER
  return Rcpp::List::create(Rcpp::Named("facts") = facts, Rcpp::Named("grid") = grid, Rcpp::Named("rough") = rough,
                            Rcpp::Named("strange") = strange, Rcpp::Named("step") = step, Rcpp::Named("jag") = jag,
                            Rcpp::Named("slope") = slope, Rcpp::Named("fold") = fold);
}

}  // namespace

// PNG files and float maps, each decoded to its end.
// [[Rcpp::export]]
Rcpp::List looked_pictures(std::vector<std::string> paths, int threads, double most_pixels) {
  std::vector<picture_look> looks(paths.size());
  clockpigeon::on_threads(int(paths.size()), threads,
                          [&](int i) { looks[i] = clockpigeon::look_at_picture(paths[i], most_pixels); });
  return looks_for_r(looks);
}

// Values height x width x channels, as read_picture() or ffmpeg has them.
// [[Rcpp::export]]
Rcpp::List looked_values(Rcpp::NumericVector x, bool linear) {
  const Rcpp::IntegerVector size = x.attr("dim");
  return looks_for_r({clockpigeon::look_at_values(x.begin(), size[0], size[1], size[2], linear)});
}

// Headers of PNG files alone.
// [[Rcpp::export]]
Rcpp::DataFrame png_heads(std::vector<std::string> paths, int threads) {
  const int n = int(paths.size());
  std::vector<picture_look> looks(n);
  clockpigeon::on_threads(n, threads, [&](int i) { looks[i] = clockpigeon::head_of_png(paths[i]); });
  Rcpp::IntegerVector width(n), height(n), channels(n), depth(n);
  Rcpp::CharacterVector fault(n);
  for (int i = 0; i < n; ++i) {
    width[i] = looks[i].width, height[i] = looks[i].height, channels[i] = looks[i].channels, depth[i] = looks[i].depth;
    fault[i] = looks[i].fault;
  }
  return Rcpp::DataFrame::create(Rcpp::Named("width") = width, Rcpp::Named("height") = height,
                                 Rcpp::Named("channels") = channels, Rcpp::Named("depth") = depth,
                                 Rcpp::Named("fault") = fault, Rcpp::Named("stringsAsFactors") = false);
}

// Median of each of its rows of blocks, for each column of a matrix of blocks.
// [[Rcpp::export]]
Rcpp::NumericMatrix block_row_medians(Rcpp::NumericMatrix x, int columns, int least) {
  const int rows = x.nrow() / columns;
  Rcpp::NumericMatrix out(rows, x.ncol());
  for (int i = 0; i < x.ncol(); ++i) {
    const std::vector<double> middle = clockpigeon::row_medians(&x(0, i), columns, rows, least);
    std::copy(middle.begin(), middle.end(), &out(0, i));
  }
  return out;
}
