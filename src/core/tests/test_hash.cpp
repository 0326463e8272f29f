#include <catch.h>

#include <string>
#include <vector>

#include "hash.hpp"

using namespace hylo;

TEST_CASE("the hash has the published values") {
  CHECK(fnv1a("") == 0xCBF29CE484222325ull);
  CHECK(fnv1a("a") == 0xAF63DC4C8601EC8Cull);
  CHECK(fnv1a("foobar") == 0x85944171F73967E8ull);
  CHECK(mixed(0) == 0);
  CHECK(mixed(1) == 0xB456BCFC34C2CB2Cull);
}

TEST_CASE("keys that differ at their ends are spread evenly") {
  std::vector<int> count(10);
  for (int i = 0; i < 40000; ++i) ++count[std::size_t(hash_of("3:F" + std::to_string(10000 + i)) / 429496730.0)];
  double chi = 0;
  for (int c : count) chi += (c - 4000.0) * (c - 4000.0) / 4000;
  CHECK(chi < 27.9);  // the 99.9 % point of chi-squared with 9 degrees of freedom
}
