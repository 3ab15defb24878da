#include "core_bill.h"
#include <algorithm>

namespace clockpigeon {

using wide = __int128;

int64_t scale_exactly(int64_t a, Ratio r) {
  const wide product = wide(a) * r.num;
  return int64_t((2 * product + r.den) / (2 * wide(r.den)));
}

namespace {

int64_t to_steps(int64_t x, int64_t step, Rounding rounding) {
  if (step == 1) return x;
  switch (rounding) {
    case Rounding::up: return (x + step - 1) / step * step;
    case Rounding::down: return x / step * step;
    default: return (2 * x + step) / (2 * step) * step;
  }
}

// Sums by node of one usage, and the nodes in the order they come.
class NodeSums {
 public:
  explicit NodeSums(int nodes) : sum_(nodes), weight_(nodes), stamp_(nodes, 0) {}
  void begin() {
    ++now_;
    seen_.clear();
  }
  void add(int node, int64_t value, int64_t weight) {
    if (stamp_[node] != now_) {
      stamp_[node] = now_;
      sum_[node] = 0;
      weight_[node] = weight;
      seen_.push_back(node);
    }
    sum_[node] += value;
  }
  const std::vector<int> &seen() const { return seen_; }
  int64_t sum(int node) const { return sum_[node]; }
  int64_t weight(int node) const { return weight_[node]; }

 private:
  std::vector<int64_t> sum_, weight_;
  std::vector<uint64_t> stamp_;
  std::vector<int> seen_;
  uint64_t now_ = 0;
};

int64_t counted(const Charge &c, std::size_t begin, std::size_t end, const int *node, NodeSums &sums) {
  if (c.per_job) return 1;
  int64_t total = 0;
  if (c.rounded == Rounded::node || c.per_node) {
    sums.begin();
    for (size_t i = begin; i < end; ++i) {
      if (c.per_node && c.value[i] <= 0) continue;
      sums.add(node[i], int64_t(c.value[i]), c.weight ? int64_t(c.weight[i]) : 1);
    }
    if (c.per_node) return int64_t(sums.seen().size());
    for (int k : sums.seen()) total += to_steps(sums.sum(k), c.step, c.rounding) * sums.weight(k);
    return total;
  }
  for (size_t i = begin; i < end; ++i) {
    const int64_t weight = c.weight ? int64_t(c.weight[i]) : 1;
    total +=
        (c.rounded == Rounded::run ? to_steps(int64_t(c.value[i]), c.step, c.rounding) : int64_t(c.value[i])) * weight;
  }
  return c.rounded == Rounded::job ? to_steps(total, c.job_step, c.rounding) : total;
}

int64_t charge_minor(const Charge &c, int64_t quantity, int64_t before) {
  if (c.from.size() == 1) return scale_exactly(quantity, c.price[0]);
  int64_t minor = 0;
  for (size_t k = 0; k < c.from.size(); ++k) {
    const int64_t upper = k + 1 < c.from.size() ? c.from[k + 1] : INT64_MAX;
    const int64_t reached = before + quantity;
    int64_t part;
    if (c.marginal)
      part = std::max<int64_t>(0, std::min(reached, upper) - std::max(before, c.from[k]));
    else
      part = reached >= c.from[k] && reached < upper ? quantity : 0;
    minor += scale_exactly(part, c.price[k]);
  }
  return minor;
}

// Amount by which each node's own part of the first charge falls short of the minimum per node.
int64_t node_minimum(const Tariff &t, std::size_t begin, std::size_t end, const int *node, NodeSums &sums) {
  const Charge &c = t.charges[0];
  sums.begin();
  for (size_t i = begin; i < end; ++i) {
    const int64_t weight = c.weight ? int64_t(c.weight[i]) : 1;
    const int64_t value = int64_t(c.value[i]);
    if (value > 0) sums.add(node[i], c.rounded == Rounded::run ? to_steps(value, c.step, c.rounding) : value, weight);
  }
  int64_t top = 0;
  for (int k : sums.seen()) {
    int64_t quantity = sums.sum(k) * sums.weight(k);
    if (c.rounded == Rounded::node) quantity = to_steps(sums.sum(k), c.step, c.rounding) * sums.weight(k);
    if (c.rounded == Rounded::job) quantity = to_steps(quantity, c.job_step, c.rounding);
    if (c.per_job || c.per_node) quantity = 1;
    top += std::max<int64_t>(0, t.minimum_node - scale_exactly(quantity, c.price[0]));
  }
  return top;
}

}  // namespace

void price_usages(const Tariff &t, const std::vector<std::size_t> &first, const int *node, int nodes, Bill *bills,
                  int64_t *credit, int64_t *lines) {
  NodeSums sums(nodes);
  std::vector<int64_t> list(t.charges.size());
  for (size_t u = 0; u + 1 < first.size(); ++u) {
    const std::size_t begin = first[u], end = first[u + 1];
    Bill b{};
    for (size_t k = 0; k < t.charges.size(); ++k) {
      const int64_t quantity = counted(t.charges[k], begin, end, node, sums);
      list[k] = charge_minor(t.charges[k], quantity, k == 0 ? t.before_counted : 0);
      b.list += list[k];
      if (lines) lines[u * t.charges.size() + k] = list[k];
    }
    if (t.minimum_node > 0) b.minimum = node_minimum(t, begin, end, node, sums);
    for (const Discount &d : t.discounts) {
      int64_t base = 0;
      for (int k : d.on) base += list[k];
      b.discount += std::min(scale_exactly(base, d.ratio), b.list - b.discount);
    }
    int64_t net = b.list + b.minimum - b.discount;
    const int64_t top = std::max<int64_t>(0, t.minimum - net);
    const int64_t top_month = std::max<int64_t>(0, t.minimum_month - t.before_minor - net - top);
    b.minimum += top + top_month;
    net += top + top_month;
    b.tax = t.tax.num > 0 ? scale_exactly(net, t.tax) : 0;
    int64_t left = net + b.tax;
    for (size_t k = 0; k < t.balances.size(); ++k) {
      const int64_t used = std::min(left, t.balances[k]);
      left -= used;
      b.credit += used;
      credit[u * t.balances.size() + k] = used;
    }
    b.to_pay = left;
    bills[u] = b;
  }
}

}  // namespace clockpigeon
