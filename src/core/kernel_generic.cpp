// The level that runs anywhere: 16-byte vectors, which every 64-bit processor has and others emulate.
#include "contraction.hpp"

#include "kernel_config.hpp"

#include <cmath>

namespace hylo {

namespace {
template <class V>
inline V lane_sqrt(V v) {
  for (std::size_t i = 0; i < sizeof(v) / sizeof(v[0]); ++i) v[i] = std::sqrt(v[i]);
  return v;
}
}  // namespace

#define HYLO_BYTES 16
#define HYLO_TILE_ROWS \
  { 0, 8, 4 }
#define HYLO_MAD_SINGLE(a, b, c) ((a) * (b) + (c))
#define HYLO_MAD_DOUBLE(a, b, c) ((a) * (b) + (c))
#if defined(__x86_64__)
#define HYLO_SQRT_SINGLE(v) ((vec)_mm_sqrt_ps((__m128)(v)))
#define HYLO_SQRT_DOUBLE(v) ((vec)_mm_sqrt_pd((__m128d)(v)))
#else
#define HYLO_SQRT_SINGLE(v) lane_sqrt(v)
#define HYLO_SQRT_DOUBLE(v) lane_sqrt(v)
#endif
#include "kernel_both.hpp"

const KernelLevel& kernel_generic() {
  static constexpr KernelLevel level = {"generic", single::table, precise::table, [] { return true; }};
  return level;
}

}  // namespace hylo
