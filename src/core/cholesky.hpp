// A symmetric matrix, positive definite, as L L': rows `stride` apart, the lower triangle alone.
#pragma once
#include <cmath>
#include <cstddef>

#include "aligned.hpp"
#include "kernel.hpp"
#include "span.hpp"

namespace hylo {

// In eight sums, which don't wait for each other.
inline double dot_of(const double* a, const double* b, std::size_t count) {
  double sums[8] = {0, 0, 0, 0, 0, 0, 0, 0};
  std::size_t i = 0;
  for (; i + 8 <= count; i += 8) {
    for (std::size_t j = 0; j < 8; ++j) sums[j] += a[i + j] * b[i + j];
  }
  for (; i < count; ++i) sums[0] += a[i] * b[i];
  return ((sums[0] + sums[1]) + (sums[2] + sums[3])) + ((sums[4] + sums[5]) + (sums[6] + sums[7]));
}

// Puts L in the triangle's place; false where the matrix is not positive definite.
inline bool cholesky(double* matrix, std::size_t side, std::size_t stride) {
  for (std::size_t i = 0; i < side; ++i) {
    double* row = matrix + i * stride;
    for (std::size_t j = 0; j <= i; ++j) {
      const double* other = matrix + j * stride;
      const double sum = row[j] - dot_of(row, other, j);
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

// x of L L' x = -right.
inline void solve_cholesky(const double* factor, std::size_t side, std::size_t stride, const double* right,
                           double* x) {
  for (std::size_t i = 0; i < side; ++i) {
    x[i] = (-right[i] - dot_of(factor + i * stride, x, i)) / factor[i * stride + i];
  }
  for (std::size_t i = side; i-- > 0;) {
    const double* row = factor + i * stride;
    x[i] /= row[i];
    for (std::size_t k = 0; k < i; ++k) x[k] -= row[k] * x[i];
  }
}

// result += left right, in pieces of the sums that stay in the cache.
void add_product(const Kernel<double>& kernel, Extent extent, Left<double> left, Right<double> right,
                 Result<double> result);

// Of many unknowns: by blocks, with the kernel's products. Rows are padded as everywhere (aligned.hpp).
class Cholesky {
 public:
  Cholesky(const Kernel<double>& kernel, std::size_t side)
      : kernel_(kernel), side_(side), stride_(row_stride<double>(side)), matrix_(side * stride_) {}

  double* row(std::size_t i) { return matrix_.data() + i * stride_; }  // filled up to the diagonal before factor()
  bool factor();                                       // false where the matrix is not positive definite
  void solve(const double* right, double* x) const {  // x of A x = -right
    solve_cholesky(matrix_.data(), side_, stride_, right, x);
  }
  void inverse_diagonal(Span<double> diagonal);        // of A^-1

 private:
  const Kernel<double>& kernel_;
  std::size_t side_, stride_;
  AlignedVector<double> matrix_, inverse_, beside_;
};

}  // namespace hylo
