// One way through the network and back for a block of rows, in memory that is laid out once.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

#include "kernel.hpp"
#include "network.hpp"
#include "span.hpp"
#include "table.hpp"

namespace hylo {

// A batch is worked through in blocks of this many rows, added up in order: the values between layers stay in the
// cache, memory doesn't grow with the batch, and the shape of every sum is fixed.
inline constexpr std::size_t kBlockRows = 256;

// Where a batch's dropout masks come from; `batch` counts the batches of the epoch.
struct DropoutDraw {
  std::uint64_t seed = 0;
  std::uint32_t job = 0;
  std::uint32_t epoch = 0;
  std::size_t batch = 0;
};

template <class T>
class Pass {
 public:
  Pass(const NetworkSpec& spec, const Layout<T>& layout, const Kernel<T>& kernel);

  // The rows' mean loss times their number, without penalties; `gradient` becomes the gradient of the mean loss over
  // these rows plus the penalties. With dropout when `draw` is given.
  double gradient(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                  const DropoutDraw* draw, Span<T> gradient);

  // Sum of the weighted losses of the rows.
  double loss(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters);

  // sum over layers of l1 * sum |w| + l2 / 2 * sum w^2, biases excepted
  double penalty(Span<const T> parameters) const;

  // Answers to rows `from` .. `from + count - 1`, count <= kBlockRows; row i starts at result + i * row_stride.
  const T* answers(const Table<T>& table, std::size_t from, std::size_t count, Span<const T> parameters);

 private:
  T* into(std::size_t layer) { return values_.data() + value_at_[layer]; }  // what layer `layer` takes in
  T* linear_output() { return into(layout_.layers()); }
  void gather(const Table<T>& table, Span<const std::uint32_t> rows);
  void add_offset(std::size_t rows);
  void forward(std::size_t rows, Span<const T> parameters);
  void backward(std::size_t rows, Span<T> gradient);
  void draw_masks(std::size_t rows, const DropoutDraw& draw, std::size_t block);
  void transpose_weights(Span<const T> parameters);
  double share_kept(std::size_t layer) const;

  NetworkSpec spec_;
  Layout<T> layout_;
  const Kernel<T>& kernel_;
  std::vector<std::size_t> value_at_;
  AlignedVector<T> values_;      // what goes into each layer, then the linear output
  AlignedVector<T> masks_;       // laid out like values_; empty without dropout
  AlignedVector<T> back_[2];     // gradients with respect to a layer's linear values, this layer's and the next's
  std::vector<std::size_t> transposed_at_;
  AlignedVector<T> transposed_;  // weights of layers 1.., units by inputs
  AlignedVector<T> y_, weight_, offset_;
  bool offsetting_ = false;
  bool dropping_ = false;
};

}  // namespace hylo
