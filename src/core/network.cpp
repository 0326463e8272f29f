#include "network.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string>
#include <utility>

namespace hylo {

namespace {

template <class Enum, std::size_t N>
Enum named(const std::pair<std::string_view, Enum> (&table)[N], std::string_view name, const char* what) {
  for (const auto& [known, value] : table) {
    if (known == name) return value;
  }
  throw std::invalid_argument(std::string("unknown ") + what + " '" + std::string(name) + "'");
}

}  // namespace

Activation activation_named(std::string_view name) {
  static constexpr std::pair<std::string_view, Activation> table[] = {{"identity", Activation::Identity},
                                                                      {"logistic", Activation::Logistic},
                                                                      {"tanh", Activation::Tanh},
                                                                      {"relu", Activation::Relu}};
  return named(table, name, "activation");
}

Output output_named(std::string_view name) {
  static constexpr std::pair<std::string_view, Output> table[] = {{"identity", Output::Identity},
                                                                  {"logistic", Output::Logistic},
                                                                  {"softmax", Output::Softmax},
                                                                  {"exponential", Output::Exponential}};
  return named(table, name, "output");
}

template <class T>
Layout<T>::Layout(const NetworkSpec& spec) {
  widths_.push_back(spec.inputs);
  starts_.push_back(0);
  for (const LayerSpec& layer : spec.layers) {
    const std::size_t rows = widths_.back() + 1;  // one for the biases
    widths_.push_back(layer.units);
    starts_.push_back(starts_.back() + rows * row_stride<T>(layer.units));
  }
}

template <class T>
std::size_t Layout<T>::parameters() const {
  std::size_t sum = 0;
  for (std::size_t l = 0; l < layers(); ++l) sum += (inputs(l) + 1) * units(l);
  return sum;
}

template <class T>
void start_parameters(const NetworkSpec& spec, const Layout<T>& layout, Span<const double> output_bias, StreamKey key,
                      Span<T> parameters) {
  Stream stream(key);
  std::fill(parameters.begin(), parameters.end(), T(0));
  const std::size_t last = layout.layers() - 1;
  for (std::size_t l = 0; l <= last; ++l) {
    const double in = double(layout.inputs(l)), out = double(layout.units(l));
    const bool relu = l < last && spec.layers[l].activation == Activation::Relu;
    const double spread = relu ? std::sqrt(2.0 / std::max(in, 1.0)) : std::sqrt(6.0 / std::max(in + out, 1.0));
    for (std::size_t i = 0; i < layout.inputs(l); ++i) {
      T* row = parameters.data() + layout.weights_at(l) + i * layout.stride(l);
      for (std::size_t j = 0; j < layout.units(l); ++j) {
        row[j] = T(relu ? spread * stream.normal() : spread * (2 * stream.uniform() - 1));
      }
    }
  }
  // A network without hidden layers has one optimum, and the zero start is the nearest to it without prejudice.
  if (last == 0) std::fill(parameters.begin(), parameters.end(), T(0));
  T* biases = parameters.data() + layout.biases_at(last);
  for (std::size_t j = 0; j < output_bias.size(); ++j) biases[j] = T(output_bias[j]);
}

namespace {

// Calls visit(position in the padded vector) for every parameter, in the dense order.
template <class T, class Visit>
void each_parameter(const Layout<T>& layout, Visit visit) {
  for (std::size_t l = 0; l < layout.layers(); ++l) {
    for (std::size_t i = 0; i <= layout.inputs(l); ++i) {  // the last row holds the biases
      for (std::size_t j = 0; j < layout.units(l); ++j) visit(layout.weights_at(l) + i * layout.stride(l) + j);
    }
  }
}

}  // namespace

template <class T>
void pack_parameters(const Layout<T>& layout, Span<const double> dense, Span<T> padded) {
  std::fill(padded.begin(), padded.end(), T(0));
  std::size_t next = 0;
  each_parameter(layout, [&](std::size_t at) { padded[at] = T(dense[next++]); });
}

template <class T>
void unpack_parameters(const Layout<T>& layout, Span<const T> padded, Span<double> dense) {
  std::size_t next = 0;
  each_parameter(layout, [&](std::size_t at) { dense[next++] = double(padded[at]); });
}

#define HYLO_INSTANTIATE(T)                                                                                    \
  template class Layout<T>;                                                                                    \
  template void start_parameters<T>(const NetworkSpec&, const Layout<T>&, Span<const double>, StreamKey, Span<T>); \
  template void pack_parameters<T>(const Layout<T>&, Span<const double>, Span<T>);                             \
  template void unpack_parameters<T>(const Layout<T>&, Span<const T>, Span<double>);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
