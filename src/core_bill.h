// Bills of many usages by one tariff: the arithmetic of R/1-bill-total.R in whole numbers. No R in here.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

namespace clockpigeon {

// Counted unit of a way of selling: the codes of `value` in R/1-bill-units.R.
enum class Value { ms, frames, frame_pixels, bytes, byte_days, one };
constexpr const char *kValues[] = {"ms", "frames", "frame_pixels", "bytes", "byte_days", "one"};

enum class Rounded { run, node, job };
enum class Rounding { up, down, nearest };

struct Ratio {
  int64_t num, den;
};

struct Charge {
  const double *value;   // counted things of each row, already 0 where the charge does not count the row
  const double *weight;  // or null
  bool per_job, per_node, marginal;
  Rounded rounded;
  Rounding rounding;
  int64_t step, job_step;
  std::vector<int64_t> from;  // of brackets, in counted things
  std::vector<Ratio> price;   // minor units for a counted thing
};

struct Discount {
  Ratio ratio;
  std::vector<int> on;
};

struct Tariff {
  std::vector<Charge> charges;
  std::vector<Discount> discounts;
  int64_t minimum, minimum_node, minimum_month;
  Ratio tax;  // num 0: none, or included
  std::vector<int64_t> balances;
  int64_t before_counted, before_minor;
};

struct Bill {
  int64_t list, minimum, discount, tax, credit, to_pay;
};

// a * num / den, rounded half up.
int64_t scale_exactly(int64_t a, Ratio r);

// Prices usages whose rows stand one behind the other: usage i has rows first[i] to first[i + 1]. `node` numbers the
// nodes of a usage from 0 on, below `nodes`. `credit` gets what each balance gave, usage by usage, and `lines`, where
// it is wanted, what each charge comes to.
void price_usages(const Tariff &tariff, const std::vector<std::size_t> &first, const int *node, int nodes, Bill *bills,
                  int64_t *credit, int64_t *lines = nullptr);

}  // namespace clockpigeon
