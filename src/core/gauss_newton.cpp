#include "contraction.hpp"

#include "gauss_newton.hpp"

#include <algorithm>
#include <cmath>

#include "cholesky.hpp"

namespace hylo {

namespace {

constexpr std::size_t kMostAtOnce = 8;             // blocks whose roots are held
constexpr std::size_t kMostBytes = std::size_t(64) << 20;  // of them, but for the first
// Of how many roots the matrix is made, unless that many products are little work.
constexpr double kRootsAParameter = 10, kLittleWork = 2e8;
constexpr std::size_t kTile = 48;                  // rows of the matrix that are one task

}  // namespace

GaussNewton::GaussNewton(Objective<double>& objective, Span<const std::uint32_t> rows, const Kernel<double>& kernel,
                         bool every_row)
    : objective_(objective),
      rows_(rows),
      kernel_(kernel),
      units_(objective.layout().units(objective.layout().layers() - 1)),
      width_(units_ + objective.layout().gaps()),
      side_(objective.layout().parameters()),
      stride_(row_stride<double>(side_)),
      slab_(kBlockRows * width_ * stride_),
      at_once_(std::min(kMostAtOnce, std::max<std::size_t>(1, kMostBytes / (slab_ * sizeof(double))))),
      curvatures_(objective.team().size(), Curvature(objective.spec().loss, units_)),
      roots_(objective.team().size() * (width_ * width_ + width_)) {
  const double enough = std::max(kRootsAParameter * double(side_), kLittleWork / (double(side_) * double(side_)));
  const std::size_t wanted = std::size_t(enough / double(width_)) + 1;
  if (!every_row && wanted < rows.size()) {
    for (std::size_t i = 0; i < wanted; ++i) some_.push_back(rows[i * rows.size() / wanted]);
    rows_ = {some_.data(), some_.size()};
  }
  at_once_ = std::min(at_once_, objective.blocks(rows_));
}

void GaussNewton::look(Span<const double> parameters, double mean_loss) {
  const auto& layout = objective_.layout();
  objective_.transpose(parameters);
  for (Curvature& curvature : curvatures_) {
    curvature.begin({parameters.data() + layout.gaps_at(), layout.gaps()}, mean_loss);
  }
}

void GaussNewton::gather(Span<const double> parameters, double mean_loss, double* matrix) {
  look(parameters, mean_loss);
  if (slabs_.empty()) slabs_.resize(at_once_ * slab_);
  std::fill(matrix, matrix + side_ * stride_, 0.0);
  const std::size_t blocks = objective_.blocks(rows_), tiles = (side_ + kTile - 1) / kTile;
  for (std::size_t from = 0; from < blocks; from += at_once_) {
    const std::size_t held = std::min(at_once_, blocks - from);
    objective_.team().run(held, [&](std::size_t b, std::size_t worker) {
      roots_of_block(parameters, from + b, worker, slabs_.data() + b * slab_);
    });
    objective_.team().run(tiles, [&](std::size_t t, std::size_t) {
      // the last, which are the longest, first
      const std::size_t first = (tiles - 1 - t) * kTile, last = std::min(side_, first + kTile);
      for (std::size_t b = 0; b < held; ++b) {
        const double* roots = slabs_.data() + b * slab_;
        const std::size_t depth = objective_.block(rows_, from + b).size() * width_;
        double* tile = matrix + first * stride_;
        add_product(kernel_, Extent{last - first, last, depth}, Left<double>{roots + first, 1, stride_},
                    Right<double>{roots, stride_}, Result<double>{tile, stride_});
      }
    });
  }
}

void GaussNewton::gather_roots(Span<const double> parameters, double mean_loss, double* roots) {
  look(parameters, mean_loss);
  std::size_t row = 0;
  for (std::size_t i = 0; i < objective_.blocks(rows_); ++i) {
    roots_of_block(parameters, i, 0, roots + row * width_ * stride_);
    row += objective_.block(rows_, i).size();
  }
}

// L'J of each row, LL' the curvature times the row's share.
void GaussNewton::roots_of_block(Span<const double> parameters, std::size_t i, std::size_t worker, double* to) {
  const auto& layout = objective_.layout();
  const auto part = objective_.block(rows_, i);
  const std::size_t z_stride = layout.stride(layout.layers() - 1), gaps = side_ - layout.gaps();
  const double* values = objective_.jacobian(part, parameters, worker, stride_, width_ * stride_, to);
  for (std::size_t r = 0; r < part.size(); ++r) {
    const double* root = root_of_row(part[r], values + r * z_stride, worker);
    double* rows = to + r * width_ * stride_;
    for (std::size_t m = units_; m < width_; ++m) {
      std::fill_n(rows + m * stride_, stride_, 0.0);
      rows[m * stride_ + gaps + (m - units_)] = 1;
    }
    for (std::size_t k = 0; k < width_; ++k) {
      double* row = rows + k * stride_;
      kernel_.scale(root[k * width_ + k], row, stride_);
      for (std::size_t a = k + 1; a < width_; ++a) {
        const double factor = root[a * width_ + k];
        if (factor == 0) continue;
        const double* other = rows + a * stride_;
        for (std::size_t j = 0; j < side_; ++j) row[j] += factor * other[j];
      }
    }
  }
}

// A row's curvature, both triangles, and behind it room for a vector.
double* GaussNewton::curvature_of_row(std::uint32_t row, const double* z, std::size_t worker) {
  const auto& table = objective_.table();
  double* of_row = roots_.data() + worker * (width_ * width_ + width_);
  double* moved = of_row + width_ * width_;
  for (std::size_t a = 0; a < units_; ++a) moved[a] = z[a] + (table.offset.empty() ? 0 : table.offset[row]);
  curvatures_[worker].of_row(moved, table.y_row(row), of_row);
  return of_row;
}

void GaussNewton::multiply(Span<const double> parameters, Span<const double> direction, Span<double> result) {
  const auto curve = [&](std::uint32_t row, std::size_t worker, const double* z, double* moved) {
    const double* own = curvature_of_row(row, z, worker);
    double* sums = roots_.data() + worker * (width_ * width_ + width_) + width_ * width_;
    const double share = objective_.table().count_of(row) / double(rows_.size());
    for (std::size_t a = 0; a < width_; ++a) {
      sums[a] = 0;
      for (std::size_t b = 0; b < width_; ++b) sums[a] += own[a * width_ + b] * moved[b];
    }
    for (std::size_t a = 0; a < width_; ++a) moved[a] = share * sums[a];
  };
  objective_.product(rows_, parameters, direction, curve, result);
}

const double* GaussNewton::root_of_row(std::uint32_t row, const double* z, std::size_t worker) {
  double* root = curvature_of_row(row, z, worker);
  const double share = objective_.table().count_of(row) / double(rows_.size());
  if (curvatures_[worker].diagonal()) {
    for (std::size_t a = 0; a < width_; ++a) root[a * width_ + a] = std::sqrt(share * root[a * width_ + a]);
    return root;
  }
  // Cholesky's of a matrix that may be singular: what a pivot has lost to rounding is nothing
  for (std::size_t k = 0; k < width_; ++k) {
    const double pivot = root[k * width_ + k], left = pivot > 1e-14 ? std::sqrt(pivot) : 0;
    root[k * width_ + k] = left;
    for (std::size_t a = k + 1; a < width_; ++a) root[a * width_ + k] = left > 0 ? root[a * width_ + k] / left : 0;
    for (std::size_t a = k + 1; a < width_; ++a) {
      for (std::size_t b = k + 1; b <= a; ++b) root[a * width_ + b] -= root[a * width_ + k] * root[b * width_ + k];
    }
  }
  for (std::size_t k = 0; k < width_ * width_; ++k) root[k] *= std::sqrt(share);
  return root;
}

}  // namespace hylo
