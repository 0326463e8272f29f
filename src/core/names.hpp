// Words to values, and what is said when a word is not known.
#pragma once
#include <cstddef>
#include <stdexcept>
#include <string>
#include <string_view>
#include <utility>

namespace hylo {

template <class Enum, std::size_t N>
Enum named(const std::pair<std::string_view, Enum> (&table)[N], std::string_view name, const char* what) {
  for (const auto& [known, value] : table) {
    if (known == name) return value;
  }
  throw std::invalid_argument(std::string("unknown ") + what + " '" + std::string(name) + "'");
}

}  // namespace hylo
