#include "text_scan.hpp"

#include <algorithm>
#include <atomic>
#include <fstream>
#include <mutex>
#include <vector>

#include "parallel.hpp"

namespace hylo {

namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }

bool starts_cell(char before) {
  return before == ',' || before == '\n' || before == ';' || before == '\t' || before == '|' || before == '"' ||
         before == ' ';
}

}  // namespace

TextScan scan_text(const std::string& file, std::size_t threads) {
  TextScan result;
  std::ifstream probe(file, std::ios::binary | std::ios::ate);
  if (!probe) return result;
  result.opened = true;
  const std::size_t size = std::size_t(probe.tellg());
  std::atomic<bool> leading{false};
  std::mutex mutex;
  in_parts(size, std::size_t(1) << 22, threads, [&](std::size_t from, std::size_t to) {
    // one byte before the part and one behind it, so that no cell falls between two parts
    const std::size_t first = from == 0 ? 0 : from - 1, last = std::min(size, to + 1);
    std::vector<char> bytes(last - first + 1, '\n');
    std::ifstream in(file, std::ios::binary);
    in.seekg(std::streamoff(first));
    char* text = bytes.data() + (from == 0 ? 1 : 0);
    in.read(text, std::streamsize(last - first));
    const char* begin = bytes.data() + 1;
    const char* end = begin + (to - from);
    bool found = false;
    for (const char* c = begin; c < end; ++c) {
      if (*c > '0') continue;
      if (*c == '0') {
        found = found || (c + 1 < bytes.data() + bytes.size() && is_digit(c[1]) && starts_cell(c[-1]));
      } else if (*c == '\0') {
        const std::lock_guard<std::mutex> lock(mutex);
        const long long at = (long long)(from + std::size_t(c - begin));
        if (result.zero_byte < 0 || at < result.zero_byte) result.zero_byte = at;
        break;
      }
    }
    if (found) leading = true;
  });
  result.leading_zeros = leading;
  return result;
}

}  // namespace hylo
