#include "optimiser.hpp"

#include <cmath>
#include <stdexcept>
#include <string>

namespace hylo {

Method method_named(std::string_view name) {
  if (name == "momentum") return Method::Momentum;
  if (name == "adam") return Method::Adam;
  throw std::invalid_argument("unknown method '" + std::string(name) + "'");
}

template <class T>
Optimiser<T>::Optimiser(const OptimiserSpec& spec, const NetworkSpec& network, const Layout<T>& layout,
                        const Kernel<T>& kernel)
    : spec_(spec), network_(network), layout_(layout), kernel_(kernel), first_(layout.size()) {
  if (spec.method == Method::Adam) second_.resize(layout.size());
}

template <class T>
void Optimiser<T>::step(Span<const T> gradient, Span<T> parameters) {
  power1_ *= spec_.decay1;
  power2_ *= spec_.decay2;
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    const double rate = spec_.learning_rate * network_.layers[l].rate;
    const std::size_t from = layout_.weights_at(l), count = layout_.end_of(l) - from;
    if (spec_.method == Method::Momentum) {
      kernel_.momentum(T(rate), T(spec_.momentum), gradient.data() + from, first_.data() + from,
                       parameters.data() + from, count);
    } else {
      // The paper's efficient form: both bias corrections in the rate, epsilon scaled to match.
      const double correction = std::sqrt(1 - power2_);
      kernel_.adam({T(rate * correction / (1 - power1_)), T(spec_.decay1), T(spec_.decay2),
                    T(spec_.epsilon * correction)},
                   gradient.data() + from, first_.data() + from, second_.data() + from, parameters.data() + from,
                   count);
    }
  }
}

template class Optimiser<float>;
template class Optimiser<double>;

}  // namespace hylo
