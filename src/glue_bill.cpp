// Bills of many usages, for R.
#include <Rcpp.h>
#include "core_bill.h"

using namespace clockpigeon;

namespace {

Ratio as_ratio(const Rcpp::NumericVector &x) {
  int64_t a = int64_t(x[0]), b = int64_t(x[1]);
  while (b > 0) {
    const int64_t rest = a % b;
    a = b;
    b = rest;
  }
  return {int64_t(x[0]) / a, int64_t(x[1]) / a};
}

Rounding rounding_of(const std::string &word) {
  return word == "up" ? Rounding::up : word == "down" ? Rounding::down : Rounding::nearest;
}

Charge as_charge(const Rcpp::List &x, const Rcpp::NumericVector &value, SEXP weight) {
  Charge c{};
  c.value = value.begin();
  c.weight = Rf_isNull(weight) ? nullptr : REAL(weight);
  const std::string per = x["per"], rounded = x["rounded"];
  c.per_job = per == "job";
  c.per_node = per == "node";
  c.marginal = Rcpp::as<bool>(x["marginal"]);
  c.rounded = rounded == "run" ? Rounded::run : rounded == "node" ? Rounded::node : Rounded::job;
  c.rounding = rounding_of(x["rounding"]);
  c.step = int64_t(Rcpp::as<double>(x["step"]));
  c.job_step = int64_t(Rcpp::as<double>(x["job_step"]));
  const Rcpp::NumericVector from = x["from"];
  const Rcpp::NumericMatrix prices = x["prices"];
  for (R_xlen_t k = 0; k < from.size(); ++k) {
    c.from.push_back(int64_t(from[k]));
    c.price.push_back(as_ratio(Rcpp::NumericVector::create(prices(k, 0), prices(k, 1))));
  }
  return c;
}

}  // namespace

// Totals in minor units, one row a usage: list, minimum, discount, tax, credit, to_pay, then what each balance gave.
// `tariff` is what tariff_of() makes, `values` and `weights` one entry a charge (columns of all rows), `usage` the number
// of each row's usage, rising from 1, and `node` that of its node, from 1.
// [[Rcpp::export]]
Rcpp::NumericMatrix bill_totals(Rcpp::List tariff, Rcpp::List values, Rcpp::List weights, Rcpp::IntegerVector usage,
                                Rcpp::IntegerVector node, int usages, int nodes, double before_counted,
                                double before_minor) {
  const Rcpp::List charges = tariff["charges"], discounts = tariff["discounts"], balances = tariff["balances"];
  Tariff t{};
  std::vector<Rcpp::NumericVector> keep;
  for (R_xlen_t k = 0; k < charges.size(); ++k) keep.push_back(values[k]);
  for (R_xlen_t k = 0; k < charges.size(); ++k) t.charges.push_back(as_charge(charges[k], keep[k], weights[k]));
  for (R_xlen_t k = 0; k < discounts.size(); ++k) {
    const Rcpp::List d = discounts[k];
    const Rcpp::IntegerVector on = d["on"];
    Discount discount{as_ratio(d["ratio"]), {}};
    for (int i : on) discount.on.push_back(i - 1);
    t.discounts.push_back(discount);
  }
  t.minimum = int64_t(Rcpp::as<double>(tariff["minimum"]));
  t.minimum_node = int64_t(Rcpp::as<double>(tariff["minimum_node"]));
  t.minimum_month = int64_t(Rcpp::as<double>(tariff["minimum_month"]));
  t.tax = {0, 1};
  if (!Rf_isNull(tariff["tax"])) {
    const Rcpp::List tax = tariff["tax"];
    if (!Rcpp::as<bool>(tax["included"])) t.tax = as_ratio(tax["ratio"]);
  }
  for (R_xlen_t k = 0; k < balances.size(); ++k) {
    const Rcpp::List balance = balances[k];
    t.balances.push_back(int64_t(Rcpp::as<double>(balance["amount"])));
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
