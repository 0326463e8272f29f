// How much of what is observed a column tells on its own.
#pragma once
#include <cstddef>
#include <vector>

#include "span.hpp"

namespace hylo {

// The share of the variance of the responses (rows times responses of row after row, each with a mean of 0) that the
// means of so many bins of `x` explain, with about as much weight in each and equal values together, or a straight
// line if that explains more: of either what chance alone would explain is taken off, as in an adjusted R squared
// (after Fan, Feng and Song 2011). Rows count as many as their weight. Values that are missing are a bin of their own.
// `places` is overwritten.
double told_share(Span<const double> x, Span<const double> response, Span<const double> weight, std::size_t bins,
                  std::vector<std::size_t>& places);

}  // namespace hylo
