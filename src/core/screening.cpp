#include "contraction.hpp"

#include "screening.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

double adjusted(double share, double rows, double means) {
  return rows > means ? 1 - (1 - share) * (rows - 1) / (rows - means) : 0;
}

}  // namespace

double told_share(Span<const double> x, Span<const double> response, Span<const double> weight, std::size_t bins,
                  std::vector<std::size_t>& places) {
  const std::size_t rows = x.size(), width = rows > 0 ? response.size() / rows : 0;
  places.clear();
  for (std::size_t i = 0; i < rows; ++i) {
    if (std::isfinite(x[i])) places.push_back(i);
  }
  std::sort(places.begin(), places.end(),
            [&](std::size_t a, std::size_t b) { return x[a] < x[b] || (x[a] == x[b] && a < b); });
  double all = 0, present = 0, centre = 0;
  for (const std::size_t i : places) {
    present += weight[i];
    centre += weight[i] * x[i];
  }
  if (present <= 0) return 0;
  centre /= present;
  double spread = 0;
  for (const std::size_t i : places) spread += weight[i] * (x[i] - centre) * (x[i] - centre);
  double binned = 0, straight = 0, used = 0;
  for (std::size_t j = 0; j < width; ++j) {
    const auto y = [&](std::size_t i) { return response[i * width + j]; };
    double missing = 0, missed = 0;
    for (std::size_t i = 0; i < rows; ++i) {
      all += weight[i] * y(i) * y(i);
      if (std::isfinite(x[i])) continue;
      missing += weight[i];
      missed += weight[i] * y(i);
    }
    const double apart = missing > 0 ? missed * missed / missing : 0;
    double sum = 0, in_bin = 0, before = 0, slope = 0;
    used = missing > 0 ? 1 : 0;
    binned += apart;
    for (std::size_t k = 0; k < places.size(); ++k) {
      const std::size_t i = places[k];
      sum += weight[i] * y(i);
      in_bin += weight[i];
      slope += weight[i] * (x[i] - centre) * y(i);
      const bool last = k + 1 == places.size();
      const bool full = (before + in_bin) * double(bins) >= present * (used + 1 - (missing > 0 ? 1 : 0));
      if (!last && (!full || x[places[k + 1]] == x[i])) continue;
      if (in_bin > 0) binned += sum * sum / in_bin;
      before += in_bin;
      sum = in_bin = 0;
      ++used;
    }
    const double mean = -missed / present;  // of the rows that are there: all together have a mean of 0
    straight += apart + mean * mean * present + (spread > 0 ? slope * slope / spread : 0);
  }
  if (all <= 0) return 0;
  const double lines = used > 0 && spread > 0 ? 2 : 1;
  return std::max(adjusted(binned / all, double(rows), used), adjusted(straight / all, double(rows), lines));
}

}  // namespace hylo
