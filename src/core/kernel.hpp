// The arithmetic that takes the time, as one table of plain functions for each instruction set. All tables compute
// the same things; their low bits may differ between instruction sets, never between runs on one of them.
//
// Matrices are row-major, rows `row_stride<T>(width)` apart and aligned to cache lines (aligned.hpp), so the functions
// work in whole vectors and never meet a remainder.
#pragma once
#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "activation.hpp"
#include "loss.hpp"

namespace hylo {

// What happens to a tile of c while it is still in registers. RectifyBack keeps the values whose `gate` is above 0, which
// is relu's gradient.
enum class Finish { None, Rectify, RectifyBack };

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
  Finish finish = Finish::None;
  const T* gate = nullptr;  // laid out like c
};

template <class T>
struct AdamStep {
  T rate;         // learning rate with both bias corrections in it
  T decay1, share1;  // share = 1 - decay, formed in double precision: 1 - 0.999 has few digits in single
  T decay2, share2;
  T epsilon;
  T shrink;       // what a parameter is multiplied by beforehand: 1, or less for decoupled weight decay
};

// A row of means, of inverse deviations, of scales and of shifts for each unit, `stride` long.
template <class T>
struct NormRows {
  T* mean;
  T* variance;
  T* inverse;  // 1 / sqrt(variance + epsilon)
  const T* gain;
  const T* shift;
};

template <class T>
struct Kernel {
  void (*multiply)(const Product<T>&);
  // z becomes f(z); `slope` becomes f'(z) where it is asked for. d becomes d * f'(z), had from the value f(z).
  void (*activate)(Activation f, T* z, std::size_t count);
  void (*activate_keep)(Activation f, T* z, T* slope, std::size_t count);
  void (*activate_back)(Activation f, const T* value, T* d, std::size_t count);
  // See loss.hpp. z becomes answers, or the gradient and the sum of weight * loss is returned; all outputs but Ordinal.
  void (*answer)(Output output, std::size_t rows, std::size_t width, std::size_t lead, T* z);
  double (*loss)(const LossSpec& spec, const LossBlock<T>& block);
  void (*adam)(const AdamStep<T>& step, const T* gradient, T* mean, T* square, T* parameters, std::size_t count);
  void (*rmsprop)(T rate, T decay, T share, T epsilon, const T* gradient, T* square, T* parameters, std::size_t count);
  void (*momentum)(T rate, T momentum, const T* gradient, T* velocity, T* parameters, std::size_t count);
  void (*nesterov)(T rate, T momentum, const T* gradient, T* velocity, T* parameters, std::size_t count);
  // gradient += l2 * w + l1 * sign(w)
  void (*penalise)(T l1, T l2, const T* parameters, T* gradient, std::size_t count);
  void (*times)(const T* factor, T* x, std::size_t count);
  void (*scale)(T factor, T* x, std::size_t count);
  void (*add)(const T* x, T* sum, std::size_t count);
  void (*add_rows)(const T* x, std::size_t rows, std::size_t stride, T* sum);  // sum += the sum of x's rows
  void (*measure)(const T* x, std::size_t count, double* squares, double* largest);  // adds squares, raises to |x|
  // Batch normalisation of a block: z becomes gain * zhat + shift, zhat = (z - mean) * inverse; mean, variance and inverse
  // are written unless `given`. Back: d becomes the gradient with respect to z as it was.
  void (*normalise)(const NormRows<T>& rows_of, bool given, std::size_t rows, std::size_t stride, T* z, T* zhat);
  void (*normalise_back)(const NormRows<T>& rows_of, bool given, std::size_t rows, std::size_t stride, const T* zhat, T* d,
                         T* gain_gradient, T* shift_gradient);
  void (*transpose)(const T* from, std::size_t rows, std::size_t width, std::size_t stride, T* to, std::size_t to_stride);
  void (*gather)(const T* from, const std::uint32_t* rows, std::size_t count, std::size_t stride, T* to, std::size_t to_stride);
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

// Added to a variance before its root is taken.
inline constexpr double kNormEpsilon = 1e-5;

}  // namespace hylo
