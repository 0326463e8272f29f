// From a gradient to a step: the methods that look at one gradient at a time. Those that look at the whole table are in
// method_*.hpp.
#pragma once
#include <cstddef>
#include <string_view>
#include <vector>

#include "aligned.hpp"
#include "archive.hpp"
#include "kernel.hpp"
#include "network.hpp"
#include "span.hpp"

namespace hylo {

enum class Method {
  Momentum,
  Nesterov,
  Rmsprop,
  Adam,
  Adamw,
  Resilient,
  ScaledConjugate,
  Lbfgs,
  Levenberg,
  Coordinate,
  Newton
};
Method method_named(std::string_view name);
constexpr bool takes_whole_table(Method m) { return m >= Method::Resilient; }
struct OptimiserSpec {
  Method method = Method::Adam;
  double learning_rate = 0.01;
  double momentum =
      0.9;              // share of the last step that is kept (Polyak 1964; Nesterov 1983, as in Sutskever et al. 2013)
  double decay1 = 0.9;  // Adam's running mean of the gradient ...
  double decay2 = 0.999;  // ... and of its square (Kingma and Ba 2015); Rmsprop has 0.9 (Hinton 2012)
  double epsilon = 1e-8;
  double weight_decay = 0;      // Adamw's pull on the weights beside the gradient (Loshchilov and Hutter 2019)
  double gradient_clip = 0;  // longer gradients are shortened to this (Pascanu et al. 2013); 0 for never
  bool path = false;      // Coordinate: down a path of l1 penalties, of which validation rows choose
  bool evidence = false;  // Levenberg and Newton: l2 by the evidence for it, from the layers' l2 on; see method.hpp
  bool by_noise = false;  // methods that take batches: one l2 for all layers, after each epoch anew; see noise.hpp
  double cases = 0;       // how many rows the training rows count for in these; 0 for as many as they are
  double max_norm = 0;  // a unit's incoming weights are kept within this (Srivastava et al. 2014); 0 for any
};

// Goes to the one minimum: what is on the way there is no result, so that validation rows have no say.
constexpr bool goes_to_the_end(const OptimiserSpec& spec) {
  return spec.method == Method::Newton || (spec.method == Method::Lbfgs && spec.evidence) ||
         (spec.method == Method::Coordinate && !spec.path);
}

struct GradientSize {
  double norm = 0, largest = 0;
};

template <class T>
class Optimiser {
 public:
  Optimiser(const OptimiserSpec& spec, const NetworkSpec& network, const Layout<T>& layout, const Kernel<T>& kernel);
  // The rate is the spec's times `rate`. `gradient` may be shortened. Running means and variances follow those of the
  // rows.
  GradientSize step(double rate, Span<T> gradient, Span<T> parameters);
  void serialise(Archive& archive) { archive(first_, second_, power1_, power2_); }

 private:
  // Parameters that move alike.
  struct ParameterGroup {
    std::size_t from, count;
    double rate;
    bool decays;
  };
  void add_group(std::size_t from, std::size_t to, double rate, bool decays);
  void move(const ParameterGroup& group, double rate, Span<const T> gradient, Span<T> parameters);
  void bound_norms(Span<T> parameters) const;

  OptimiserSpec spec_;
  NetworkSpec network_;
  Layout<T> layout_;
  const Kernel<T>& kernel_;
  std::vector<ParameterGroup> groups_;
  AlignedVector<T> first_,
      second_;                      // momentum: velocity; Adam: means of gradient and squared gradient; Rmsprop: second
  double power1_ = 1, power2_ = 1;  // decay1 and decay2 to the number of steps
};

}  // namespace hylo
