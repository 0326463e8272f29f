// One look at every byte of a text file, for what a reader of tables has to know before it starts.
#pragma once
#include <cstddef>
#include <functional>
#include <string>
#include <vector>

#include "span.hpp"

namespace hylo {

struct TextScan {
  bool opened = false;
  long long zero_byte = -1;     // place of the first zero byte, negative for none
  bool leading_zeros = false;   // some cell starts with 0 and another digit, as codes do and numbers don't
  bool ascii = true;            // no byte is above 127
  bool doubled_quotes = false;  // two quotes stand beside each other
};

TextScan scan_text(const std::string& file, std::size_t threads);

// Where the records of a text end, behind their line ends; what stands behind the last line end is none. A quote opens
// a cell only where the cell begins, and in a quoted one line ends are text (RFC 4180).
std::vector<std::size_t> record_ends(Span<const char> text, char separator);

// Each record of `left` with that of `right` and a separator between them, by the line ends of `left`, on several
// threads. Both are whole records, as many on one side as on the other; throws std::invalid_argument where they are
// not. `room` is asked once for the place of so many bytes.
void join_records(Span<const char> left, Span<const char> right, char separator, std::size_t threads,
                  const std::function<char*(std::size_t)>& room);

}  // namespace hylo
