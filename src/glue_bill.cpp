// Bills of many usages, for R.
#include "glue_tariff.h"

using namespace clockpigeon;

// Totals in minor units, one row a usage: list, minimum, discount, tax, credit, to_pay, then what each balance gave.
// `tariff` is what tariff_of() makes, `values` and `weights` one entry a charge (columns of all rows), `usage` the
// number of each row's usage, rising from 1, and `node` that of its node, from 1.
// [[Rcpp::export]]
Rcpp::NumericMatrix bill_totals(Rcpp::List tariff, Rcpp::List values, Rcpp::List weights, Rcpp::IntegerVector usage,
                                Rcpp::IntegerVector node, int usages, int nodes, double before_counted,
                                double before_minor) {
  std::vector<Rcpp::NumericVector> keep;
  for (R_xlen_t k = 0; k < values.size(); ++k) keep.push_back(values[k]);
  Tariff t = tariff_of_list(tariff);
  for (size_t k = 0; k < t.charges.size(); ++k) {
    t.charges[k].value = keep[k].begin();
    t.charges[k].weight = Rf_isNull(weights[k]) ? nullptr : REAL(weights[k]);
  }
  t.before_counted = int64_t(before_counted);
  t.before_minor = int64_t(before_minor);

  std::vector<size_t> first(usages + 1, 0);
  for (R_xlen_t i = 0; i < usage.size(); ++i) ++first[usage[i]];
  for (int u = 0; u < usages; ++u) first[u + 1] += first[u];
  std::vector<int> from_zero(node.size());
  for (R_xlen_t i = 0; i < node.size(); ++i) from_zero[i] = node[i] - 1;
  const size_t given = t.balances.size();
  std::vector<Bill> bills(usages);
  std::vector<int64_t> credit(usages * given);
  price_usages(t, first, from_zero.data(), nodes, bills.data(), credit.data());

  Rcpp::NumericMatrix out(usages, 6 + given);
  for (int u = 0; u < usages; ++u) {
    const Bill &b = bills[u];
    const int64_t row[6] = {b.list, b.minimum, b.discount, b.tax, b.credit, b.to_pay};
    for (int k = 0; k < 6; ++k) out(u, k) = double(row[k]);
    for (size_t k = 0; k < given; ++k) out(u, 6 + k) = double(credit[u * given + k]);
  }
  return out;
}
