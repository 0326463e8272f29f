// What a network looks like, and where its parameters lie in one flat vector.
#pragma once
#include <cstddef>
#include <string_view>
#include <vector>

#include "aligned.hpp"
#include "random.hpp"
#include "span.hpp"

namespace hylo {

enum class Activation { Identity, Logistic, Tanh, Relu };

// The output layer's activation together with the loss it is trained by:
//   Identity, squared error; Logistic and Softmax, cross-entropy; Exponential, Poisson likelihood.
enum class Output { Identity, Logistic, Softmax, Exponential };

Activation activation_named(std::string_view name);  // throws std::invalid_argument for a name that is not known
Output output_named(std::string_view name);

struct LayerSpec {
  std::size_t units = 0;
  Activation activation = Activation::Identity;
  double dropout = 0;  // share of this layer's units that are dropped while training
  double l1 = 0;       // penalties on this layer's incoming weights, biases excepted
  double l2 = 0;
  double rate = 1;     // multiple of the learning rate
};

struct NetworkSpec {
  std::size_t inputs = 0;
  double input_dropout = 0;
  std::vector<LayerSpec> layers;  // hidden layers, then the output layer (whose activation is `output`)
  Output output = Output::Identity;
};

// Layer l maps width[l] values to width[l+1]. Its weights are a row-major matrix, one row an input, rows
// `stride(l)` apart, followed by one row of biases. What lies behind a row's width is zero and stays zero.
template <class T>
class Layout {
 public:
  explicit Layout(const NetworkSpec& spec);

  std::size_t layers() const { return widths_.size() - 1; }
  std::size_t inputs(std::size_t layer) const { return widths_[layer]; }
  std::size_t units(std::size_t layer) const { return widths_[layer + 1]; }
  std::size_t stride(std::size_t layer) const { return row_stride<T>(units(layer)); }
  std::size_t weights_at(std::size_t layer) const { return starts_[layer]; }
  std::size_t biases_at(std::size_t layer) const { return starts_[layer] + inputs(layer) * stride(layer); }
  std::size_t end_of(std::size_t layer) const { return starts_[layer + 1]; }
  std::size_t size() const { return starts_.back(); }  // elements, padding included
  std::size_t parameters() const;                      // weights and biases, padding excluded

 private:
  std::vector<std::size_t> widths_;
  std::vector<std::size_t> starts_;
};

// Starting weights: uniform in +-sqrt(6 / (inputs + units)) (Glorot and Bengio 2010); before relu, normal with
// variance 2 / inputs (He et al. 2015). Hidden biases start at 0, output biases at `output_bias`, so that the
// first answer is the baseline's.
template <class T>
void start_parameters(const NetworkSpec& spec, const Layout<T>& layout, Span<const double> output_bias, StreamKey key,
                      Span<T> parameters);

// Between the padded flat vector and the dense one that leaves the core: for each layer its weights, input by
// input, then its biases.
template <class T>
void pack_parameters(const Layout<T>& layout, Span<const double> dense, Span<T> padded);
template <class T>
void unpack_parameters(const Layout<T>& layout, Span<const T> padded, Span<double> dense);

}  // namespace hylo
