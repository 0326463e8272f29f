// A symmetric matrix, positive definite, as L L': rows `stride` apart, the lower triangle alone.
#pragma once
#include <cmath>
#include <cstddef>

namespace hylo {

// Puts L in the triangle's place; false where the matrix is not positive definite.
inline bool cholesky(double* matrix, std::size_t side, std::size_t stride) {
  for (std::size_t i = 0; i < side; ++i) {
    double* row = matrix + i * stride;
    for (std::size_t j = 0; j <= i; ++j) {
      const double* other = matrix + j * stride;
      double sum = row[j];
      for (std::size_t k = 0; k < j; ++k) sum -= row[k] * other[k];
      if (i == j) {
        if (!(sum > 0) || !std::isfinite(sum)) return false;
        row[i] = std::sqrt(sum);
      } else {
        row[j] = sum / other[j];
      }
    }
  }
  return true;
}

// x of L x = -right.
inline void solve_lower(const double* factor, std::size_t side, std::size_t stride, const double* right, double* x) {
  for (std::size_t i = 0; i < side; ++i) {
    double sum = -right[i];
    for (std::size_t k = 0; k < i; ++k) sum -= factor[i * stride + k] * x[k];
    x[i] = sum / factor[i * stride + i];
  }
}

}  // namespace hylo
