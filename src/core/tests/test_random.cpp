#include <catch.h>

#include <algorithm>
#include <cmath>

#include "helpers.hpp"

using namespace hylo_test;

TEST_CASE("Philox gives the known predictions of its paper") {
  CHECK(philox({0, 0, 0, 0}, {0, 0}) == (Philox4{0x6627e8d5u, 0xe169c58du, 0xbc57ac4cu, 0x9b00dbd8u}));
  CHECK(philox({~0u, ~0u, ~0u, ~0u}, {~0u, ~0u}) == (Philox4{0x408f276du, 0x41c83b0eu, 0xa20bc7c6u, 0x6d5451fdu}));
  CHECK(philox({0x243f6a88u, 0x85a308d3u, 0x13198a2eu, 0x03707344u}, {0xa4093822u, 0x299f31d0u}) ==
        (Philox4{0xd16cfe09u, 0x94fdccebu, 0x5001e420u, 0x24126ea1u}));
}

TEST_CASE("every part of a key gives another stream") {
  const StreamKey base = {7, 1, 1, Purpose::Start};
  const auto first = [](StreamKey key) { return Stream(key).bits(); };
  CHECK(first(base) == first(base));
  CHECK(first(base) != first({8, 1, 1, Purpose::Start}));
  CHECK(first(base) != first({7, 2, 1, Purpose::Start}));
  CHECK(first(base) != first({7, 1, 2, Purpose::Start}));
  CHECK(first(base) != first({7, 1, 1, Purpose::Shuffle}));
}

TEST_CASE("uniform and normal draws have the right moments") {
  Stream stream({3, 0, 0, Purpose::Start});
  const int n = 200000;
  double u = 0, z = 0, zz = 0;
  for (int i = 0; i < n; ++i) {
    u += stream.uniform();
    const double x = stream.normal();
    z += x;
    zz += x * x;
  }
  CHECK(std::fabs(u / n - 0.5) < 4 * std::sqrt(1.0 / 12 / n));  // four standard errors
  CHECK(std::fabs(z / n) < 4 * std::sqrt(1.0 / n));
  CHECK(std::fabs(zz / n - 1) < 4 * std::sqrt(2.0 / n));
}

TEST_CASE("bounded draws are even and within the bound") {
  Stream stream({4, 0, 0, Purpose::Shuffle});
  std::vector<int> count(3);
  for (int i = 0; i < 30000; ++i) ++count.at(stream.below(3));
  for (int c : count) CHECK(std::abs(c - 10000) < 4 * 82);  // four standard deviations of a binomial count
}

TEST_CASE("a shuffle is a permutation, and the same one for the same key") {
  auto a = all_rows(1000), b = a;
  shuffle(a, {9, 0, 1, Purpose::Shuffle});
  shuffle(b, {9, 0, 1, Purpose::Shuffle});
  CHECK(a == b);
  shuffle(b, {9, 0, 2, Purpose::Shuffle});
  CHECK(a != b);
  std::sort(a.begin(), a.end());
  CHECK(a == all_rows(1000));
}

TEST_CASE("a shuffle in pools is a permutation, and each pool is from all over the items") {
  const std::size_t n = 100 * kStretch + 7, pool = 20 * kStretch;
  const auto items = all_rows(n);
  std::vector<std::uint32_t> stretches(n / kStretch + 1), order(n), again(n);
  shuffle_in_pools(items, pool, stretches, order, {9, 0, 1, Purpose::Shuffle});
  shuffle_in_pools(items, pool, stretches, again, {9, 0, 1, Purpose::Shuffle});
  CHECK(order == again);
  for (std::size_t from = 0; from + pool <= n; from += pool) {
    double mean = 0, near = 0;
    for (std::size_t i = from; i < from + pool; ++i) {
      mean += order[i] / double(pool);
      near += i > from && std::abs(double(order[i]) - double(order[i - 1])) < double(kStretch);
    }
    // 20 of 101 stretches drawn without replacement: five standard errors of their mean
    CHECK(std::fabs(mean - double(n) / 2) < 5 * double(n) / std::sqrt(12.0 * 20));
    CHECK(near / double(pool) < 0.1);  // neighbours in the table are hardly ever neighbours here: 1 in 20 by chance
  }
  std::sort(order.begin(), order.end());
  CHECK(order == items);
}

TEST_CASE("a resample draws as many units as there are, each about once") {
  std::vector<int> counts(500), again(500), total(500);
  for (std::uint32_t draw = 0; draw < 400; ++draw) {
    resample(counts, {7, draw, 0, Purpose::Resample});
    CHECK(std::accumulate(counts.begin(), counts.end(), 0) == 500);
    for (std::size_t i = 0; i < counts.size(); ++i) total[i] += counts[i];
  }
  for (int t : total) CHECK(std::abs(t - 400) < 5 * 20);  // five standard deviations of a sum of 400 Poisson counts
  resample(again, {7, 399, 0, Purpose::Resample});
  CHECK(counts == again);
}
