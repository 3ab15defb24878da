// Rows that agree: numbers for the distinct combinations of values in several columns, counted as they first occur.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

namespace clockpigeon {

// A table from (number so far, value of the next column) to the number of the combination.
class combinations {
 public:
  combinations() : slots_(64) {}

  int32_t number(int32_t so_far, uint64_t value) {
    if (count_ * 2 >= slots_.size()) grow();
    slot &s = find(so_far, value);
    if (s.number < 0) s = {value, so_far, count_++};
    return s.number;
  }

 private:
  struct slot {
    uint64_t value = 0;
    int32_t so_far = 0;
    int32_t number = -1;
  };

  static uint64_t mix(uint64_t x) {  // the finaliser of MurmurHash3 (Appleby 2011): every bit of x moves every bit out
    x ^= x >> 33;
    x *= 0xff51afd7ed558ccdULL;
    x ^= x >> 33;
    x *= 0xc4ceb9fe1a85ec53ULL;
    return x ^ (x >> 33);
  }

  slot &find(int32_t so_far, uint64_t value) {
    const size_t mask = slots_.size() - 1;
    size_t i = mix(value + 0x9e3779b97f4a7c15ULL * uint64_t(uint32_t(so_far))) & mask;
    while (slots_[i].number >= 0 && (slots_[i].value != value || slots_[i].so_far != so_far)) i = (i + 1) & mask;
    return slots_[i];
  }

  void grow() {
    std::vector<slot> old(slots_.size() * 2);
    old.swap(slots_);
    for (const slot &s : old)
      if (s.number >= 0) find(s.so_far, s.value) = s;
  }

  std::vector<slot> slots_;
  int32_t count_ = 0;
};

// Splits the rows that `code` holds together by the values of one more column, given as 64 bits each.
template <class Value>
void split_rows(std::vector<int32_t> &code, Value value) {
  combinations table;
  int32_t last_code = 0, last_number = 0;
  uint64_t last_value = 0;
  for (size_t i = 0; i < code.size(); ++i) {
    const uint64_t v = value(i);
    if (i == 0 || v != last_value || code[i] != last_code) {
      last_code = code[i];
      last_value = v;
      last_number = table.number(last_code, v);
    }
    code[i] = last_number;
  }
}

}  // namespace clockpigeon
