// What is learned of a column of numbers.
#pragma once
#include <cstddef>
#include <vector>

#include "encode.hpp"
#include "span.hpp"

namespace hylo {

struct NumberSummary {
  std::size_t rows = 0, gaps = 0, infinite = 0;
  double mean = 0, deviation = 0;  // standard deviation with n - 1; 0 for a single value
  double low = 0, high = 0;
  bool whole = true, binary = true;  // all values are whole numbers; all are 0 or 1
  std::vector<double> quantiles;
};

// Of the given rows (all `total` rows if `rows` is empty), each counted as often as `weight`, along the rows, says
// (once if it is empty): broken weights too, as if rows were written out by them. Quantiles interpolate linearly
// between order statistics (type 7 of Hyndman and Fan 1996) and are NaN without values. `scratch` is overwritten; used
// again for the next column, it spares the memory of a fresh one.
NumberSummary summarise(const SourceColumn& column, std::size_t total, Span<const std::uint32_t> rows,
                        Span<const double> weight, Span<const double> shares, std::vector<double>& scratch);

}  // namespace hylo
