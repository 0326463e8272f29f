#include "contraction.hpp"

#include "summary.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

template <class ValueAt>
void present_values(std::size_t total, Span<const std::uint32_t> rows, NumberSummary& summary, ValueAt value_at,
                    std::vector<double>& values) {
  summary.rows = rows.empty() ? total : rows.size();
  values.resize(summary.rows);
  std::size_t kept = 0;
  for (std::size_t i = 0; i < summary.rows; ++i) {  // without a branch: a gap is written over by what follows it
    const double x = value_at(rows.empty() ? i : rows[i]);
    values[kept] = x;
    kept += std::isnan(x) ? 0 : 1;
  }
  values.resize(kept);
  summary.gaps = summary.rows - kept;
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
  return std::min(*at + rest * (above - *at), above);  // a rounding must not take it past the next value
}

// Sums of short stretches, added up: nearly as exact as a wider type, at the speed of plain sums.
template <class Term>
double sum_of(const std::vector<double>& values, Term term) {
  double total = 0;
  for (std::size_t from = 0; from < values.size(); from += 256) {
    const std::size_t to = std::min(values.size(), from + 256);
    double part[4] = {0, 0, 0, 0};
    std::size_t i = from;
    for (; i + 4 <= to; i += 4) {
      for (std::size_t j = 0; j < 4; ++j) part[j] += term(values[i + j]);
    }
    for (; i < to; ++i) part[0] += term(values[i]);
    total += (part[0] + part[1]) + (part[2] + part[3]);
  }
  return total;
}

bool is_whole(double x) { return std::fabs(x) >= 4503599627370496.0 || double(std::int64_t(x)) == x; }

void look_at(const std::vector<double>& values, NumberSummary& s) {
  s.low = s.high = values.front();
  for (double x : values) {
    s.low = std::min(s.low, x);
    s.high = std::max(s.high, x);
  }
  s.infinite = std::size_t(std::count_if(values.begin(), values.end(), [](double x) { return std::isinf(x); }));
  s.whole = std::all_of(values.begin(), values.end(), is_whole);
  s.binary = s.whole && std::all_of(values.begin(), values.end(), [](double x) { return x == 0 || x == 1; });
}

// Mean, deviation and quantiles of weighted values.
void weigh(const SourceColumn& column, Span<const std::uint32_t> rows, Span<const double> weight,
           Span<const double> shares, NumberSummary& s) {
  std::vector<std::pair<double, double>> pairs;  // value and weight
  pairs.reserve(s.rows - s.gaps);
  double total = 0, sum = 0;
  for (std::size_t i = 0; i < s.rows; ++i) {
    const std::size_t row = rows.empty() ? i : rows[i];
    const bool missing = column.real != nullptr ? std::isnan(column.real[row]) : column.whole[row] == kMissingWhole;
    if (missing) continue;
    pairs.emplace_back(column.real != nullptr ? column.real[row] : double(column.whole[row]), weight[i]);
    total += weight[i];
    sum += weight[i] * pairs.back().first;
  }
  double rest = 0, square = 0;
  for (const auto& p : pairs) rest += p.second * (p.first - sum / total);
  s.mean = sum / total + rest / total;
  for (const auto& p : pairs) square += p.second * (p.first - s.mean) * (p.first - s.mean);
  s.deviation = total > 1 ? std::sqrt(square / (total - 1)) : 0;
  if (shares.empty()) return;
  std::sort(pairs.begin(), pairs.end());
  std::vector<double> upto(pairs.size());
  double seen = 0;
  for (std::size_t i = 0; i < pairs.size(); ++i) upto[i] = seen += pairs[i].second;
  const auto value_at = [&](double place) {  // of the rows as they would be written out, from 0
    const auto at = std::upper_bound(upto.begin(), upto.end(), place + 1e-9);
    return pairs[std::min(std::size_t(at - upto.begin()), pairs.size() - 1)].first;
  };
  for (const double share : shares) {
    // the place can lie a rounding below the whole number that it is taken for: quantiles rise all the same
    const double last = std::max(total - 1, 0.0), place = share * last, below = std::floor(place + 1e-9);
    const double low = value_at(below), above = value_at(std::max(std::min(below + 1, last), below));
    s.quantiles.push_back(std::min(low + std::max(place - below, 0.0) * (above - low), above));
  }
}

}  // namespace

NumberSummary summarise(const SourceColumn& column, std::size_t total, Span<const std::uint32_t> rows,
                        Span<const double> weight, Span<const double> shares, std::vector<double>& values) {
  NumberSummary s;
  const double* real = column.real;
  const std::int32_t* whole = column.whole;
  if (real != nullptr) {
    present_values(
        total, rows, s, [real](std::size_t row) { return real[row]; }, values);
  } else {
    const auto value_at = [whole](std::size_t row) {
      return whole[row] == kMissingWhole ? std::numeric_limits<double>::quiet_NaN() : double(whole[row]);
    };
    present_values(total, rows, s, value_at, values);
  }
  if (!values.empty()) {
    look_at(values, s);
    const double n = double(values.size()), mean = sum_of(values, [](double x) { return x; }) / n;
    s.mean = mean + sum_of(values, [mean](double x) { return x - mean; }) / n;
    const double square = sum_of(values, [&s](double x) { return (x - s.mean) * (x - s.mean); });
    s.deviation = values.size() > 1 ? std::sqrt(square / (n - 1)) : 0;
  }
  if (!weight.empty() && !values.empty()) {
    weigh(column, rows, weight, shares, s);
    return s;
  }
  for (double share : shares) s.quantiles.push_back(quantile(values, share));
  return s;
}

}  // namespace hylo
