// A few sums over flat vectors in double precision.
#pragma once
#include <cmath>

#include "span.hpp"

namespace hylo {

inline double dot(Span<const double> a, Span<const double> b) {
  double sum = 0;
  for (std::size_t i = 0; i < a.size(); ++i) sum += a[i] * b[i];
  return sum;
}

inline double length_of(Span<const double> a) { return std::sqrt(dot(a, a)); }

// to = a + factor * b
inline void add_scaled(Span<const double> a, double factor, Span<const double> b, Span<double> to) {
  for (std::size_t i = 0; i < a.size(); ++i) to[i] = a[i] + factor * b[i];
}

}  // namespace hylo
