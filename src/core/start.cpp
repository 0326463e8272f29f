#include "contraction.hpp"

#include "start.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "names.hpp"

namespace hylo {

namespace {

StartRule usual_for(Activation activation) {
  switch (activation) {
    case Activation::Relu:
    case Activation::LeakyRelu:
    case Activation::Elu:
    case Activation::Gelu:
    case Activation::Silu:
    case Activation::Softplus: return StartRule::He;
    case Activation::Selu: return StartRule::Lecun;
    default: return StartRule::Glorot;
  }
}

void fill_uniform(double spread, Stream& stream, Span<double> weights) {
  for (double& w : weights) w = spread * (2 * stream.uniform() - 1);
}

void fill_normal(double spread, Stream& stream, Span<double> weights) {
  for (double& w : weights) w = spread * stream.normal();
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

StartRule start_named(std::string_view name) {
  static constexpr std::pair<std::string_view, StartRule> table[] = {{"usual", StartRule::Usual},
                                                                     {"glorot", StartRule::Glorot},
                                                                     {"he", StartRule::He},
                                                                     {"lecun", StartRule::Lecun},
                                                                     {"orthogonal", StartRule::Orthogonal},
                                                                     {"uniform", StartRule::Uniform},
                                                                     {"normal", StartRule::Normal},
                                                                     {"same", StartRule::Same}};
  return named(table, name, "start");
}

void start_weights(const Start& start, Activation activation, std::size_t inputs, std::size_t units, Stream& stream,
                   Span<double> weights) {
  const double in = std::max(double(inputs), 1.0);
  switch (start.rule == StartRule::Usual ? usual_for(activation) : start.rule) {
    case StartRule::He: return fill_normal(std::sqrt(2 / in), stream, weights);
    case StartRule::Lecun: return fill_normal(std::sqrt(1 / in), stream, weights);
    case StartRule::Orthogonal: return fill_orthogonal(inputs, units, stream, weights);
    case StartRule::Uniform: return fill_uniform(start.spread, stream, weights);
    case StartRule::Normal: return fill_normal(start.spread, stream, weights);
    case StartRule::Same:
      for (std::size_t i = 0; i < weights.size(); ++i) weights[i] = i / units == i % units ? 1 : 0;
      return;
    case StartRule::Usual:
    case StartRule::Glorot: return fill_uniform(std::sqrt(6 / (in + double(units))), stream, weights);
  }
}

}  // namespace hylo
