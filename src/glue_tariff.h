// A tariff as R/1-bill-charges.R makes it, for the cores. The counts of its charges are filled in later.
#pragma once
#include <Rcpp.h>
#include "core_bill.h"

namespace clockpigeon {

inline Ratio as_ratio(const Rcpp::NumericVector &x) {
  int64_t a = int64_t(x[0]), b = int64_t(x[1]);
  while (b > 0) {
    const int64_t rest = a % b;
    a = b;
    b = rest;
  }
  return {int64_t(x[0]) / a, int64_t(x[1]) / a};
}

inline Rounding rounding_of(const std::string &word) {
  return word == "up" ? Rounding::up : word == "down" ? Rounding::down : Rounding::nearest;
}

inline Value counted_value(const std::string &code) {
  for (int k = 0; k < int(sizeof kValues / sizeof *kValues); ++k) {
    if (code == kValues[k]) return Value(k);
  }
  Rcpp::stop("no value is called " + code);
}

inline Charge as_charge(const Rcpp::List &x) {
  Charge c{};
  const std::string once = x["once"], rounded = x["rounded"];
  c.per_job = once == "job";
  c.per_node = once == "node";
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

inline Tariff tariff_of_list(const Rcpp::List &tariff) {
  const Rcpp::List charges = tariff["charges"], discounts = tariff["discounts"], balances = tariff["balances"];
  Tariff t{};
  for (R_xlen_t k = 0; k < charges.size(); ++k) t.charges.push_back(as_charge(charges[k]));
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
  return t;
}

}  // namespace clockpigeon
