// A penalty that follows the noise. The normal prior on the weights whose variance is a tenth pulls with 10 v / n, for
// n cases of a target with the variance 1 of which v is noise.
#pragma once
#include <algorithm>
#include <cstddef>

#include "loss.hpp"

namespace hylo {

inline constexpr double kLeastNoise = 1e-4;

// What of the target's variance is noise, by the mean loss of rows that were not learned from; of losses without such a
// share, as of counts, whose variance their mean tells, all of it. `outputs` are the network's: losses of several
// targets are sums.
inline double noise_share(const LossSpec& loss, double mean_loss, std::size_t outputs) {
  const LossRecord& record = record_of(loss.loss);
  if (record.likelihood != Likelihood::Variance && loss.loss != Loss::Gamma) return 1;
  const double share = record.dispersion_factor * mean_loss / double(outputs);
  return std::min(std::max(share, kLeastNoise), 1.0);
}

inline double l2_by_noise(double cases, double share) { return std::min(10 / cases, 1e-2) * share; }

}  // namespace hylo
