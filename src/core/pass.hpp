// One way through the network and back for a block of rows, in memory that is laid out once.
#pragma once
#include <cstddef>
#include <cstdint>
#include <functional>
#include <vector>

#include "kernel.hpp"
#include "network.hpp"
#include "span.hpp"
#include "table.hpp"

namespace hylo {

// A batch is worked through in blocks of at most this many rows: the values between layers stay in the cache, memory
// doesn't grow with the batch, and the shape of every sum is fixed.
inline constexpr std::size_t kBlockRows = 256;

// Where a batch's dropout masks and noise come from; `batch` counts the batches of the epoch.
struct Draw {
  std::uint64_t seed = 0;
  std::uint32_t job = 0;
  std::uint32_t epoch = 0;
  std::size_t batch = 0;
};

// The weights of the layers, units by inputs, for the way back. Layer 0, and a skip connection as if it were a layer
// more, are in it only if there are embeddings to reach.
template <class T>
class Transposed {
 public:
  explicit Transposed(const Layout<T>& layout);
  void update(const Layout<T>& layout, const Kernel<T>& kernel, Span<const T> parameters);
  const T* of(std::size_t layer) const { return values_.data() + at_[layer]; }

 private:
  std::size_t lowest_;
  bool skip_ = false;
  std::vector<std::size_t> at_;
  AlignedVector<T> values_;
};

template <class T>
class Pass {
 public:
  Pass(const NetworkSpec& spec, const Layout<T>& layout, const Kernel<T>& kernel);

  // All take at most kBlockRows rows of the table. `gradient` adds scale * the gradient of the rows' weighted loss,
  // without penalties (or puts it in the place of what was there, if `fresh`), and returns that loss; dropout, noise
  // and batch statistics are used when `draw` is given. For layers with batch normalisation it also adds rows times the
  // block's means and variances where the running ones lie.
  double gradient(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                  const Transposed<T>& transposed, const Draw* draw, std::size_t block, T scale, bool fresh,
                  Span<T> gradient);

  // The other two take folded parameters (network.hpp). Predictions are written to `out`, row by row,
  // spec.predictions() each.
  double loss(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> folded);
  void predictions(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> folded, T* out);

  // What layer `layer` puts out for these rows, units(layer) each; for the last one its linear values.
  void outputs(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> folded, std::size_t layer, T* out);

  // The derivative of output unit `unit`'s linear value with respect to the parameters, in the order of Layout::each,
  // one row (`stride` long) for each row; `first` says that the rows are new ones. values() then are the linear values.
  void jacobian(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                const Transposed<T>& transposed, std::size_t unit, bool first, T* out, std::size_t stride);
  const T* values() const { return values_.data() + value_at_.back(); }  // linear output, rows row_stride apart

  // J'C J times a direction in the parameters, J the derivatives of these rows' linear values and C what `curve` makes
  // of row i of them: from its linear values and from what they, and the gaps behind them, move by along the direction,
  // which it puts its own in the place of. Added to `gradient`, or put there if `fresh` (Schraudolph 2002).
  using Curve = std::function<void(std::size_t i, const T* values, T* moved)>;
  void product(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters, Span<const T> direction,
               const Transposed<T>& transposed, const Curve& curve, bool fresh, Span<T> gradient);

 private:
  T* into(std::size_t layer) { return values_.data() + value_at_[layer]; }  // where layer `layer` takes its values from
  const T* taken(std::size_t layer) { return layer == 0 ? input_ : into(layer); }
  T* linear_output() { return into(layout_.layers()); }
  void gather_inputs(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters, bool changes);
  void gather_embeddings(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                         T* inputs) const;
  void gather_targets(const Table<T>& table, Span<const std::uint32_t> rows);
  LossBlock<T> loss_block(std::size_t rows, T scale);
  void forward(std::size_t rows, Span<const T> parameters, bool training);
  void add_products(std::size_t in, std::size_t n, const T* values, std::size_t units, const T* d, T* free, bool fresh,
                    T* weights);
  void forward_along(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                     Span<const T> direction);
  void collect(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
               const Transposed<T>& transposed, const T* slopes, bool fresh, Span<T> gradient);
  template <class OnLayer>
  void backward(std::size_t rows, Span<const T> parameters, const Transposed<T>& transposed, const T* d,
                Span<T> gradient, OnLayer on_layer);
  void to_columns(std::size_t rows);
  void from_columns(std::size_t rows);
  void columns_to_predictions(std::size_t rows, Span<const T> folded);
  void clear_all_but_weights(Span<T> gradient) const;
  void draw_masks(std::size_t rows, const Draw& draw, std::size_t block);
  void add_noise(std::size_t rows, const Draw& draw, std::size_t block);
  double share_kept(std::size_t layer) const;
  // The row of an embedding; a code that it doesn't have counts as unseen.
  std::size_t code_of(T code, std::size_t e) const {
    return code >= 0 && code <= T(spec_.embeddings[e].levels) ? std::size_t(code) : 0;
  }
  bool drops(std::size_t layer) const { return dropping_ && share_kept(layer) < 1; }
  bool keeps_slope(std::size_t layer) const { return !slope_from_value(spec_.layers[layer].activation); }

  NetworkSpec spec_;
  Layout<T> layout_;
  const Kernel<T>& kernel_;
  std::vector<std::size_t> value_at_;
  const T* input_ = nullptr;                       // the rows' inputs: gathered, or where they stand in the table
  AlignedVector<T> values_;                        // what goes into each layer, then the linear output
  AlignedVector<T> masks_, slopes_;                // laid out like values_; empty where nobody needs them
  AlignedVector<T> scaled_;                        // batch normalisation's zhat, laid out like values_
  AlignedVector<T> means_, variances_, inverses_;  // of the block, a row of the widest layer for each layer
  AlignedVector<T> along_;  // what values_ move by along a direction; empty until one is asked for
  AlignedVector<T> back_[2];        // gradients with respect to a layer's linear values, this layer's and the next's
  AlignedVector<T> skip_back_;  // that of the output layer, kept for the embeddings behind a skip connection
  AlignedVector<T> z_, y_, soft_, weight_, offset_;  // the loss's block, column by column
  std::vector<T> unused_gaps_, moved_;
  std::vector<std::size_t> dense_at_;  // where embeddings and layers begin in the order of Layout::each
  std::size_t widest_ = 0;
  bool offsetting_ = false, taught_ = false, dropping_ = false, given_norms_ = false;
};

}  // namespace hylo
