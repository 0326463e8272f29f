#include "contraction.hpp"

#include "cholesky.hpp"

#include <algorithm>

namespace hylo {

namespace {

constexpr std::size_t kBlock = 48;  // rows and columns that are settled one by one
constexpr std::size_t kDepth = 64;  // of a product at once: rows that lie apart stay in few pages

}  // namespace

void add_product(const Kernel<double>& kernel, Extent extent, Left<double> left, Right<double> right,
                 Result<double> result) {
  for (std::size_t from = 0; from < extent.depth; from += kDepth) {
    kernel.multiply(Product<double>{Extent{extent.rows, extent.columns, std::min(kDepth, extent.depth - from)},
                                    Left<double>{left.at + from * left.column, left.row, left.column},
                                    Right<double>{right.at + from * right.row, right.row}, result,
                                    Origin<double>{result.at, result.row}});
  }
}

bool Cholesky::factor() {
  double* matrix = matrix_.data();
  constexpr std::size_t apart = row_stride<double>(kBlock);
  beside_.resize(std::max(beside_.size(), side_ * apart));
  for (std::size_t from = 0; from < side_; from += kBlock) {
    const std::size_t to = std::min(side_, from + kBlock), width = to - from;
    // what the columns before have to do with these: - L(i, before) L(these, before)'
    for (std::size_t k = 0; k < from; ++k) {
      for (std::size_t j = 0; j < width; ++j) beside_[k * apart + j] = -matrix[(from + j) * stride_ + k];
    }
    add_product(kernel_, Extent{side_ - from, width, from}, Left<double>{matrix + from * stride_, stride_, 1},
                Right<double>{beside_.data(), apart}, Result<double>{matrix + from * stride_ + from, stride_});
    if (!cholesky(matrix + from * stride_ + from, width, stride_)) return false;
    for (std::size_t i = to; i < side_; ++i) {
      double* row = matrix + i * stride_ + from;
      for (std::size_t j = 0; j < width; ++j) {
        const double* other = matrix + (from + j) * stride_ + from;
        row[j] = (row[j] - dot_of(row, other, j)) / other[j];
      }
    }
  }
  return true;
}

// X = L^-1, block of rows by block of rows: L(i, i) X(i, before) = - L(i, before) X(before, before).
void Cholesky::inverse_diagonal(Span<double> diagonal) {
  inverse_.resize(matrix_.size());
  std::fill(inverse_.begin(), inverse_.end(), 0.0);
  std::fill(diagonal.begin(), diagonal.end(), 0.0);
  beside_.resize(std::max(beside_.size(), kBlock * stride_));
  for (std::size_t from = 0; from < side_; from += kBlock) {
    const std::size_t to = std::min(side_, from + kBlock);
    for (std::size_t i = from; i < to; ++i) {
      for (std::size_t k = 0; k < from; ++k) beside_[(i - from) * stride_ + k] = -matrix_[i * stride_ + k];
    }
    add_product(kernel_, Extent{to - from, from, from}, Left<double>{beside_.data(), stride_, 1},
                Right<double>{inverse_.data(), stride_}, Result<double>{inverse_.data() + from * stride_, stride_});
    for (std::size_t i = from; i < to; ++i) {
      const double* row = matrix_.data() + i * stride_;
      double* own = inverse_.data() + i * stride_;
      own[i] = 1;
      for (std::size_t k = from; k < i; ++k) {
        const double* other = inverse_.data() + k * stride_;
        for (std::size_t j = 0; j <= k; ++j) own[j] -= row[k] * other[j];
      }
      for (std::size_t j = 0; j <= i; ++j) {
        own[j] /= row[i];
        diagonal[j] += own[j] * own[j];
      }
    }
  }
}

}  // namespace hylo
