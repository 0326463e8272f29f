// The arithmetic that takes the time, as one table of plain functions for each instruction set. All tables compute
// the same things, those of sets with fused multiply-add to the same bit: each element adds up in an order of its own,
// whatever the vectors' width. The low bits of the generic table differ, which has no fused multiply-add.
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

// What happens to a tile of c while it is still in registers. RectifyBack keeps the values whose `gate` is above 0,
// which is relu's gradient.
enum class Finish { None, Rectify, RectifyBack };

// The sides of a product, each of a type of its own, so that one can't stand in another's place. `row` and `column` are
// the distances from one row, and one column, to the next.
struct Extent {
  std::size_t rows, columns, depth;  // of the result, and the length of the sums
};
template <class T>
struct Left {
  const T* at;
  std::size_t row, column;  // two strides, so that it may stand transposed
};
template <class T>
struct Right {
  const T* at;
  std::size_t row;
};
template <class T>
struct Result {
  T* at;
  std::size_t row;
};
// What the sums start from: nothing, biases (with a stride of 0), or the result itself, to accumulate.
template <class T>
struct Origin {
  const T* at = nullptr;
  std::size_t row = 0;
};

// result = start + left * right.
template <class T>
struct Product {
  Extent extent;
  Left<T> left;
  Right<T> right;
  Result<T> result;
  Origin<T> start = {};
  Finish finish = Finish::None;
  const T* gate = nullptr;  // laid out like the result
};

// What moves: as many parameters as there are gradients.
template <class T>
struct Moved {
  const T* gradient;
  T* parameters;
  std::size_t count;
};
template <class T>
struct AdamRates {
  T rate;            // learning rate with both bias corrections in it
  T decay1, share1;  // share = 1 - decay, formed in double precision: 1 - 0.999 has few digits in single
  T decay2, share2;
  T epsilon;
  T shrink;  // what a parameter is multiplied by beforehand: 1, or less for decoupled weight decay
};
template <class T>
struct AdamMeans {
  T* mean;
  T* square;
};
template <class T>
struct RmspropRates {
  T rate, decay, share, epsilon;
};
template <class T>
struct MomentumRates {
  T rate, keep;
  bool ahead;  // Nesterov's: the gradient counts as if the velocity had been followed already
};
template <class T>
struct Penalties {
  T l1, l2;
};

// x *= factor, and sum += x.
template <class T>
struct Factors {
  const T* factor;
  T* x;
  std::size_t count;
};
// Each of `mask` becomes `value`, or 0 where the draw for its place is not below `bound`.
template <class T>
struct Mask {
  std::uint32_t key, key2, bound;
  T value;
  T* mask;
  std::size_t count;
};
template <class T>
struct Addend {
  const T* x;
  T* sum;
  std::size_t count;
};

template <class T>
struct Transposition {
  const T* from;
  std::size_t rows, width, stride;
  T* to;
  std::size_t to_stride;
};
template <class T>
struct Gathering {
  const T* from;
  const std::uint32_t* rows;
  std::size_t count, stride;
  T* to;
  std::size_t to_stride;
};

// Of each row `width` values are in use; what lies behind them, up to the next row, is anything.
template <class T>
struct Rows {
  const T* at;
  std::size_t rows, width, stride;
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
struct NormBlock {
  bool given;  // whether mean, variance and inverse are those that are there, rather than the block's own
  std::size_t rows, width, stride;
};
template <class T>
struct NormGradients {
  T* gain;
  T* shift;
};

template <class T>
struct Kernel {
  void (*multiply)(const Product<T>&);
  // z becomes f(z); `slope` becomes f'(z) where it is asked for. d becomes d * f'(z), had from the value f(z).
  void (*activate)(Activation f, T* z, std::size_t count);
  void (*activate_keep)(Activation f, T* z, T* slope, std::size_t count);
  void (*activate_back)(Activation f, const T* value, T* d, std::size_t count);
  // See loss.hpp. z becomes predictions, or the gradient and the sum of weight * loss is returned; all outputs but
  // Ordinal.
  void (*prediction)(Output output, std::size_t rows, std::size_t width, std::size_t lead, T* z);
  double (*loss)(const LossSpec& spec, const LossBlock<T>& block);
  void (*adam)(const AdamRates<T>& rates, const AdamMeans<T>& means, const Moved<T>& moved);
  void (*rmsprop)(const RmspropRates<T>& rates, T* square, const Moved<T>& moved);
  void (*momentum)(const MomentumRates<T>& rates, T* velocity, const Moved<T>& moved);
  // gradient += l2 * w + l1 * sign(w)
  void (*penalise)(const Penalties<T>& penalties, const T* parameters, T* gradient, std::size_t count);
  void (*times)(const Factors<T>&);
  void (*drop)(const Mask<T>&);
  void (*scale)(T factor, T* x, std::size_t count);
  void (*add)(const Addend<T>&);
  void (*add_rows)(const Rows<T>& rows, T* sum);                                     // sum += the sum of the rows
  void (*measure)(const T* x, std::size_t count, double* squares, double* largest);  // adds squares, raises to |x|
  // Batch normalisation of a block: z becomes gain * zhat + shift, zhat = (z - mean) * inverse; mean, variance and
  // inverse are written unless `given`. Back: d becomes the gradient with respect to z as it was.
  void (*normalise)(const NormRows<T>& rows_of, const NormBlock& block, T* z, T* zhat);
  void (*normalise_back)(const NormRows<T>& rows_of, const NormBlock& block, const T* zhat, T* d,
                         const NormGradients<T>& gradients);
  void (*transpose)(const Transposition<T>&);
  void (*gather)(const Gathering<T>&);
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
#elif defined(__aarch64__)
const KernelLevel& kernel_neon();
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
