#include "contraction.hpp"

#include "network.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string>

#include "kernel.hpp"
#include "names.hpp"

namespace hylo {

Activation activation_named(std::string_view name) {
  static constexpr std::pair<std::string_view, Activation> table[] = {{"identity", Activation::Identity},
                                                                      {"logistic", Activation::Logistic},
                                                                      {"tanh", Activation::Tanh},
                                                                      {"relu", Activation::Relu},
                                                                      {"leaky_relu", Activation::LeakyRelu},
                                                                      {"elu", Activation::Elu},
                                                                      {"selu", Activation::Selu},
                                                                      {"gelu", Activation::Gelu},
                                                                      {"silu", Activation::Silu},
                                                                      {"softplus", Activation::Softplus},
                                                                      {"gaussian", Activation::Gaussian},
                                                                      {"sine", Activation::Sine}};
  return named(table, name, "activation");
}

bool NetworkSpec::normalises() const {
  return std::any_of(layers.begin(), layers.end(), [](const LayerSpec& layer) { return layer.norm; });
}

namespace {

constexpr double kMostValues = 1 << 28;  // parameters of one network: a gigabyte

bool goes_together(const LossSpec& loss) {
  const LossRecord& record = record_of(loss.loss);
  switch (loss.output) {
    case Output::Logistic:
    case Output::Softmax:
    case Output::Ordinal: return record.classes;
    case Output::Identity: return !record.classes && !record.above_zero;
    case Output::Exponential:
    case Output::Softplus: return !record.classes;
  }
  return false;
}

}  // namespace

void NetworkSpec::validate() const {
  const auto need = [](bool holds, const char* what) {
    if (!holds) throw std::invalid_argument(std::string("no such network: ") + what);
  };
  constexpr std::size_t most = 1 << 24;
  need(!layers.empty(), "it has no layers");
  need(inputs < most && layers.size() < 1000 && embeddings.size() < most, "it is too large");
  double entering = double(inputs), values = 0;
  for (const EmbeddingSpec& e : embeddings) {
    need(e.levels < most && e.width > 0 && e.width < most, "an embedding has no size");
    entering += double(e.width);
    values += double(e.levels + 1) * double(row_stride<float>(e.width));
  }
  if (skip) {
    need(layers.size() > 1, "a skip connection has no hidden layer beside it");
    values += entering * double(row_stride<float>(layers.back().units));
  }
  for (const LayerSpec& layer : layers) {
    need(layer.units > 0 && layer.units < most, "a layer has no units");
    need(layer.dropout >= 0 && layer.dropout < 1, "a share of units dropped");
    values += (entering + 4) * double(row_stride<float>(layer.units));
    need(values < kMostValues, "it is too large");
    entering = double(layer.units);
  }
  need(input_dropout >= 0 && input_dropout < 1, "a share of inputs dropped");
  need(goes_together(loss), "its output doesn't go with its loss");
  const std::size_t out = layers.back().units;
  if (loss.output == Output::Logistic || loss.output == Output::Ordinal) need(out == 1, "its number of outputs");
  if (loss.output == Output::Softmax) need(out >= 2, "its number of outputs");
  if (loss.output == Output::Ordinal) need(loss.classes >= 3 && loss.classes <= 1000, "its number of classes");
  if (loss.output != Output::Ordinal) need(loss.classes == 0, "its number of classes");
  if (loss.loss == Loss::Quantile) need(out == loss.quantiles.size(), "its number of quantiles");
  need(!layers.back().norm && layers.back().activation == Activation::Identity, "its last layer");
}

template <class T>
Layout<T>::Layout(const NetworkSpec& spec) {
  std::size_t next = 0, inputs = spec.inputs;
  embedding_starts_.push_back(0);
  for (const EmbeddingSpec& e : spec.embeddings) {
    embedding_widths_.push_back(e.width);
    next += (e.levels + 1) * row_stride<T>(e.width);
    embedding_starts_.push_back(next);
    inputs += e.width;
  }
  widths_.push_back(inputs);
  starts_.push_back(next);
  for (const LayerSpec& layer : spec.layers) {
    const std::size_t rows = widths_.back() + (layer.norm ? 4 : 1);
    widths_.push_back(layer.units);
    norms_.push_back(layer.norm);
    next += rows * row_stride<T>(layer.units);
    starts_.push_back(next);
  }
  gaps_at_ = next + (spec.skip ? inputs * row_stride<T>(spec.layers.back().units) : 0);
  if (spec.loss.output == Output::Ordinal && spec.loss.classes > 2) gaps_ = spec.loss.classes - 2;
}

template <class T>
std::size_t Layout<T>::parameters() const {
  std::size_t count = 0;
  each([&](std::size_t, bool) { ++count; });
  return count;
}

template <class T>
void start_parameters(const NetworkSpec& spec, const Layout<T>& layout, Span<const double> output, StreamKey key,
                      Span<T> parameters) {
  Stream stream(key);
  std::fill(parameters.begin(), parameters.end(), T(0));
  // Levels start near each other, in a tenth of the spread of a scaled input; the place of unseen levels is the middle.
  for (std::size_t e = 0; e < layout.embeddings(); ++e) {
    for (std::size_t i = 1; i <= spec.embeddings[e].levels; ++i) {
      T* row = parameters.data() + layout.embedding_at(e) + i * layout.embedding_stride(e);
      for (std::size_t j = 0; j < layout.embedding_width(e); ++j) row[j] = T(0.1 * stream.normal());
    }
  }
  const std::size_t last = layout.layers() - 1;
  std::vector<double> drawn;
  for (std::size_t l = 0; l <= last; ++l) {
    const std::size_t inputs = layout.inputs(l), units = layout.units(l);
    // A network without hidden layers has one optimum, and the zero start is the nearest to it without prejudice.
    if (last > 0 || layout.embeddings() > 0) {
      drawn.assign(inputs * units, 0);
      init_weights(spec.layers[l].init, spec.layers[l].activation, inputs, units, stream, drawn);
      for (std::size_t i = 0; i < inputs; ++i) {
        T* row = parameters.data() + layout.weights_at(l) + i * layout.stride(l);
        for (std::size_t j = 0; j < units; ++j) row[j] = T(drawn[i * units + j]);
      }
    }
    if (layout.norm(l)) {
      std::fill_n(parameters.data() + layout.gains_at(l), units, T(1));
      std::fill_n(parameters.data() + layout.variances_at(l), units, T(1));
    }
  }
  for (std::size_t j = 0; j < output.size(); ++j) {
    const std::size_t units = layout.units(last);
    parameters[j < units ? layout.biases_at(last) + j : layout.gaps_at() + j - units] = T(output[j]);
  }
}

template <class T>
void start_from_linear(const NetworkSpec& spec, const Layout<T>& layout, Span<const double> linear,
                       Span<T> parameters) {
  NetworkSpec thin = spec;
  thin.layers.erase(thin.layers.begin(), thin.layers.end() - 1);
  thin.skip.reset();
  const Layout<T> from(thin);
  if (linear.size() != from.parameters()) throw std::invalid_argument("the linear start doesn't fit the network");
  AlignedVector<T> packed(from.size());
  pack_parameters<T>(from, linear, packed);
  const std::size_t last = layout.layers() - 1;
  const auto put = [&](std::size_t begin, std::size_t end, std::size_t at) {
    std::copy(packed.begin() + begin, packed.begin() + end, parameters.begin() + at);
  };
  put(0, from.weights_at(0), 0);  // embeddings
  put(from.weights_at(0), from.biases_at(0), layout.skip_at());
  put(from.biases_at(0), from.trained_end(0), layout.biases_at(last));
  put(from.gaps_at(), from.size(), layout.gaps_at());
  const std::size_t units = layout.units(last - 1), in = layout.stride(last - 1), out = layout.stride(last);
  T* entering = parameters.data() + layout.weights_at(last - 1);
  T* leaving = parameters.data() + layout.weights_at(last);
  for (std::size_t j = 0; j + 1 < units; j += 2) {
    for (std::size_t i = 0; i < layout.inputs(last - 1); ++i) entering[i * in + j + 1] = entering[i * in + j];
    for (std::size_t c = 0; c < out; ++c) leaving[(j + 1) * out + c] = -leaving[j * out + c];
  }
  if (units % 2 == 1) std::fill_n(leaving + (units - 1) * out, out, T(0));
}

template <class T>
void pack_parameters(const Layout<T>& layout, Span<const double> dense, Span<T> padded) {
  std::fill(padded.begin(), padded.end(), T(0));
  std::size_t next = 0;
  layout.each([&](std::size_t at, bool) { padded[at] = T(dense[next++]); });
}

template <class T>
void unpack_parameters(const Layout<T>& layout, Span<const T> padded, Span<double> dense) {
  std::size_t next = 0;
  layout.each([&](std::size_t at, bool) { dense[next++] = double(padded[at]); });
}

template <class T>
void fold_norms(const Layout<T>& layout, Span<const T> parameters, Span<T> folded) {
  std::copy(parameters.begin(), parameters.end(), folded.begin());
  for (std::size_t l = 0; l < layout.layers(); ++l) {
    if (!layout.norm(l)) continue;
    for (std::size_t j = 0; j < layout.units(l); ++j) {
      const double factor = double(parameters[layout.gains_at(l) + j]) /
                            std::sqrt(double(parameters[layout.variances_at(l) + j]) + kNormEpsilon);
      for (std::size_t i = 0; i < layout.inputs(l); ++i) {
        const std::size_t at = layout.weights_at(l) + i * layout.stride(l) + j;
        folded[at] = T(double(parameters[at]) * factor);
      }
      const std::size_t bias = layout.biases_at(l) + j;
      folded[bias] = T(double(parameters[bias]) - double(parameters[layout.means_at(l) + j]) * factor);
    }
  }
}

#define HYLO_INSTANTIATE(T)                                                                                        \
  template class Layout<T>;                                                                                        \
  template void start_parameters<T>(const NetworkSpec&, const Layout<T>&, Span<const double>, StreamKey, Span<T>); \
  template void start_from_linear<T>(const NetworkSpec&, const Layout<T>&, Span<const double>, Span<T>);           \
  template void pack_parameters<T>(const Layout<T>&, Span<const double>, Span<T>);                                 \
  template void unpack_parameters<T>(const Layout<T>&, Span<const T>, Span<double>);                               \
  template void fold_norms<T>(const Layout<T>&, Span<const T>, Span<T>);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
