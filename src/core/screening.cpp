#include "contraction.hpp"

#include "screening.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

// A share that so many parameters explain of the variance of rows that count `total`, without what chance explains.
double adjusted(double share, double total, double parameters) {
  return total > parameters ? 1 - (1 - share) * (total - 1) / (total - parameters) : 0;
}

}  // namespace

double told_share(Span<const double> x, Span<const double> response, Span<const double> weight, std::size_t bins,
                  std::vector<std::size_t>& places) {
  const std::size_t rows = x.size(), width = rows > 0 ? response.size() / rows : 0;
  places.clear();
  double total = 0, present = 0, centre = 0;
  for (std::size_t i = 0; i < rows; ++i) {
    total += weight[i];
    if (!std::isfinite(x[i])) continue;
    places.push_back(i);
    present += weight[i];
    centre += weight[i] * x[i];
  }
  if (present <= 0) return 0;
  centre /= present;
  std::sort(places.begin(), places.end(),
            [&](std::size_t a, std::size_t b) { return x[a] < x[b] || (x[a] == x[b] && a < b); });
  std::vector<std::size_t> ends;  // behind the last place of each bin
  double spread = 0, before = 0;
  for (std::size_t k = 0; k < places.size(); ++k) {
    const std::size_t i = places[k];
    spread += weight[i] * (x[i] - centre) * (x[i] - centre);
    before += weight[i];
    const bool last = k + 1 == places.size();
    const bool full = before * double(bins) >= present * double(ends.size() + 1);
    if (last || (full && x[places[k + 1]] != x[i])) ends.push_back(k + 1);
  }
  double all = 0, by_missing = 0, by_bins = 0, by_line = 0;
  for (std::size_t j = 0; j < width; ++j) {
    const auto y = [&](std::size_t i) { return weight[i] * response[i * width + j]; };
    double missed = 0, slope = 0;
    for (std::size_t i = 0; i < rows; ++i) {
      all += y(i) * response[i * width + j];
      if (!std::isfinite(x[i])) missed += y(i);
    }
    std::size_t k = 0;
    for (const std::size_t end : ends) {
      double sum = 0, count = 0;
      for (; k < end; ++k) {
        const std::size_t i = places[k];
        sum += y(i);
        count += weight[i];
        slope += (x[i] - centre) * y(i);
      }
      if (count > 0) by_bins += sum * sum / count;
    }
    if (total > present) by_missing += missed * missed / (total - present);
    by_line += missed * missed / present;  // the mean of those that are there: all together have a mean of 0
    if (spread > 0) by_line += slope * slope / spread;
  }
  if (all <= 0) return 0;
  const double apart = present < total ? 1 : 0;
  return std::max(adjusted((by_missing + by_bins) / all, total, apart + double(ends.size())),
                  adjusted((by_missing + by_line) / all, total, apart + (spread > 0 ? 2 : 1)));
}

}  // namespace hylo
