// While one of these lives, results too small for a normal number become zero. Momentum of a weight that no longer has
// a gradient fades into such numbers, on which processors are up to a hundred times slower.
#pragma once

#if defined(__x86_64__)
#include <xmmintrin.h>
#endif

namespace hylo {

class FlushDenormals {
 public:
#if defined(__x86_64__)
  FlushDenormals() : former_(_mm_getcsr()) { _mm_setcsr(former_ | 0x8040u); }  // flush to zero, denormals are zero
  ~FlushDenormals() { _mm_setcsr(former_); }

 private:
  unsigned former_;
#elif defined(__aarch64__)
  FlushDenormals() {
    asm volatile("mrs %0, fpcr" : "=r"(former_));
    asm volatile("msr fpcr, %0" : : "r"(former_ | (1ull << 24)));
  }
  ~FlushDenormals() { asm volatile("msr fpcr, %0" : : "r"(former_)); }

 private:
  unsigned long long former_;
#else
  FlushDenormals() {}
#endif
 public:
  FlushDenormals(const FlushDenormals&) = delete;
  FlushDenormals& operator=(const FlushDenormals&) = delete;
};

}  // namespace hylo
