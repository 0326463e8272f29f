#include "contraction.hpp"

#include <algorithm>
#include <cmath>

#include "method.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

// The names of the paper's algorithm 3.1: p direction, r steepest descent, s second-order information along p, delta
// its curvature, lambda the scale, Delta the comparison of the quadratic model with the function.
class ScaledConjugate : public WholeMethod {
 public:
  ScaledConjugate(std::size_t size, std::size_t unknowns)
      : unknowns_(unknowns), gradient_(size), r_(size), p_(size), trial_(size), slope_(size) {}

  Step step(Lowered& loss, Span<double> w) override {
    if (!begun_) {
      value_ = loss(w, gradient_);
      steepest();
      begun_ = true;
    }
    for (int attempt = 0; attempt < 60 && !loss.interrupted(); ++attempt) {
      const double size2 = dot(p_, p_);
      if (size2 == 0) break;
      if (fresh_) {  // curvature along p by a difference of gradients
        const double sigma = 1e-6 / std::sqrt(size2);
        add_scaled(w, sigma, p_, trial_);
        loss(trial_, slope_);
        delta_ = 0;
        for (std::size_t i = 0; i < w.size(); ++i) delta_ += p_[i] * (slope_[i] - gradient_[i]) / sigma;
        scaled_ = 0;
      }
      delta_ += (lambda_ - scaled_) * size2;
      scaled_ = lambda_;
      if (delta_ <= 0) {  // not convex along p: enough is added to lambda to make it so
        lambda_ = 2 * (lambda_ - delta_ / size2);
        delta_ = -delta_ + scaled_ * size2;
        scaled_ = lambda_;
      }
      const double mu = dot(p_, r_), alpha = mu / delta_;
      add_scaled(w, alpha, p_, trial_);
      const double trial_value = loss(trial_, slope_);
      const double compare = 2 * delta_ * (value_ - trial_value) / (mu * mu);
      if (!(compare >= 0) || !(trial_value <= value_)) {
        fresh_ = false;
        lambda_ =
            std::isfinite(compare) ? std::max(lambda_ + delta_ * (1 - compare) / size2, 4 * lambda_) : 10 * lambda_;
        if (lambda_ > 1e40) break;
        continue;
      }
      std::copy(trial_.begin(), trial_.end(), w.begin());
      value_ = trial_value;
      double along = 0, new2 = 0;
      for (std::size_t i = 0; i < w.size(); ++i) along += slope_[i] * gradient_[i], new2 += slope_[i] * slope_[i];
      gradient_ = slope_;
      fresh_ = true;
      if (++since_restart_ >= unknowns_) {
        steepest();
      } else {
        const double beta = (new2 - along) / mu;
        for (std::size_t i = 0; i < w.size(); ++i) r_[i] = -gradient_[i], p_[i] = r_[i] + beta * p_[i];
        if (dot(p_, r_) <= 0) steepest();
      }
      if (compare >= 0.75) lambda_ = std::max(lambda_ / 4, 1e-20);
      if (compare < 0.25) lambda_ += delta_ * (1 - compare) / size2;
      return {true, loss.mean_loss()};
    }
    return {false, loss.mean_loss()};
  }

  void serialise(Archive& archive) override {
    archive(gradient_, r_, p_, value_, lambda_, scaled_, delta_, since_restart_, begun_, fresh_);
  }

  Span<const double> gradient() const override { return {gradient_.data(), gradient_.size()}; }

 private:
  void steepest() {
    for (std::size_t i = 0; i < p_.size(); ++i) p_[i] = r_[i] = -gradient_[i];
    since_restart_ = 0;
    fresh_ = true;
  }

  std::size_t unknowns_, since_restart_ = 0;
  AlignedVector<double> gradient_, r_, p_, trial_, slope_;
  double value_ = 0, lambda_ = 1e-6, scaled_ = 0, delta_ = 0;
  bool begun_ = false, fresh_ = true;
};

}  // namespace

std::unique_ptr<WholeMethod> scaled_conjugate(std::size_t size, std::size_t unknowns) {
  return std::make_unique<ScaledConjugate>(size, unknowns);
}

}  // namespace hylo
