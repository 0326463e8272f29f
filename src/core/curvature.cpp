#include "contraction.hpp"

#include "curvature.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

// How near to its corner the parabola above an absolute value touches it, in mean losses.
constexpr double kCorner = 1e-3;

double logistic(double z) { return z > 0 ? 1 / (1 + std::exp(-z)) : std::exp(z) / (1 + std::exp(z)); }

}  // namespace

Curvature::Curvature(const LossSpec& spec, std::size_t units)
    : spec_(spec), units_(units), gaps_(spec.output == Output::Ordinal && spec.classes > 2 ? spec.classes - 2 : 0) {
  slopes_.resize(size());
  share_.resize(std::max(units, spec.classes));
  thresholds_.resize(spec.classes);
}

void Curvature::begin(Span<const double> gaps, double mean_loss) {
  std::copy(gaps.begin(), gaps.begin() + gaps_.size(), gaps_.begin());
  corner_ = std::max(kCorner * mean_loss, 1e-12);
  if (spec_.output == Output::Ordinal) ordinal_thresholds<double>(spec_.classes, gaps_.data(), thresholds_.data());
}

void Curvature::of_row(const double* z, const double* y, double* matrix) {
  const std::size_t side = size();
  std::fill(matrix, matrix + side * side, 0.0);
  if (spec_.output == Output::Ordinal) {
    ordered(z[0], matrix);
  } else if (spec_.output == Output::Softmax) {
    const double most = *std::max_element(z, z + units_);
    double sum = 0;
    for (std::size_t a = 0; a < units_; ++a) sum += share_[a] = std::exp(z[a] - most);
    for (std::size_t a = 0; a < units_; ++a) {
      const double p = share_[a] / sum;
      for (std::size_t b = 0; b < units_; ++b) matrix[a * side + b] = (a == b ? p : 0) - p * share_[b] / sum;
    }
  } else {
    const bool one_target = record_of(spec_.loss).one_target;
    for (std::size_t a = 0; a < units_; ++a) matrix[a * side + a] = plain(z[a], y[one_target ? 0 : a]);
  }
}

// Of one linear value that has its loss to itself.
double Curvature::plain(double z, double y) const {
  if (spec_.output == Output::Logistic) {
    const double p = logistic(z);
    return p * (1 - p);
  }
  double prediction = z, slope = 1;
  if (spec_.output == Output::Exponential) {
    prediction = slope = std::exp(z);
  } else if (spec_.output == Output::Softplus) {
    prediction = z > 0 ? z + std::log1p(std::exp(-z)) : std::log1p(std::exp(z));
    slope = logistic(z);
  }
  return record_of(spec_.loss).curvature(spec_, slope * slope, prediction, std::fabs(prediction - y), corner_);
}

// The expected outer product of the slopes of log P(class): sum over classes of P (d log P)(d log P)'.
void Curvature::ordered(double z, double* matrix) {
  const std::size_t side = size(), classes = spec_.classes;
  double below = 0, below_slope = 0;
  for (std::size_t c = 0; c < classes; ++c) {
    const bool last = c + 1 == classes;
    const double upto = last ? 1 : logistic(thresholds_[c] - z), upto_slope = last ? 0 : upto * (1 - upto);
    const double p = std::max(upto - below, 1e-300);
    slopes_[0] = below_slope - upto_slope;
    for (std::size_t m = 0; m < gaps_.size(); ++m) {  // gap m moves every threshold behind it
      const double moved = (c > m ? upto_slope : 0) - (c > m + 1 ? below_slope : 0);
      slopes_[m + 1] = moved * std::exp(gaps_[m]);
    }
    for (std::size_t a = 0; a < side; ++a) {
      for (std::size_t b = 0; b < side; ++b) matrix[a * side + b] += slopes_[a] * slopes_[b] / p;
    }
    below = upto;
    below_slope = upto_slope;
  }
}

}  // namespace hylo
