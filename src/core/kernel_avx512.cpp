// 64-byte vectors with fused multiply-add.
#include "kernel_config.hpp"

#if defined(__x86_64__)
namespace hylo {

#define HYLO_BYTES 64
#define HYLO_TILE_ROWS \
  { 0, 16, 12, 8, 6 }
#define HYLO_MAD_SINGLE(a, b, c) ((vec)_mm512_fmadd_ps((__m512)(a), (__m512)(b), (__m512)(c)))
#define HYLO_MAD_DOUBLE(a, b, c) ((vec)_mm512_fmadd_pd((__m512d)(a), (__m512d)(b), (__m512d)(c)))
#define HYLO_SQRT_SINGLE(v) ((vec)_mm512_maskz_sqrt_ps(0xFFFF, (__m512)(v)))
#define HYLO_SQRT_DOUBLE(v) ((vec)_mm512_maskz_sqrt_pd(0xFF, (__m512d)(v)))

#if defined(__clang__)
#pragma clang attribute push(__attribute__((target("avx512f,avx2,fma"))), apply_to = function)
#pragma clang fp contract(off)
#else
#pragma GCC push_options
#pragma GCC target("avx512f,avx2,fma")
#pragma GCC optimize("fp-contract=off")
#endif
#include "kernel_both.hpp"
#if defined(__clang__)
#pragma clang attribute pop
#else
#pragma GCC pop_options
#endif

namespace {
bool runs_here() {
  __builtin_cpu_init();
  return __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("fma");
}
}  // namespace

const KernelLevel& kernel_avx512() {
  static constexpr KernelLevel level = {"avx512", single::table, precise::table, runs_here};
  return level;
}

}  // namespace hylo
#endif
