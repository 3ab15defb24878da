// A stretch of an array with another owner (std::span of C++20).
#pragma once
#include <cstddef>
#include <type_traits>
#include <vector>

namespace clockpigeon {

template <class T>
class span {
 public:
  span() = default;
  span(T *data, std::size_t size) : data_(data), size_(size) {}
  template <class U>
  span(std::vector<U> &x) : data_(x.data()), size_(x.size()) {}
  template <class U>
  span(const std::vector<U> &x) : data_(x.data()), size_(x.size()) {}
  T *data() const { return data_; }
  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }
  T &operator[](std::size_t i) const { return data_[i]; }
  span part(std::size_t from, std::size_t size) const { return {data_ + from, size}; }

 private:
  T *data_ = nullptr;
  std::size_t size_ = 0;
};

}  // namespace clockpigeon
