// 32-byte vectors with fused multiply-add.
#include "kernel_config.hpp"

#if defined(__x86_64__)
namespace hylo {

#define HYLO_BYTES 32
#define HYLO_TILE_ROWS \
  { 0, 8, 6 }
#define HYLO_MAD_SINGLE(a, b, c) ((vec)_mm256_fmadd_ps((__m256)(a), (__m256)(b), (__m256)(c)))
#define HYLO_MAD_DOUBLE(a, b, c) ((vec)_mm256_fmadd_pd((__m256d)(a), (__m256d)(b), (__m256d)(c)))
#define HYLO_SQRT_SINGLE(v) ((vec)_mm256_sqrt_ps((__m256)(v)))
#define HYLO_SQRT_DOUBLE(v) ((vec)_mm256_sqrt_pd((__m256d)(v)))

#if defined(__clang__)
#pragma clang attribute push(__attribute__((target("avx2,fma"))), apply_to = function)
#pragma clang fp contract(off)
#else
#pragma GCC push_options
#pragma GCC target("avx2,fma")
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
  return __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma");
}
}  // namespace

const KernelLevel& kernel_avx2() {
  static constexpr KernelLevel level = {"avx2", single::table, precise::table, runs_here};
  return level;
}

}  // namespace hylo
#endif
