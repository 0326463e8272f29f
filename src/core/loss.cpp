#include "loss.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

// Subtracts each row's largest value, so that the exponentials can't overflow.
template <class T>
void shift_to_largest(std::size_t rows, std::size_t width, T* z) {
  const std::size_t stride = row_stride<T>(width);
  for (std::size_t i = 0; i < rows; ++i, z += stride) {
    const T largest = *std::max_element(z, z + width);
    for (std::size_t j = 0; j < width; ++j) z[j] -= largest;
  }
}

template <class T>
T sum_of(const T* z, std::size_t width) {
  T sum = 0;
  for (std::size_t j = 0; j < width; ++j) sum += z[j];
  return sum;
}

// sum_c y_c z_c of each row, from shifted z
template <class T>
double observed_score(std::size_t rows, std::size_t width, const T* y, const T* weight, const T* z) {
  const std::size_t stride = row_stride<T>(width);
  double sum = 0;
  for (std::size_t i = 0; i < rows; ++i, z += stride, y += stride) {
    T row = 0;
    for (std::size_t j = 0; j < width; ++j) row += y[j] * z[j];
    sum += double(weight[i]) * double(row);
  }
  return sum;
}

template <class T>
double softmax_gradient(const Kernel<T>& kernel, std::size_t rows, std::size_t width, const T* y, const T* weight,
                        T scale, T* z) {
  const std::size_t stride = row_stride<T>(width);
  shift_to_largest(rows, width, z);
  double loss = -observed_score(rows, width, y, weight, z);
  kernel.exponentiate(z, rows * stride);
  for (std::size_t i = 0; i < rows; ++i, z += stride, y += stride) {
    const T sum = sum_of(z, width);
    const T factor = scale * weight[i];
    const T share = sum_of(y, width);  // 1, unless a target gives shares that add up to something else
    loss += double(weight[i]) * double(share) * std::log(double(sum));
    for (std::size_t j = 0; j < width; ++j) z[j] = factor * (share * z[j] / sum - y[j]);
    std::fill(z + width, z + stride, T(0));
  }
  return loss;
}

double squared(double z, double y) { return (z - y) * (z - y); }
double logistic_loss(double z, double y) { return std::max(z, 0.0) - y * z + std::log1p(std::exp(-std::fabs(z))); }
double poisson_loss(double z, double y) { return std::exp(z) - y * z - (y > 0 ? y - y * std::log(y) : 0.0); }

template <class T, class Loss>
double sum_loss(std::size_t rows, std::size_t width, const T* y, const T* weight, const T* z, Loss loss_of) {
  const std::size_t stride = row_stride<T>(width);
  double loss = 0;
  for (std::size_t i = 0; i < rows; ++i, z += stride, y += stride) {
    double row = 0;
    for (std::size_t j = 0; j < width; ++j) row += loss_of(double(z[j]), double(y[j]));
    loss += double(weight[i]) * row;
  }
  return loss;
}

// z holds the answers; it becomes factor * weight * (answer - y).
template <class T>
void residual_gradient(std::size_t rows, std::size_t width, const T* y, const T* weight, T factor, T* z) {
  const std::size_t stride = row_stride<T>(width);
  for (std::size_t i = 0; i < rows; ++i, z += stride, y += stride) {
    for (std::size_t j = 0; j < width; ++j) z[j] = factor * weight[i] * (z[j] - y[j]);
    std::fill(z + width, z + stride, T(0));
  }
}

}  // namespace

template <class T>
void answers_of(Output output, const Kernel<T>& kernel, std::size_t rows, std::size_t width, T* z) {
  const std::size_t stride = row_stride<T>(width), count = rows * stride;
  switch (output) {
    case Output::Identity: return;
    case Output::Logistic: return kernel.logistic(z, count);
    case Output::Exponential: return kernel.exponentiate(z, count);
    case Output::Softmax:
      shift_to_largest(rows, width, z);
      kernel.exponentiate(z, count);
      for (std::size_t i = 0; i < rows; ++i, z += stride) {
        const T sum = sum_of(z, width);
        for (std::size_t j = 0; j < width; ++j) z[j] /= sum;
      }
      return;
  }
}

template <class T>
double loss_and_gradient(Output output, const Kernel<T>& kernel, std::size_t rows, std::size_t width, const T* y,
                         const T* weight, T scale, T* z) {
  if (output == Output::Softmax) return softmax_gradient(kernel, rows, width, y, weight, scale, z);
  const double loss = output == Output::Identity   ? sum_loss(rows, width, y, weight, z, squared)
                      : output == Output::Logistic ? sum_loss(rows, width, y, weight, z, logistic_loss)
                                                   : sum_loss(rows, width, y, weight, z, poisson_loss);
  answers_of(output, kernel, rows, width, z);
  residual_gradient(rows, width, y, weight, output == Output::Identity ? 2 * scale : scale, z);
  return loss;
}

#define HYLO_INSTANTIATE(T)                                                                     \
  template void answers_of<T>(Output, const Kernel<T>&, std::size_t, std::size_t, T*);          \
  template double loss_and_gradient<T>(Output, const Kernel<T>&, std::size_t, std::size_t, const T*, const T*, T, T*);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
