#include "summary.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

std::vector<double> present_values(const SourceColumn& column, std::size_t total, Span<const std::uint32_t> rows,
                                   NumberSummary& summary) {
  summary.rows = rows.empty() ? total : rows.size();
  std::vector<double> values;
  values.reserve(summary.rows);
  for (std::size_t i = 0; i < summary.rows; ++i) {
    const std::size_t row = rows.empty() ? i : rows[i];
    double x;
    if (column.real != nullptr) {
      x = column.real[row];
      if (std::isnan(x)) continue;
    } else {
      if (column.whole[row] == kMissingWhole) continue;
      x = double(column.whole[row]);
    }
    values.push_back(x);
  }
  summary.gaps = summary.rows - values.size();
  return values;
}

// Reorders `values` as far as needed.
double quantile(std::vector<double>& values, double share) {
  if (values.empty()) return std::numeric_limits<double>::quiet_NaN();
  const double place = share * double(values.size() - 1);
  const std::size_t below = std::size_t(std::floor(place + 4e-16 * place));
  const auto at = values.begin() + std::ptrdiff_t(below);
  std::nth_element(values.begin(), at, values.end());
  const double rest = place - double(below);
  if (rest <= 0 || below + 1 == values.size()) return *at;
  const double above = *std::min_element(at + 1, values.end());
  return *at + rest * (above - *at);
}

}  // namespace

NumberSummary summarise(const SourceColumn& column, std::size_t total, Span<const std::uint32_t> rows,
                        Span<const double> shares) {
  NumberSummary s;
  std::vector<double> values = present_values(column, total, rows, s);
  if (!values.empty()) {
    s.low = s.high = values.front();
    long double sum = 0;
    for (double x : values) {
      s.low = std::min(s.low, x);
      s.high = std::max(s.high, x);
      s.whole = s.whole && x == std::floor(x);
      s.binary = s.binary && (x == 0 || x == 1);
      s.infinite += std::isinf(x) ? 1 : 0;
      sum += x;
    }
    const long double mean = sum / (long double)(values.size());
    long double square = 0;
    for (double x : values) square += (x - mean) * (x - mean);
    s.mean = double(mean);
    s.deviation = values.size() > 1 ? double(std::sqrt(square / (long double)(values.size() - 1))) : 0;
  }
  for (double share : shares) s.quantiles.push_back(quantile(values, share));
  return s;
}

}  // namespace hylo
