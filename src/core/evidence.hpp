// What the rows say of a network's penalty (MacKay 1992): for a likelihood of dispersion f,
// with g of its weights determined by n cases,
//   l2 = f g / (n sum w^2).
#pragma once
#include <algorithm>
#include <cstddef>

#include "curvature.hpp"
#include "loss.hpp"

namespace hylo {

class Evidence {
 public:
  static constexpr double kLeastL2 = 1e-12, kMostL2 = 1e3;

  // `units` are the output layer's, `weights` those under the penalty.
  Evidence(const LossSpec& loss, std::size_t units, std::size_t weights, double cases)
      : loss_(record_of(loss.loss)),
        diagonal_(Curvature(loss, units).diagonal()),
        units_(units),
        weights_(weights),
        cases_(cases),
        softmax_(loss.output == Output::Softmax) {}

  double cases() const { return cases_; }
  // Observed values, each with a likelihood of its own: of several targets each case has several.
  double values() const { return diagonal_ ? cases_ * double(units_) : cases_; }
  std::size_t weights() const { return weights_; }
  bool softmax() const { return softmax_; }
  bool has_dispersion() const { return loss_.likelihood != Likelihood::Known; }

  // Evidence can have several maxima. With rows enough for all weights it is the one with the least penalty, which is
  // the nearest to what the likelihood alone says; else that would be the one where nothing is left to be explained.
  double first_l2() const { return double(weights_) < 0.9 * cases_ * double(units_) ? 1e-3 / cases_ : 1e-2; }

  // Weights that the rows determine, where the penalty's part of all of them is `spent`. Directions that change
  // nothing, such as what is common to all classes of a softmax, are spent whole.
  double determined(double spent) const {
    const double most = softmax_ ? values() * double(units_ - 1) : values();
    return std::min(std::max(double(weights()) - spent, 1e-3), 0.99 * most);
  }

  // Of weights that share a penalty: how many of them the rows determine, and the sum of their squares. `error` is the
  // mean loss without penalties, `all` how many of all weights the rows determine.
  double l2(double determined, double squares, double error, double all) const {
    const double factor = loss_.likelihood_factor;
    const double dispersion = has_dispersion() ? dispersion_of(error, cases_ / (values() - all)) : factor;
    const double next = dispersion / factor * determined / (cases_ * std::max(squares, 1e-12));
    return std::min(std::max(next, kLeastL2), kMostL2);
  }

 private:
  // For the degrees of freedom that are left: the variance of errors, their mean size where the loss is that, and else
  // the deviance a row.
  double dispersion_of(double error, double correction) const { return loss_.dispersion_factor * error * correction; }

  const LossRecord& loss_;
  bool diagonal_;
  std::size_t units_, weights_;
  double cases_;
  bool softmax_;
};

}  // namespace hylo
