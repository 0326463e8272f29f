// A pointer and a length: the only way in which the core's functions pass sequences on. A Span owns nothing.
#pragma once
#include <cstddef>
#include <vector>

namespace hylo {

template <class T>
class Span {
 public:
  constexpr Span() = default;
  constexpr Span(T* data, std::size_t size) : data_(data), size_(size) {}
  template <class Container>
  constexpr Span(Container& c) : data_(c.data()), size_(c.size()) {}  // NOLINT: implicit on purpose

  constexpr T* data() const { return data_; }
  constexpr std::size_t size() const { return size_; }
  constexpr bool empty() const { return size_ == 0; }
  constexpr T& operator[](std::size_t i) const { return data_[i]; }
  constexpr T* begin() const { return data_; }
  constexpr T* end() const { return data_ + size_; }
  constexpr Span part(std::size_t from, std::size_t count) const { return Span(data_ + from, count); }

 private:
  T* data_ = nullptr;
  std::size_t size_ = 0;
};

}  // namespace hylo
