// 16-byte vectors with fused multiply-add, as every 64-bit ARM processor has them.
#include "contraction.hpp"

#include "kernel_config.hpp"

#if defined(__aarch64__)
namespace hylo {

#define HYLO_BYTES 16
#define HYLO_TILE_ROWS \
  { 0, 8, 8, 6, 4 }
#define HYLO_MAD_SINGLE(a, b, c) ((vec)vfmaq_f32((float32x4_t)(c), (float32x4_t)(a), (float32x4_t)(b)))
#define HYLO_MAD_DOUBLE(a, b, c) ((vec)vfmaq_f64((float64x2_t)(c), (float64x2_t)(a), (float64x2_t)(b)))
#define HYLO_SQRT_SINGLE(v) ((vec)vsqrtq_f32((float32x4_t)(v)))
#define HYLO_SQRT_DOUBLE(v) ((vec)vsqrtq_f64((float64x2_t)(v)))
#include "kernel_both.hpp"

const KernelLevel& kernel_neon() {
  static constexpr KernelLevel level = {"neon", single::table, precise::table, [] { return true; }};
  return level;
}

}  // namespace hylo
#endif
