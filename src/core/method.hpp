// The methods that look at the whole table before each step, in double precision. One step is one epoch.
#pragma once
#include <cstdint>
#include <functional>
#include <limits>
#include <memory>
#include <vector>

#include "archive.hpp"
#include "objective.hpp"
#include "optimiser.hpp"

namespace hylo {

// What a method lowers: a function of the parameters and its gradient.
class Lowered {
 public:
  virtual ~Lowered() = default;
  virtual double operator()(Span<const double> parameters, Span<double> gradient) = 0;
  virtual double value(Span<const double> parameters) = 0;
  virtual double mean_loss() const = 0;         // at the parameters of the last call, without penalties
  virtual bool interrupted() { return false; }  // looked at between calls; a method then gives up its step
};

// Mean loss plus penalties over all training rows. Squared errors can be had row by row too.
class WholeLoss : public Lowered {
 public:
  WholeLoss(Objective<double>& objective, Span<const std::uint32_t> rows, double weight)
      : objective_(objective), rows_(rows), share_(1 / double(rows.size())), weight_(weight) {}

  double operator()(Span<const double> parameters, Span<double> gradient) override;
  double value(Span<const double> parameters) override;
  double unpenalised(Span<const double> parameters);
  double mean_loss() const override { return last_ / weight_; }  // over the sum of weights
  bool interrupted() override { return stop_requested && stop_requested(); }
  void serialise(Archive& archive) { archive(last_); }

  Objective<double>& objective() { return objective_; }
  Span<const std::uint32_t> rows() const { return rows_; }

  std::function<bool()> stop_requested;

 private:
  Objective<double>& objective_;
  Span<const std::uint32_t> rows_;
  double share_, weight_, last_ = 0;
};

struct Step {
  bool moved = true;  // false when no lower loss could be found from here
  double loss = 0;    // mean loss without penalties at the new parameters
};

class WholeMethod {
 public:
  virtual ~WholeMethod() = default;
  virtual Step step(Lowered& loss, Span<double> parameters) = 0;
  virtual Span<const double> gradient() const = 0;  // at the parameters from which the last step was taken, or after it
  virtual void serialise(Archive& archive) = 0;          // all that the next step depends on
  // What the data chose: l2 by evidence, of several their geometric mean, weight by weight; l1 on a path.
  virtual double penalty() const { return std::numeric_limits<double>::quiet_NaN(); }
};

// `loss` is what the steps of Levenberg and Newton will be given; the others take any.
std::unique_ptr<WholeMethod> whole_method(const OptimiserSpec& spec, WholeLoss& loss, const Kernel<double>& kernel);

// Resilient propagation: the step of each weight grows while the sign of its slope stays and shrinks when it turns
// (Riedmiller and Braun 1993; without backtracking as in Igel and Huesken 2003).
std::unique_ptr<WholeMethod> resilient(std::size_t size);
// Scaled conjugate gradient (Moller 1993).
std::unique_ptr<WholeMethod> scaled_conjugate(std::size_t size, std::size_t unknowns);
// L-BFGS with ten pairs and a line search for the strong Wolfe conditions (Liu and Nocedal 1989; Nocedal and Wright
// 2006).
std::unique_ptr<WholeMethod> lbfgs(std::size_t size);
// Levenberg-Marquardt (Marquardt 1963) on the generalised Gauss-Newton matrix (gauss_newton.hpp), with the damping of
// Madsen, Nielsen and Tingleff (2004): for the squared error what that name has always meant. Of a squared error the
// damped least-squares problem is solved by Householder's QR up to kQrWork multiplications, which keeps all digits;
// beyond, and for other losses, by Cholesky on the normal equations, whose cost doesn't grow with the rows.
//
// With `evidence` the penalties are set anew after each step, so that the weights are as large as the data speak for
// (MacKay 1992; Foresee and Hagan 1997): with g = k - l2 tr(A^-1) the effective number of the k weights that share a
// penalty, A the matrix with the penalties, the trace over these weights, and a likelihood of dispersion f,
//   l2 = f g / (n sum w^2).
// Training ends where steps no longer lower the loss by a part that tells.
// `cases` are the rows that those of the loss count for.
std::unique_ptr<WholeMethod> levenberg(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases);
inline constexpr double kQrWork = 2e6;
// The same beyond kMostEquations parameters, where the matrix is not formed: by conjugate gradients on products with it
// (Martens 2010), and the traces by probes of random signs.
std::unique_ptr<WholeMethod> hessian_free(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases);
inline constexpr std::size_t kMostEquations = 2000;
// Newton's method with expected second derivatives (Fisher scoring: McCullagh and Nelder 1989), for networks without
// hidden layers and embeddings. The losses without curvature are lowered by parabolas above them (Hunter and Lange
// 2000). With `evidence` the penalty is set anew once the steps are short, as above: for a likelihood of dispersion f,
//   l2 = f g / (n sum w^2).
std::unique_ptr<WholeMethod> newton(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases);
// The minimum under an l1 penalty, for networks without hidden layers and embeddings, whose weights are 0 where the
// rows tell too little: coordinate by coordinate on parabolas that touch the loss (Friedman, Hastie and Tibshirani
// 2010), with the weights that can't differ from 0 left out and looked at again at the end (Tibshirani et al. 2012).
// One step is one penalty, from the one under which all weights are 0: down a `path`, of which validation rows choose,
// or to the specified one.
std::unique_ptr<WholeMethod> coordinate_descent(WholeLoss& loss, const Kernel<double>& kernel, bool path);
// The same penalty by evidence as Newton's where there are too many weights for equations in all of them: L-BFGS, and
// an estimate of how many of them the rows determine.
std::unique_ptr<WholeMethod> linear_evidence(WholeLoss& loss, double cases);

}  // namespace hylo
