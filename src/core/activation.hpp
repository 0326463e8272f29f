// What a unit makes of the weighted sum z of its inputs.
//
//   identity    z
//   logistic    1 / (1 + exp(-z))
//   tanh        tanh(z)
//   relu        max(z, 0)
//   leaky_relu  z, or 0.01 z below 0                                            (Maas, Hannun, Ng 2013)
//   elu         z, or exp(z) - 1 below 0                                        (Clevert, Unterthiner, Hochreiter 2016)
//   selu        1.0507 z, or 1.0507 * 1.6733 (exp(z) - 1) below 0               (Klambauer et al. 2017)
//   gelu        z / 2 (1 + tanh(sqrt(2 / pi) (z + 0.044715 z^3)))               (Hendrycks and Gimpel 2016)
//   silu        z / (1 + exp(-z))                                               (Elfwing, Uchibe, Doya 2018)
//   softplus    log(1 + exp(z))
//   gaussian    exp(-z^2)
//   sine        sin(z)
#pragma once
#include <cstddef>
#include <string_view>

namespace hylo {

enum class Activation { Identity, Logistic, Tanh, Relu, LeakyRelu, Elu, Selu, Gelu, Silu, Softplus, Gaussian, Sine };

Activation activation_named(std::string_view name);  // throws std::invalid_argument for a name that is not known

inline constexpr double kLeak = 0.01;
inline constexpr double kSeluScale = 1.0507009873554805, kSeluAlpha = 1.6732632423543772;

// Whether f'(z) can be had from f(z) alone. Where it can't, the way forward keeps f'(z).
constexpr bool slope_from_value(Activation f) {
  return f != Activation::Gelu && f != Activation::Silu && f != Activation::Gaussian && f != Activation::Sine;
}

}  // namespace hylo
