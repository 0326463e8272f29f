// All that kernel_body.hpp needs from outside. It is included before a kernel file switches its instruction set on:
// a standard header included afterwards would be compiled for that set, and the linker could pick its inline
// functions for everyone, with illegal instructions on older processors.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstring>

#if defined(__x86_64__)
#include <immintrin.h>
#endif

#include "kernel.hpp"

#if defined(__clang__)
#define HYLO_UNROLL _Pragma("clang loop unroll(full)")
#else
#define HYLO_UNROLL _Pragma("GCC unroll 16")
#endif
