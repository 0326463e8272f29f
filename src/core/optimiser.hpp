// From a gradient to a step.
#pragma once
#include <cstddef>
#include <string_view>

#include "aligned.hpp"
#include "kernel.hpp"
#include "network.hpp"
#include "span.hpp"

namespace hylo {

enum class Method { Momentum, Adam };
Method method_named(std::string_view name);

struct OptimiserSpec {
  Method method = Method::Adam;
  double learning_rate = 0.01;
  double momentum = 0.9;  // share of the last step that is kept (Polyak 1964)
  double decay1 = 0.9;    // Adam's running mean of the gradient ...
  double decay2 = 0.999;  // ... and of its square (Kingma and Ba 2015)
  double epsilon = 1e-8;
};

template <class T>
class Optimiser {
 public:
  Optimiser(const OptimiserSpec& spec, const NetworkSpec& network, const Layout<T>& layout, const Kernel<T>& kernel);
  void step(Span<const T> gradient, Span<T> parameters);

 private:
  OptimiserSpec spec_;
  NetworkSpec network_;
  Layout<T> layout_;
  const Kernel<T>& kernel_;
  AlignedVector<T> first_, second_;  // momentum: velocity; Adam: means of gradient and squared gradient
  double power1_ = 1, power2_ = 1;   // decay1 and decay2 to the number of steps
};

}  // namespace hylo
