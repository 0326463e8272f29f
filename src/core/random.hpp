// Random numbers as a function of (seed, job, epoch, purpose, position): no state is handed from one use to the
// next, so the order in which jobs or threads run can't change a result.
//
// Philox 4x32 with 10 rounds: Salmon, Moraes, Dror, Shaw (2011), "Parallel random numbers: as easy as 1, 2, 3".
#pragma once
#include <array>
#include <cstdint>

#include "span.hpp"

namespace hylo {

// What a stream is used for; the numbers are part of the meaning of a seed and never change.
enum class Purpose : std::uint32_t {
  Start = 1,
  Shuffle = 2,
  Dropout = 3,
  Split = 4,
  Noise = 5,
  Resample = 6,
  Search = 7
};

struct StreamKey {
  std::uint64_t seed = 0;
  std::uint32_t job = 0;
  std::uint32_t epoch = 0;
  Purpose purpose = Purpose::Start;
};

using Philox4 = std::array<std::uint32_t, 4>;
Philox4 philox(Philox4 counter, std::array<std::uint32_t, 2> key);

class Stream {
 public:
  explicit Stream(StreamKey key) : key_(key) {}

  std::uint32_t bits() {  // 32 uniform bits
    if (used_ == 4) refill();
    return buffer_[used_++];
  }
  double uniform();                          // in (0, 1), 2^-53 apart
  double normal();                           // mean 0, standard deviation 1 (Box and Muller 1958)
  std::uint32_t below(std::uint32_t bound);  // in 0 .. bound - 1, without bias (Lemire 2019)

 private:
  void refill();

  StreamKey key_;
  std::uint64_t block_ = 0;
  Philox4 buffer_{};
  unsigned used_ = 4;
};

// Shuffles in place (Fisher and Yates).
void shuffle(Span<std::uint32_t> items, StreamKey key);

// Puts the items into an order that is nearly that of a shuffle, and that reads them from where they stand in long
// pieces: stretches of neighbours come in random order, and each `pool` of the items that then follow one another is
// shuffled. `stretches` is room for as many numbers as there are stretches.
inline constexpr std::size_t kStretch = 64;
void shuffle_in_pools(Span<const std::uint32_t> items, std::size_t pool, Span<std::uint32_t> stretches,
                      Span<std::uint32_t> order, StreamKey key);

// Draws as many units as there are, with replacement, and counts how often each is drawn (Efron 1979).
void resample(Span<int> counts, StreamKey key);

}  // namespace hylo
