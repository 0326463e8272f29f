#include <catch.h>

#include <cstdio>
#include <fstream>
#include <string>
#include <vector>

#include "text_scan.hpp"

using namespace hylo;

namespace {

TextScan scanned(const std::string& text, std::size_t threads = 1) {
  const std::string file = "hylo-scan-test.tmp";
  std::ofstream(file, std::ios::binary) << text;
  const TextScan scan = scan_text(file, threads);
  std::remove(file.c_str());
  return scan;
}

}  // namespace

TEST_CASE("codes with leading zeros are told from numbers and dates") {
  CHECK(scanned("a,b\n1,010\n").leading_zeros);
  CHECK(scanned("007").leading_zeros);
  CHECK(scanned("a;\"01\"\n").leading_zeros);
  CHECK_FALSE(scanned("a,b\n0.5,2025-01-03\n0,100\n-0.01,1e05\n").leading_zeros);
  CHECK_FALSE(scanned("").leading_zeros);
  for (std::size_t before = 0; before < 40; ++before) {  // wherever it falls among the bytes looked at together
    for (const char* separator : {",", ";", "\t", "|", "\n", " ", "\""}) {
      CHECK(scanned(std::string(before, '1') + separator + "07" + std::string(20, '1')).leading_zeros);
      CHECK_FALSE(scanned(std::string(before, '1') + separator + "0." + std::string(20, '1')).leading_zeros);
    }
    CHECK_FALSE(scanned(std::string(before + 1, '1') + "07" + std::string(20, '1')).leading_zeros);
  }
}

TEST_CASE("bytes above 127 and doubled quotes are found wherever they stand") {
  for (std::size_t before = 0; before < 40; ++before) {
    const std::string head(before, 'a');
    const TextScan plain = scanned(head + "\"b\",c" + std::string(20, 'd'));
    CHECK(plain.ascii);
    CHECK_FALSE(plain.doubled_quotes);
    CHECK_FALSE(scanned(head + "\xc3\xa6" + std::string(20, 'd')).ascii);
    CHECK(scanned(head + "\"b\"\"c\"" + std::string(20, 'd')).doubled_quotes);
  }
  std::string split(9 << 20, '1');
  split[(std::size_t(1) << 22) - 1] = split[std::size_t(1) << 22] = '"';
  CHECK(scanned(split, 2).doubled_quotes);
}

TEST_CASE("zero bytes are found at their place, and cells across parts too") {
  std::string text(9 << 20, '1');
  CHECK(scanned(text, 2).zero_byte == -1);
  text[8500000] = '\0';
  text[8600000] = '\0';
  CHECK(scanned(text, 2).zero_byte == 8500000);
  for (std::size_t at : {(std::size_t(1) << 22) - 2, (std::size_t(1) << 22) - 1, std::size_t(1) << 22}) {
    std::string split(9 << 20, '1');
    split.replace(at, 3, ",01");
    CHECK(scanned(split, 2).leading_zeros);
  }
  CHECK_FALSE(scan_text("no/such/file", 1).opened);
}

namespace {

Span<const char> letters(const std::string& text) { return {text.data(), text.size()}; }

std::string joined(const std::string& left, const std::string& right) {
  std::string both;
  join_records(letters(left), letters(right), ',', 2, [&](std::size_t bytes) {
    both.resize(bytes);
    return &both[0];
  });
  return both;
}

}  // namespace

TEST_CASE("records end at line ends that are not quoted") {
  using Ends = std::vector<std::size_t>;
  CHECK((record_ends(letters("a,b\nc\n"), ',') == Ends{4, 6}));
  CHECK((record_ends(letters("a,\"b\nc\"\nd\n"), ',') == Ends{8, 10}));
  CHECK((record_ends(letters("\"a\"\"\n\"\n"), ',') == Ends{7}));
  CHECK((record_ends(letters("5\" pipe\nb"), ',') == Ends{8}));  // a quote within a plain cell is none
  CHECK((record_ends(letters("a;\"\n\";b\n"), ';') == Ends{8}));
  CHECK(record_ends(letters(""), ',').empty());
  CHECK((joined("a,b\r\nc,d\n", "x\n\"y\n\"\n") == "a,b,x\r\nc,d,\"y\n\"\n"));
  CHECK(joined("", "").empty());
  std::string lefts, rights, wanted;
  for (int i = 0; i < 5000; ++i) {
    const std::string record = std::to_string(i * i), prediction = std::to_string(i);
    lefts += record + (i % 2 ? "\n" : "\r\n");
    rights += prediction + (i % 3 ? "\n" : "\r\n");
    wanted += record + "," + prediction + (i % 2 ? "\n" : "\r\n");
  }
  CHECK((joined(lefts, rights) == wanted));
  CHECK_THROWS_AS(joined("a\n", "x\ny\n"), std::invalid_argument);
}
