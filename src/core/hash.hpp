// Hashes of texts that are the same on every machine and in every year.
#pragma once
#include <cstdint>
#include <string_view>

namespace hylo {

// FNV-1a, 64 bits (Fowler, Noll and Vo 1991).
constexpr std::uint64_t fnv1a(std::string_view text) {
  std::uint64_t hash = 0xCBF29CE484222325ull;
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001B3ull;
  return hash;
}

// A finisher that lets every bit count in every bit (Appleby 2011): the upper bits of FNV-1a alone are uneven for
// texts that differ at their ends.
constexpr std::uint64_t mixed(std::uint64_t h) {
  h = (h ^ (h >> 33)) * 0xFF51AFD7ED558CCDull;
  h = (h ^ (h >> 33)) * 0xC4CEB9FE1A85EC53ull;
  return h ^ (h >> 33);
}

// 32 evenly spread bits of a text.
constexpr std::uint32_t hash_of(std::string_view text) { return std::uint32_t(mixed(fnv1a(text)) >> 32); }

}  // namespace hylo
