#include "contraction.hpp"

#include "init.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "names.hpp"

namespace hylo {

namespace {

InitRule usual_for(Activation activation) {
  switch (activation) {
    case Activation::Relu:
    case Activation::LeakyRelu:
    case Activation::Elu:
    case Activation::Gelu:
    case Activation::Silu:
    case Activation::Softplus: return InitRule::He;
    case Activation::Selu: return InitRule::Lecun;
    default: return InitRule::Glorot;
  }
}

void fill_uniform(double scale, Stream& stream, Span<double> weights) {
  for (double& w : weights) w = scale * (2 * stream.uniform() - 1);
}

void fill_normal(double scale, Stream& stream, Span<double> weights) {
  for (double& w : weights) w = scale * stream.normal();
}

// Gram and Schmidt, twice over each vector for the digits, on normal draws.
void fill_orthogonal(std::size_t inputs, std::size_t units, Stream& stream, Span<double> weights) {
  const std::size_t vectors = std::min(inputs, units), length = std::max(inputs, units);
  std::vector<double> drawn(vectors * length);
  for (std::size_t i = 0; i < vectors; ++i) {
    double* v = drawn.data() + i * length;
    for (std::size_t j = 0; j < length; ++j) v[j] = stream.normal();
    for (std::size_t before = 0; before < 2 * i; ++before) {
      const double* u = drawn.data() + before % i * length;
      double along = 0;
      for (std::size_t j = 0; j < length; ++j) along += u[j] * v[j];
      for (std::size_t j = 0; j < length; ++j) v[j] -= along * u[j];
    }
    double size = 0;
    for (std::size_t j = 0; j < length; ++j) size += v[j] * v[j];
    for (std::size_t j = 0; j < length; ++j) v[j] /= std::sqrt(size);
  }
  for (std::size_t i = 0; i < inputs; ++i) {
    for (std::size_t j = 0; j < units; ++j) {
      weights[i * units + j] = inputs <= units ? drawn[i * length + j] : drawn[j * length + i];
    }
  }
}

}  // namespace

InitRule init_named(std::string_view name) {
  static constexpr std::pair<std::string_view, InitRule> table[] = {{"usual", InitRule::Usual},
                                                                     {"glorot", InitRule::Glorot},
                                                                     {"he", InitRule::He},
                                                                     {"lecun", InitRule::Lecun},
                                                                     {"orthogonal", InitRule::Orthogonal},
                                                                     {"uniform", InitRule::Uniform},
                                                                     {"normal", InitRule::Normal},
                                                                     {"same", InitRule::Same}};
  return named(table, name, "init");
}

void init_weights(const Init& init, Activation activation, std::size_t inputs, std::size_t units, Stream& stream,
                   Span<double> weights) {
  const double in = std::max(double(inputs), 1.0);
  switch (init.rule == InitRule::Usual ? usual_for(activation) : init.rule) {
    case InitRule::He: return fill_normal(std::sqrt(2 / in), stream, weights);
    case InitRule::Lecun: return fill_normal(std::sqrt(1 / in), stream, weights);
    case InitRule::Orthogonal: return fill_orthogonal(inputs, units, stream, weights);
    case InitRule::Uniform: return fill_uniform(init.scale, stream, weights);
    case InitRule::Normal: return fill_normal(init.scale, stream, weights);
    case InitRule::Same:
      for (std::size_t i = 0; i < weights.size(); ++i) weights[i] = i / units == i % units ? 1 : 0;
      return;
    case InitRule::Usual:
    case InitRule::Glorot: return fill_uniform(std::sqrt(6 / (in + double(units))), stream, weights);
  }
}

}  // namespace hylo
