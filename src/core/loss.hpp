// The output layer: from its linear values z to answers, and to loss and gradient.
//
//   output       answer                     loss of a row
//   Identity     z                          sum (z - y)^2
//   Logistic     1 / (1 + exp(-z))          sum log(1 + exp(z)) - y z                         (cross-entropy)
//   Softmax      exp(z_c) / sum exp(z_k)    log sum exp(z_k) - sum y_c z_c                    (cross-entropy)
//   Exponential  exp(z)                     sum exp(z) - y z - (y - y log y)       (half the Poisson deviance)
//
// Each of the last three is a likelihood with its canonical link, so the gradient is weight * (answer - y); it is
// twice that for the squared error.
#pragma once
#include <cstddef>

#include "kernel.hpp"
#include "network.hpp"

namespace hylo {

template <class T>
void answers_of(Output output, const Kernel<T>& kernel, std::size_t rows, std::size_t width, T* z);

// Returns the sum over rows of weight * loss; z becomes the gradient, scale * weight * dloss/dz, zero in the padding.
template <class T>
double loss_and_gradient(Output output, const Kernel<T>& kernel, std::size_t rows, std::size_t width, const T* y,
                         const T* weight, T scale, T* z);

}  // namespace hylo
