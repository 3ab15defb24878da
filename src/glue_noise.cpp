// Noise of pairs of pictures, for arrays of R.
#include <Rcpp.h>
#include "core_noise.h"

// The first `channels` planes of two arrays height x width x channels. One row a tile, rows of tiles from the top.
// [[Rcpp::export]]
Rcpp::DataFrame tile_noise_sums(Rcpp::NumericVector a, Rcpp::NumericVector b, int height, int width, int channels,
                                int tile, double times) {
  const clockpigeon::picture_pair pair{a.begin(), b.begin(), height, width, channels};
  if (a.size() < R_xlen_t(height) * width * channels || a.size() != b.size()) Rcpp::stop("the arrays are too short");
  clockpigeon::noise_rules rules;
  rules.tile = tile;
  rules.times = times;
  const std::vector<clockpigeon::tile_sums> tiles = clockpigeon::tile_noise(pair, rules);
  const int n = int(tiles.size());
  const char *names[] = {"values",       "sum_a",  "sum_b",       "squares",      "kept",        "kept_squares",
                         "down",         "across", "down_pairs",  "across_pairs", "near_values", "near_squares",
                         "near_fourths", "strips", "strip_steps", "worst",        "outliers"};
  constexpr int columns = sizeof names / sizeof *names;
  Rcpp::List out(columns);
  Rcpp::CharacterVector labels(columns);
  for (int k = 0; k < columns; ++k) {
    Rcpp::NumericVector column(n);
    for (int i = 0; i < n; ++i) {
      const clockpigeon::tile_sums &t = tiles[i];
      const double all[columns] = {
          t.values,      t.sum_a,      t.sum_b,           t.squares,     t.kept,         t.kept_squares, t.down,
          t.across,      t.down_pairs, t.across_pairs,    t.near_values, t.near_squares, t.near_fourths, t.strips,
          t.strip_steps, t.worst,      double(t.outliers)};
      column[i] = all[k];
    }
    out[k] = column;
    labels[k] = names[k];
  }
  out.attr("names") = labels;
  out.attr("row.names") = Rcpp::IntegerVector::create(NA_INTEGER, -n);
  out.attr("class") = "data.frame";
  return out;
}
