#include "contraction.hpp"

#include "text_scan.hpp"

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <mutex>
#include <numeric>
#include <stdexcept>

#include "aligned.hpp"
#include "parallel.hpp"

namespace hylo {

namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }

bool starts_cell(char before) {
  return before == ',' || before == '\n' || before == ';' || before == '\t' || before == '|' || before == '"' ||
         before == ' ';
}

// Sixteen bytes at a time, as every 64-bit processor has them.
typedef unsigned char Bytes __attribute__((vector_size(16), may_alias, aligned(1)));
typedef signed char Found __attribute__((vector_size(16)));  // what a comparison of Bytes gives

bool any(Found f) {
  std::uint64_t halves[2];
  std::memcpy(halves, &f, sizeof f);
  return (halves[0] | halves[1]) != 0;
}

Bytes load(const char* p) { return *reinterpret_cast<const Bytes*>(p); }

struct Part {
  bool leading = false, high = false, doubled = false;
  const char* zero;  // the first zero byte, or the end
};

// The bytes before `begin` and at `end` can be read.
Part look_through(const char* begin, const char* end) {
  Part part;
  part.zero = end;
  Found leading = {}, high = {}, doubled = {};
  const char* c = begin;
  for (; c + 16 <= end; c += 16) {
    const Bytes here = load(c), before = load(c - 1), behind = load(c + 1);
    if (any(here == 0)) break;
    const Found starts = (before == ',') | (before == '\n') | (before == ';') | (before == '\t') | (before == '|') |
                         (before == '"') | (before == ' ');
    leading |= (here == '0') & (behind - '0' <= 9) & starts;
    high |= here > 127;
    doubled |= (here == '"') & (behind == '"');
  }
  part.leading = any(leading);
  part.high = any(high);
  part.doubled = any(doubled);
  for (; c < end; ++c) {
    if (*c == '\0') {
      part.zero = c;
      break;
    }
    part.leading = part.leading || (*c == '0' && is_digit(c[1]) && starts_cell(c[-1]));
    part.high = part.high || static_cast<unsigned char>(*c) > 127;
    part.doubled = part.doubled || (*c == '"' && c[1] == '"');
  }
  return part;
}

}  // namespace

TextScan scan_text(const std::string& file, std::size_t threads) {
  TextScan result;
  std::ifstream probe(file, std::ios::binary | std::ios::ate);
  if (!probe) return result;
  result.opened = true;
  const std::size_t size = std::size_t(probe.tellg());
  std::atomic<bool> leading{false}, high{false}, doubled{false};
  std::mutex mutex;
  in_parts(size, std::size_t(1) << 22, threads, [&](std::size_t from, std::size_t to) {
    // one byte before the part and one behind it, so that no cell falls between two parts
    const std::size_t first = from == 0 ? 0 : from - 1, last = std::min(size, to + 1);
    UnfilledVector<char> bytes(last - first + 2);
    std::ifstream in(file, std::ios::binary);
    in.seekg(std::streamoff(first));
    bytes.front() = bytes[bytes.size() - 1] = bytes[bytes.size() - 2] = '\n';
    in.read(bytes.data() + (from == 0 ? 1 : 0), std::streamsize(last - first));
    const char* begin = bytes.data() + 1;
    const char* end = begin + (to - from);
    const Part part = look_through(begin, end);
    if (part.zero < end) {
      const std::lock_guard<std::mutex> lock(mutex);
      const long long at = static_cast<long long>(from) + (part.zero - begin);
      if (result.zero_byte < 0 || at < result.zero_byte) result.zero_byte = at;
    }
    if (part.leading) leading = true;
    if (part.high) high = true;
    if (part.doubled) doubled = true;
  });
  result.leading_zeros = leading;
  result.ascii = !high;
  result.doubled_quotes = doubled;
  return result;
}

std::vector<std::size_t> record_ends(Span<const char> text, char separator) {
  std::vector<std::size_t> ends;
  const char* const begin = text.data();
  const char* const end = begin + text.size();
  if (begin == end) return ends;
  if (!std::memchr(begin, '"', text.size())) {
    for (const char* c = begin;
         (c = static_cast<const char*>(std::memchr(c, '\n', std::size_t(end - c)))) != nullptr;) {
      ends.push_back(std::size_t(++c - begin));
      if (c == end) break;
    }
    return ends;
  }
  bool quoted = false, starts = true;
  for (const char* c = begin; c < end; ++c) {
    if (quoted) {
      if (*c == '"') {
        if (c + 1 < end && c[1] == '"')
          ++c;
        else
          quoted = false;
      }
      continue;
    }
    quoted = starts && *c == '"';
    starts = *c == separator || *c == '\n';
    if (*c == '\n') ends.push_back(std::size_t(c - begin) + 1);
  }
  return ends;
}

namespace {

// A record's length without its line end.
std::size_t bare_length(const char* record, std::size_t length) {
  if (length > 0 && record[length - 1] == '\n') --length;
  if (length > 0 && record[length - 1] == '\r') --length;
  return length;
}

}  // namespace

void join_records(Span<const char> left, Span<const char> right, char separator, std::size_t threads,
                  const std::function<char*(std::size_t)>& room) {
  const auto lefts = record_ends(left, separator), rights = record_ends(right, separator);
  const std::size_t records = lefts.size();
  if (rights.size() != records) throw std::invalid_argument("there are not as many records on both sides");
  const auto start_of = [](const std::vector<std::size_t>& ends, std::size_t i) { return i == 0 ? 0 : ends[i - 1]; };
  const auto bare_right = [&](std::size_t i) {
    const std::size_t from = start_of(rights, i);
    return bare_length(right.data() + from, rights[i] - from);
  };
  constexpr std::size_t part = 1024;
  std::vector<std::size_t> at(records / part + 2, 0);  // where each part begins, then where the last one ends
  in_parts(records, part, threads, [&](std::size_t from, std::size_t to) {
    std::size_t size = to - from + lefts[to - 1] - start_of(lefts, from);
    for (std::size_t i = from; i < to; ++i) size += bare_right(i);
    at[from / part + 1] = size;
  });
  std::partial_sum(at.begin(), at.end(), at.begin());
  char* const joined = room(at.back());
  in_parts(records, part, threads, [&](std::size_t from, std::size_t to) {
    char* out = joined + at[from / part];
    for (std::size_t i = from; i < to; ++i) {
      const char* const record = left.data() + start_of(lefts, i);
      const std::size_t length = lefts[i] - start_of(lefts, i), bare = bare_length(record, length);
      out = std::copy_n(record, bare, out);
      *out++ = separator;
      out = std::copy_n(right.data() + start_of(rights, i), bare_right(i), out);
      out = std::copy_n(record + bare, length - bare, out);
    }
  });
}

}  // namespace hylo
