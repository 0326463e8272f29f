#include "contraction.hpp"

#include "random.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

namespace hylo {

Philox4 philox(Philox4 c, std::array<std::uint32_t, 2> k) {
  constexpr std::uint32_t m0 = 0xD2511F53u, m1 = 0xCD9E8D57u;  // multipliers and key increments of the paper
  constexpr std::uint32_t w0 = 0x9E3779B9u, w1 = 0xBB67AE85u;
  for (int round = 0; round < 10; ++round) {
    const std::uint64_t p0 = std::uint64_t(m0) * c[0];
    const std::uint64_t p1 = std::uint64_t(m1) * c[2];
    c = {std::uint32_t(p1 >> 32) ^ c[1] ^ k[0], std::uint32_t(p1), std::uint32_t(p0 >> 32) ^ c[3] ^ k[1],
         std::uint32_t(p0)};
    k[0] += w0;
    k[1] += w1;
  }
  return c;
}

void Stream::refill() {
  // The purpose shares a word with the upper half of the block number, which 2^56 draws would be needed to reach.
  const std::uint32_t high = (std::uint32_t(key_.purpose) << 24) ^ std::uint32_t(block_ >> 32);
  buffer_ = philox({std::uint32_t(block_), high, key_.epoch, key_.job},
                   {std::uint32_t(key_.seed), std::uint32_t(key_.seed >> 32)});
  ++block_;
  used_ = 0;
}

double Stream::uniform() {
  const std::uint64_t high = bits() >> 5, low = bits() >> 6;  // 27 + 26 = 53 bits
  return (double(high * 67108864u + low) + 0.5) / 9007199254740992.0;
}

double Stream::normal() {
  const double radius = std::sqrt(-2.0 * std::log(uniform()));
  return radius * std::cos(6.283185307179586 * uniform());
}

std::uint32_t Stream::below(std::uint32_t bound) {
  std::uint64_t product = std::uint64_t(bits()) * bound;
  if (std::uint32_t(product) < bound) {
    const std::uint32_t floor = (0u - bound) % bound;
    while (std::uint32_t(product) < floor) product = std::uint64_t(bits()) * bound;
  }
  return std::uint32_t(product >> 32);
}

namespace {

void shuffle(Span<std::uint32_t> items, Stream& stream) {
  for (std::size_t left = items.size(); left > 1; --left) {
    std::swap(items[left - 1], items[stream.below(std::uint32_t(left))]);
  }
}

}  // namespace

void shuffle(Span<std::uint32_t> items, StreamKey key) {
  Stream stream(key);
  shuffle(items, stream);
}

void shuffle_in_pools(Span<const std::uint32_t> items, std::size_t pool, Span<std::uint32_t> stretches,
                      Span<std::uint32_t> order, StreamKey key) {
  Stream stream(key);
  std::iota(stretches.begin(), stretches.end(), 0u);
  shuffle(stretches, stream);
  std::uint32_t* out = order.begin();
  for (const std::uint32_t stretch : stretches) {
    const std::size_t from = std::size_t(stretch) * kStretch;
    out = std::copy(items.begin() + from, items.begin() + std::min(from + kStretch, items.size()), out);
  }
  for (std::size_t from = 0; from < order.size(); from += pool) {
    shuffle(order.part(from, std::min(pool, order.size() - from)), stream);
  }
}

void resample(Span<int> counts, StreamKey key) {
  Stream stream(key);
  std::fill(counts.begin(), counts.end(), 0);
  for (std::size_t i = 0; i < counts.size(); ++i) ++counts[stream.below(std::uint32_t(counts.size()))];
}

}  // namespace hylo
