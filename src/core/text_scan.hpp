// One look at every byte of a text file, for what a reader of tables has to know before it starts.
#pragma once
#include <cstddef>
#include <string>

namespace hylo {

struct TextScan {
  bool opened = false;
  long long zero_byte = -1;     // place of the first zero byte, negative for none
  bool leading_zeros = false;   // some cell starts with 0 and another digit, as codes do and numbers don't
  bool ascii = true;            // no byte is above 127
  bool doubled_quotes = false;  // two quotes stand beside each other
};

TextScan scan_text(const std::string& file, std::size_t threads);

}  // namespace hylo
