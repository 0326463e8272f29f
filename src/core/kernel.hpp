// The arithmetic that takes the time, as one table of plain functions for each instruction set. All tables compute
// the same things; their low bits may differ between instruction sets, never between runs on one of them.
//
// Matrices are row-major, rows `row_stride<T>(width)` apart and aligned to cache lines (aligned.hpp), so the functions
// work in whole vectors and never meet a remainder.
#pragma once
#include <cstddef>
#include <string>
#include <vector>

#include "network.hpp"

namespace hylo {

// c = start + a * b, with c of m x n and k the length of the sums. a is reached through two strides, so that it may
// stand transposed; `start` is null for zero, the biases with a stride of 0, or c itself to accumulate.
template <class T>
struct Product {
  std::size_t m, n, k;
  const T* a;
  std::size_t a_row, a_column;
  const T* b;
  std::size_t b_row;
  T* c;
  std::size_t c_row;
  const T* start;
  std::size_t start_row;
};

template <class T>
struct AdamStep {
  T rate;         // learning rate with both bias corrections in it
  T decay1, decay2;
  T epsilon;
};

template <class T>
struct Kernel {
  void (*multiply)(const Product<T>&);
  // z becomes f(z); d becomes d * f'(z), where f'(z) is had from the value f(z).
  void (*activate)(Activation f, T* z, std::size_t count);
  void (*activate_back)(Activation f, const T* value, T* d, std::size_t count);
  void (*exponentiate)(T* x, std::size_t count);
  void (*logistic)(T* x, std::size_t count);
  void (*adam)(const AdamStep<T>& step, const T* gradient, T* mean, T* square, T* parameters, std::size_t count);
  void (*momentum)(T rate, T momentum, const T* gradient, T* velocity, T* parameters, std::size_t count);
  // gradient += l2 * w + l1 * sign(w)
  void (*penalise)(T l1, T l2, const T* parameters, T* gradient, std::size_t count);
  void (*times)(const T* factor, T* x, std::size_t count);
  void (*add_rows)(const T* x, std::size_t rows, std::size_t stride, T* sum);  // sum += the sum of x's rows
};

struct KernelLevel {
  const char* name;
  Kernel<float> single;
  Kernel<double> precise;
  bool (*runs_here)();
};

const KernelLevel& kernel_generic();
#if defined(__x86_64__)
const KernelLevel& kernel_avx2();
const KernelLevel& kernel_avx512();
#endif

// The levels that this processor can run, slowest first.
std::vector<const KernelLevel*> kernel_levels();

// The fastest level, or the one that the environment variable HYLOMATH_KERNEL names; throws std::invalid_argument
// when that one is unknown or can't run here.
const KernelLevel& kernel_level();

template <class T>
const Kernel<T>& kernel_of(const KernelLevel& level);

}  // namespace hylo
