// All that kernel_body.hpp needs from outside. It is included before a kernel file switches its instruction set on:
// a standard header included afterwards would be compiled for that set, and the linker could pick its inline
// functions for everyone, with illegal instructions on older processors.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstring>

#if defined(__x86_64__)
#include <immintrin.h>
#elif defined(__aarch64__)
#include <arm_neon.h>
#endif

#include "kernel.hpp"

#if defined(__clang__)
#define HYLO_UNROLL _Pragma("clang loop unroll(full)")
#define HYLO_SHUFFLE(a, b, places) shuffled(a, b, places)  // clang's own takes constants only
#else
#define HYLO_UNROLL _Pragma("GCC unroll 16")
#define HYLO_SHUFFLE(a, b, places) __builtin_shuffle(a, b, places)
#endif
