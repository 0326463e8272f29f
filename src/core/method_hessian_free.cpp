#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "gauss_newton.hpp"
#include "method.hpp"
#include "relevance.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

// The steps d of (G + L + mu I) d = -g as in method_levenberg.cpp, where there are too many parameters for the matrix:
// by conjugate gradients (Hestenes and Stiefel 1952) on products with it. Vectors are padded as the parameters are.
class HessianFree : public WholeMethod {
 public:
  HessianFree(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases)
      : loss_(loss),
        matrix_(loss.objective(), loss.rows(), kernel),
        evidence_(evidence),
        relevance_(loss.objective(), cases),
        size_(loss.objective().layout().size()),
        inverse_(relevance_.side()),
        taken_(relevance_.side()) {
    for (auto* one : {&gradient_, &trial_, &x_, &r_, &z_, &p_, &ap_, &l2_, &sign_}) one->resize(size_);
  }

  Step step(Lowered&, Span<double> w) override {
    look(w);
    matrix_.look(w, loss_.mean_loss());
    draw_signs();
    matrix_.multiply(w, sign_, ap_);
    curvature_ = std::max(dot(sign_, ap_) / double(relevance_.side()), 1e-12);
    if (mu_ < 0) mu_ = kFirstDamping * curvature_;
    for (int attempt = 0; attempt < kMostAttempts && !loss_.interrupted(); ++attempt) {
      for (std::size_t j = 0; j < size_; ++j) r_[j] = -gradient_[j];
      solve(w, mu_, mu_, kMostProducts);
      // b'x - x'(G + L)x / 2, where (G + L + mu) x = b - r
      double predicted = 0;
      for (std::size_t j = 0; j < size_; ++j) predicted += x_[j] * (r_[j] - gradient_[j] + mu_ * x_[j]) / 2;
      add_scaled(w, 1, x_, trial_);
      const double trial_value = loss_.unpenalised(trial_) + relevance_.penalty(trial_);
      const double gain = (value_ - trial_value) / predicted, size2 = dot(x_, x_);
      if (std::isfinite(trial_value) && trial_value < value_ && gain > 0) {
        std::copy(trial_.begin(), trial_.end(), w.begin());
        const double before = value_;
        value_ = trial_value;
        mu_ = std::max(mu_ * std::max(1.0 / 3, 1 - std::pow(2 * gain - 1, 3)), kLeastDamping * curvature_);
        factor_of_raise_ = 2;
        ++steps_;
        const bool moved = !evidence_ || goes_on(before, w);
        return {moved, loss_.mean_loss()};
      }
      if (size2 <= 1e-30 * (1e-30 + dot(w, w))) break;
      mu_ *= factor_of_raise_;
      factor_of_raise_ *= 2;
    }
    loss_.unpenalised(w);
    return {false, loss_.mean_loss()};
  }

  void serialise(Archive& archive) override {
    relevance_.serialise(archive);
    archive(mu_, factor_of_raise_, steps_, short_steps_, taken_, drawn_);
  }

  Span<const double> gradient() const override { return {gradient_.data(), size_}; }
  double penalty() const override { return evidence_ ? relevance_.mean_l2() : WholeMethod::penalty(); }

 private:
  static constexpr double kFirstDamping = 1e-2, kLeastDamping = 1e-8;  // in mean curvatures
  static constexpr int kMostAttempts = 40, kMostProducts = 250;
  // Conjugate gradients end where what a tenth of the products (at least ten) have gained is as small a part of all
  // that was gained (Martens 2010).
  static constexpr double kGained = 5e-4;
  static constexpr int kLeastLooked = 10;
  // How often the penalties are set anew, each time from one vector of random signs.
  static constexpr int kStepsBetween = 3, kMostProbed = 60;
  static constexpr double kKept = 0.5;  // of what former probes said
  // Steps that lower the value by less than this part of it, so many of them in a row, end training by evidence.
  static constexpr double kShort = 1e-6;
  static constexpr int kMostShort = 8;

  void look(Span<const double> w) {
    const double value = loss_(w, gradient_) - loss_.objective().penalty(w);
    for (std::size_t j = 0; j < relevance_.side(); ++j) {
      gradient_[relevance_.at(j)] += relevance_.added(j) * w[relevance_.at(j)];
    }
    value_ = value + relevance_.penalty(w);
    set_l2();
  }

  void set_l2() {
    for (std::size_t j = 0; j < relevance_.side(); ++j) l2_[relevance_.at(j)] = relevance_.l2(j);
  }

  void draw_signs() {
    std::uint64_t bits = 0x9e3779b97f4a7c15u * ++drawn_;
    for (std::size_t j = 0; j < relevance_.side(); ++j) {
      bits = bits * 6364136223846793005u + 1442695040888963407u;
      sign_[relevance_.at(j)] = (bits >> 63) != 0 ? 1 : -1;
    }
  }

  // x of (G + L + damping) x = r, from 0; r becomes what is left of it. `unpenalised` is in the place of the damping
  // where there is no penalty.
  void solve(Span<const double> w, double damping, double unpenalised, int most) {
    const auto held = [&](std::size_t j) { return l2_[j] + (l2_[j] > 0 ? damping : unpenalised); };
    const auto precondition = [&] {
      for (std::size_t j = 0; j < size_; ++j) z_[j] = r_[j] / (held(j) + curvature_);
    };
    std::fill(x_.begin(), x_.end(), 0.0);
    precondition();
    std::copy(z_.begin(), z_.end(), p_.begin());
    double along = dot(r_, z_), gained = 0;
    const double first = along;
    gains_.clear();
    for (int i = 0; i < most && along > 1e-20 * first && !loss_.interrupted(); ++i) {
      matrix_.multiply(w, p_, ap_);
      for (std::size_t j = 0; j < size_; ++j) ap_[j] += held(j) * p_[j];
      const double curved = dot(p_, ap_);
      if (!(curved > 0)) return;
      const double length = along / curved;
      add_scaled(x_, length, p_, x_);
      add_scaled(r_, -length, ap_, r_);
      gained += length * along / 2;
      gains_.push_back(gained);
      const std::size_t back = std::max<std::size_t>(kLeastLooked, gains_.size() / 10);
      if (gains_.size() > back && gained - gains_[gains_.size() - 1 - back] < kGained * double(back) * gained) return;
      precondition();
      const double next = dot(r_, z_), ratio = next / along;
      for (std::size_t j = 0; j < size_; ++j) p_[j] = z_[j] + ratio * p_[j];
      along = next;
    }
  }

  // Whether there is something left to be gained, after the penalties have been set anew.
  bool goes_on(double before, Span<const double> w) {
    const double former = value_;
    relevance_.gained((before - former) / std::fabs(before));
    if (steps_ % kStepsBetween == 1) {
      estimate_inverse(w);
      relevance_.weigh({inverse_.data(), inverse_.size()}, w, loss_.unpenalised(w));
    }
    short_steps_ = before - former < kShort * std::fabs(before) ? short_steps_ + 1 : 0;
    return short_steps_ < kMostShort;
  }

  // Of the diagonal of A^-1 (Hutchinson 1990; Bekas, Kokiopoulou and Saad 2007).
  void estimate_inverse(Span<const double> w) {
    matrix_.look(w, loss_.mean_loss());
    draw_signs();
    std::copy(sign_.begin(), sign_.end(), r_.begin());
    solve(w, 0, 1e-6 * curvature_, kMostProbed);
    for (std::size_t j = 0; j < inverse_.size(); ++j) inverse_[j] = sign_[relevance_.at(j)] * x_[relevance_.at(j)];
    // as shares of the prior's variance, which stay near when penalties change
    for (std::size_t j = 0; j < inverse_.size(); ++j) {
      if (relevance_.l2(j) == 0) continue;
      const double share = relevance_.l2(j) * inverse_[j];
      taken_[j] = steps_ == 1 ? share : kKept * taken_[j] + (1 - kKept) * share;
      inverse_[j] = taken_[j] / relevance_.l2(j);
    }
  }

  WholeLoss& loss_;
  GaussNewton matrix_;
  bool evidence_;
  Relevance relevance_;
  std::size_t size_;
  AlignedVector<double> gradient_, trial_, x_, r_, z_, p_, ap_, l2_, sign_;
  std::vector<double> inverse_, taken_, gains_;
  double value_ = 0, mu_ = -1, factor_of_raise_ = 2, curvature_ = 1;
  int steps_ = 0, short_steps_ = 0;
  std::uint32_t drawn_ = 0;  // vectors of signs
};

}  // namespace

std::unique_ptr<WholeMethod> hessian_free(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases) {
  return std::make_unique<HessianFree>(loss, kernel, evidence, cases);
}

}  // namespace hylo
