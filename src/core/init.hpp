// Initial weights of a layer.
//
//   Usual       Lecun for selu, He for relu and its kin (leaky_relu, elu, gelu, silu, softplus), otherwise Glorot
//   Glorot      uniform in +-sqrt(6 / (inputs + units))                 (Glorot and Bengio 2010)
//   He          normal, variance 2 / inputs                             (He et al. 2015)
//   Lecun       normal, variance 1 / inputs                             (LeCun et al. 1998)
//   Orthogonal  orthonormal rows or columns, whichever are fewer        (Saxe, McClelland, Ganguli 2014)
//   Uniform     uniform in +-scale
//   Normal      normal, standard deviation scale
//   Same        1 from each input to the unit of the same number, otherwise 0
#pragma once
#include <cstddef>
#include <string_view>

#include "activation.hpp"
#include "random.hpp"
#include "span.hpp"

namespace hylo {

enum class InitRule { Usual, Glorot, He, Lecun, Orthogonal, Uniform, Normal, Same };

struct Init {
  InitRule rule = InitRule::Usual;
  double scale = 0.1;
};

InitRule init_named(std::string_view name);

// `weights` is inputs x units, dense.
void init_weights(const Init& init, Activation activation, std::size_t inputs, std::size_t units, Stream& stream,
                   Span<double> weights);

}  // namespace hylo
