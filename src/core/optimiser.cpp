#include "contraction.hpp"

#include "optimiser.hpp"

#include <cmath>

#include "names.hpp"

namespace hylo {

namespace {

constexpr double kFollow = 0.1;  // share by which running means and variances go to those of a step's rows

}  // namespace

Method method_named(std::string_view name) {
  static constexpr std::pair<std::string_view, Method> table[] = {{"momentum", Method::Momentum},
                                                                  {"nesterov", Method::Nesterov},
                                                                  {"rmsprop", Method::Rmsprop},
                                                                  {"adam", Method::Adam},
                                                                  {"adamw", Method::Adamw},
                                                                  {"resilient", Method::Resilient},
                                                                  {"scaled_conjugate", Method::ScaledConjugate},
                                                                  {"lbfgs", Method::Lbfgs},
                                                                  {"levenberg_marquardt", Method::Levenberg},
                                                                  {"coordinate_descent", Method::Coordinate},
                                                                  {"newton", Method::Newton}};
  return named(table, name, "method");
}

template <class T>
Optimiser<T>::Optimiser(const OptimiserSpec& spec, const NetworkSpec& network, const Layout<T>& layout,
                        const Kernel<T>& kernel)
    : spec_(spec), network_(network), layout_(layout), kernel_(kernel) {
  if (spec.method != Method::Rmsprop) first_.resize(layout.size());
  if (spec.method != Method::Momentum && spec.method != Method::Nesterov) second_.resize(layout.size());
  if (layout.embeddings() > 0) add_group(0, layout.weights_at(0), 1, true);
  for (std::size_t l = 0; l < layout.layers(); ++l) {
    add_group(layout.weights_at(l), layout.biases_at(l), network.layers[l].rate, true);
    add_group(layout.biases_at(l), layout.trained_end(l), network.layers[l].rate, false);
  }
  if (layout.has_skip()) add_group(layout.skip_at(), layout.gaps_at(), network.skip->rate, true);
  if (layout.gaps() > 0) add_group(layout.gaps_at(), layout.size(), network.layers.back().rate, false);
}

// Neighbours that move alike become one: for small networks the calls take longer than the arithmetic.
template <class T>
void Optimiser<T>::add_group(std::size_t from, std::size_t to, double rate, bool decays) {
  decays = decays && spec_.weight_decay > 0;
  if (!groups_.empty()) {
    ParameterGroup& last = groups_.back();
    if (last.from + last.count == from && last.rate == rate && last.decays == decays) {
      last.count += to - from;
      return;
    }
  }
  groups_.push_back({from, to - from, rate, decays});
}

template <class T>
void Optimiser<T>::move(const ParameterGroup& group, double rate, Span<const T> gradient, Span<T> parameters) {
  const std::size_t from = group.from, count = group.count;
  rate *= group.rate;
  const Moved<T> moved = {gradient.data() + from, parameters.data() + from, count};
  T* first = first_.data() + from;
  T* second = second_.data() + from;
  if (spec_.method == Method::Momentum || spec_.method == Method::Nesterov) {
    const bool ahead = spec_.method == Method::Nesterov;
    return kernel_.momentum(MomentumRates<T>{T(rate), T(spec_.momentum), ahead}, first, moved);
  }
  const T decay2 = T(spec_.decay2), share2 = T(1 - spec_.decay2);
  if (spec_.method == Method::Rmsprop) {
    return kernel_.rmsprop(RmspropRates<T>{T(rate), decay2, share2, T(spec_.epsilon)}, second, moved);
  }
  // The paper's efficient form: both bias corrections in the rate, epsilon scaled to match.
  const double correction = std::sqrt(1 - power2_);
  const double shrink = group.decays ? 1 - rate * spec_.weight_decay : 1;
  AdamRates<T> rates;
  rates.rate = T(rate * correction / (1 - power1_));
  rates.decay1 = T(spec_.decay1);
  rates.share1 = T(1 - spec_.decay1);
  rates.decay2 = decay2;
  rates.share2 = share2;
  rates.epsilon = T(spec_.epsilon * correction);
  rates.shrink = T(shrink);
  kernel_.adam(rates, AdamMeans<T>{first, second}, moved);
}

template <class T>
void Optimiser<T>::bound_norms(Span<T> parameters) const {
  for (std::size_t l = 0; l + 1 < layout_.layers(); ++l) {
    T* weights = parameters.data() + layout_.weights_at(l);
    for (std::size_t j = 0; j < layout_.units(l); ++j) {
      double square = 0;
      for (std::size_t i = 0; i < layout_.inputs(l); ++i)
        square += double(weights[i * layout_.stride(l) + j]) * double(weights[i * layout_.stride(l) + j]);
      if (square <= spec_.max_norm * spec_.max_norm) continue;
      const T factor = T(spec_.max_norm / std::sqrt(square));
      for (std::size_t i = 0; i < layout_.inputs(l); ++i) weights[i * layout_.stride(l) + j] *= factor;
    }
  }
}

template <class T>
GradientSize Optimiser<T>::step(double rate, Span<T> gradient, Span<T> parameters) {
  GradientSize size;
  double squares = 0;
  for (const ParameterGroup& s : groups_) kernel_.measure(gradient.data() + s.from, s.count, &squares, &size.largest);
  size.norm = std::sqrt(squares);
  if (spec_.gradient_clip > 0 && size.norm > spec_.gradient_clip) {
    for (const ParameterGroup& s : groups_)
      kernel_.scale(T(spec_.gradient_clip / size.norm), gradient.data() + s.from, s.count);
  }
  power1_ *= spec_.decay1;
  power2_ *= spec_.decay2;
  for (const ParameterGroup& s : groups_) move(s, rate * spec_.learning_rate, Span<const T>(gradient), parameters);
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    const std::size_t end = layout_.trained_end(l);
    for (std::size_t i = end; layout_.norm(l) && i < end + 2 * layout_.stride(l); ++i) {
      parameters[i] += T(kFollow) * (gradient[i] - parameters[i]);
    }
  }
  if (spec_.max_norm > 0) bound_norms(parameters);
  return size;
}

template class Optimiser<float>;
template class Optimiser<double>;

}  // namespace hylo
