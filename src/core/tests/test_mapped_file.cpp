#include <catch.h>

#include <algorithm>
#include <cstdio>
#include <fstream>
#include <string>
#include <utility>
#include <vector>

#include "mapped_file.hpp"
#include "table.hpp"

using namespace hylo;

namespace {

const char* const kName = "hylo-mapped-test.tmp";

}  // namespace

TEST_CASE("a mapped file holds the file's bytes, and writing there leaves the file alone") {
  const std::string name = kName;
  const std::vector<double> values = {1.5, -2, 3e10};
  std::ofstream(name, std::ios::binary).write(reinterpret_cast<const char*>(values.data()), 24);
  for (int time = 0; time < 2; ++time) {
    const MappedFile file(name);
    double* at = static_cast<double*>(file.data());
    CHECK(file.bytes() == 24);
    CHECK(std::vector<double>(at, at + 3) == values);
    at[1] = 7;
  }
  std::ofstream(name, std::ios::binary | std::ios::trunc);
  CHECK(MappedFile(name).bytes() == 0);
  std::remove(name.c_str());
  CHECK_THROWS_AS(MappedFile(name), std::runtime_error);
}

TEST_CASE("inputs on disk are what they are in memory, and leave no file") {
  Table<float> memory(1000, 3, 1), disk(1000, 3, 1, ".");
  CHECK(memory.x.size() == disk.x.size());
  for (std::size_t i = 0; i < disk.x.size(); ++i) disk.x[i] = memory.x[i] = float(i);
  disk.in_no_order(1, 900);
  disk.soon(1, 900);
  const Table<float> moved = std::move(disk);
  CHECK(std::equal(moved.x.begin(), moved.x.end(), memory.x.begin()));
}

TEST_CASE("room that a folder doesn't have is refused at once") {
  CHECK_THROWS_AS(ScratchRoom("no such folder", 100), std::runtime_error);
  CHECK_THROWS_AS(ScratchRoom(".", std::size_t(1) << 60), std::runtime_error);
  CHECK(ScratchRoom(".", 0).data() == nullptr);
}
