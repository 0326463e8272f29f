// What a computation has come to, as a row of numbers. One walk over its state writes it down and puts it back, so that
// the two can't differ. Numbers of every kind here are held by a double without loss.
#pragma once
#include <cmath>
#include <cstddef>
#include <limits>
#include <stdexcept>
#include <type_traits>
#include <vector>

#include "span.hpp"

namespace hylo {

class Archive {
 public:
  explicit Archive(std::vector<double>& to) : to_(&to) {}
  explicit Archive(Span<const double> from) : from_(from) {}

  bool reads() const { return to_ == nullptr; }

  template <class First, class... More>
  void operator()(First& first, More&... more) {
    one(first);
    if constexpr (sizeof...(more) > 0) (*this)(more...);
  }

  // Of what is read, which may come from a file: that it can be so.
  void require(bool holds) const {
    if (reads() && !holds) throw std::invalid_argument("the state is of another training");
  }
  std::size_t left() const { return reads() ? from_.size() - at_ : std::size_t(-1); }

  // Nothing may be left over: the state is then of another computation.
  void finish() const { require(at_ == from_.size()); }

 private:
  template <class N, std::enable_if_t<std::is_arithmetic<N>::value, int> = 0>
  void one(N& number) {
    if (to_) {
      to_->push_back(double(number));
    } else {
      require(at_ < from_.size());
      const double value = from_[at_++];
      if constexpr (std::is_integral<N>::value) {
        constexpr double kMost = sizeof(N) > 4 ? 9007199254740992.0 : double(std::numeric_limits<N>::max());
        require(value >= 0 && value <= kMost && value == std::floor(value));
      }
      number = N(value);
    }
  }
  // A vector keeps its length.
  template <class N, class A>
  void one(std::vector<N, A>& numbers) {
    for (N& number : numbers) one(number);
  }

  std::vector<double>* to_ = nullptr;
  Span<const double> from_{};
  std::size_t at_ = 0;
};

}  // namespace hylo
