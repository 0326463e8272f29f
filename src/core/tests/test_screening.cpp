#include <catch.h>

#include <limits>
#include <vector>

#include "screening.hpp"

using hylo::told_share;

namespace {

double told(const std::vector<double>& x, const std::vector<double>& y, const std::vector<double>& weight,
            std::size_t bins) {
  std::vector<std::size_t> places;
  return told_share({x.data(), x.size()}, {y.data(), y.size()}, {weight.data(), weight.size()}, bins, places);
}

}  // namespace

TEST_CASE("a column tells what its bins or a line explain, less what chance explains") {
  const std::vector<double> x = {1, 2, 3, 4, 5, 6, 7, 8}, ones(8, 1.0);
  CHECK(told(x, {-3.5, -2.5, -1.5, -0.5, 0.5, 1.5, 2.5, 3.5}, ones, 2) == Approx(1));
  const std::vector<double> bent = {1, 1, -1, -1, -1, -1, 1, 1};
  CHECK(told(x, bent, ones, 4) == Approx(1));
  // both halves have the same mean, and a line is level: 1 - (1 - 0) (8 - 1) / (8 - 2)
  CHECK(told(x, bent, ones, 2) == Approx(1 - 7.0 / 6));
}

TEST_CASE("a row of weight 2 tells as much as two rows, and what is missing everywhere tells nothing") {
  CHECK(told({1, 2, 3}, {-0.75, 1.25, -0.25}, {1, 1, 2}, 2) ==
        Approx(told({1, 2, 3, 3}, {-0.75, 1.25, -0.25, -0.25}, {1, 1, 1, 1}, 2)));
  const double gone = std::numeric_limits<double>::quiet_NaN();
  CHECK(told({gone, gone}, {-1, 1}, {1, 1}, 2) == 0);
  // a bin of its own: all is told by whether it is there
  CHECK(told({gone, gone, 1, 2}, {-1, -1, 1, 1}, {1, 1, 1, 1}, 1) == Approx(1));
}
