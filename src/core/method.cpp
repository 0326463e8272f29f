#include "contraction.hpp"

#include "method.hpp"

#include <stdexcept>

namespace hylo {

double WholeLoss::operator()(Span<const double> parameters, Span<double> gradient) {
  last_ = objective_.gradient(rows_, parameters, nullptr, gradient);
  return last_ * share_ + objective_.penalty(parameters);
}

double WholeLoss::value(Span<const double> parameters) {
  last_ = objective_.loss(rows_, parameters);
  return last_ * share_ + objective_.penalty(parameters);
}

double WholeLoss::unpenalised(Span<const double> parameters) {
  last_ = objective_.loss(rows_, parameters);
  return last_ * share_;
}

std::unique_ptr<WholeMethod> whole_method(const OptimiserSpec& spec, WholeLoss& loss, const Kernel<double>& kernel) {
  const Layout<double>& layout = loss.objective().layout();
  const double cases = spec.cases > 0 ? spec.cases : double(loss.rows().size());
  switch (spec.method) {
    case Method::Resilient: return resilient(layout.size());
    case Method::ScaledConjugate: return scaled_conjugate(layout.size(), layout.parameters());
    case Method::Lbfgs: return spec.evidence ? linear_evidence(loss, cases) : lbfgs(layout.size());
    case Method::Levenberg: {
      const bool solved = layout.parameters() <= kMostEquations;
      return (solved ? levenberg : hessian_free)(loss, kernel, spec.evidence, cases);
    }
    case Method::Coordinate: return coordinate_descent(loss, kernel, spec.path);
    case Method::Newton: return newton(loss, kernel, spec.evidence, cases);
    default: throw std::invalid_argument("not a method for whole tables");
  }
}

}  // namespace hylo
