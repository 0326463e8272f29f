#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "evidence.hpp"
#include "method.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

// L-BFGS to the minimum under one penalty after another, each the one that the evidence of the minimum before it asks
// for. How many weights the rows determine is estimated: tr(A^-1) by probes of random signs (Hutchinson 1990), A^-1 by
// conjugate gradients (Hestenes and Stiefel 1952) over products with the Hessian, and these by differences of gradients
// on some of the rows.
class LinearEvidence : public WholeMethod {
 public:
  LinearEvidence(WholeLoss& loss, double cases)
      : loss_(loss),
        evidence_(loss.objective().spec().loss, loss.objective().layout().units(0),
                  loss.objective().layout().inputs(0) * loss.objective().layout().units(0), cases),
        size_(loss.objective().layout().size()),
        gradient_(size_),
        penalised_(size_) {
    const auto& spec = loss.objective().spec();
    const auto& layout = loss.objective().layout();
    if (spec.layers.size() != 1 || !spec.embeddings.empty())
      throw std::invalid_argument("evidence by L-BFGS is for networks without hidden layers and embeddings");
    specified_ = spec.layers[0].l2;
    l2_ = std::min(10 / cases, 1e-2);  // from above: minima are near there, and what follows begins with them
    for (std::size_t at = layout.weights_at(0); at < layout.biases_at(0); at += layout.stride(0)) {
      for (std::size_t j = 0; j < layout.units(0); ++j) penalised_[at + j] = 1;
    }
    const std::size_t rows = loss.rows().size(), every = (rows + kRowsProbed - 1) / kRowsProbed;
    for (std::size_t i = 0; i < rows; i += every) probed_.push_back(loss.rows()[i]);
    within_ = lbfgs(size_);
  }

  Step step(Lowered&, Span<double> w) override {
    Penalised lowered(*this);
    for (int i = 0; i < kStepsAtOnce && !loss_.interrupted(); ++i) {
      const double before = value_;
      const Step made = within_->step(lowered, w);
      value_ = lowered.last;
      ++steps_;
      const bool near = std::isfinite(before) && before - value_ <= near_ * (std::fabs(value_) + 1e-300);
      if (made.moved && !near && steps_ < kMostSteps) continue;
      if (loss_.interrupted()) break;
      if (!weigh(w)) done_ = true;
      break;
    }
    const Span<const double> inner = within_->gradient();
    std::copy(inner.begin(), inner.end(), gradient_.begin());
    loss_.unpenalised(w);
    return {!done_, loss_.mean_loss()};
  }

  void serialise(Archive& archive) override {
    archive(l2_, value_, near_, steps_, weighed_, done_);
    within_->serialise(archive);
  }

  Span<const double> gradient() const override { return {gradient_.data(), gradient_.size()}; }
  double penalty() const override { return l2_; }

 private:
  static constexpr std::size_t kRowsProbed = 2000;
  static constexpr int kStepsAtOnce = 10, kMostSteps = 400, kMostWeighings = 8, kProbes = 2, kMostProducts = 60;
  static constexpr double kNear = 1e-6, kRoughly = 1e-4, kSettled = 0.1, kFar = 2;

  double penalty_of(Span<const double> w) const {
    double sum = 0;
    for (std::size_t j = 0; j < size_; ++j) sum += penalised_[j] * w[j] * w[j];
    return l2_ * sum / 2;
  }

  // The loss with the penalty in force in the place of the spec's.
  struct Penalised : Lowered {
    explicit Penalised(LinearEvidence& own) : own(own) {}
    double operator()(Span<const double> w, Span<double> gradient) override {
      const double value = own.loss_(w, gradient) - own.loss_.objective().penalty(w);
      for (std::size_t j = 0; j < w.size(); ++j) gradient[j] += own.penalised_[j] * (own.l2_ - own.specified_) * w[j];
      return last = value + own.penalty_of(w);
    }
    double value(Span<const double> w) override { return last = own.loss_.unpenalised(w) + own.penalty_of(w); }
    double mean_loss() const override { return own.loss_.mean_loss(); }
    bool interrupted() override { return own.loss_.interrupted(); }

    LinearEvidence& own;
    double last = 0;
  };

  // Whether there is another penalty to go on with.
  bool weigh(Span<const double> w) {
    if (++weighed_ > kMostWeighings) return false;
    double squares = 0;
    for (std::size_t j = 0; j < size_; ++j) squares += penalised_[j] * w[j] * w[j];
    const double error = loss_.unpenalised(w), spent = l2_ * trace_of_inverse(w);
    const double determined = evidence_.determined(spent), next = evidence_.l2(determined, squares, error, determined);
    const bool far = next > kFar * l2_ || next < l2_ / kFar, settled = std::fabs(next - l2_) <= kSettled * l2_;
    if (settled && near_ <= kNear) return false;
    near_ = far ? kRoughly : kNear;
    l2_ = next;
    steps_ = 0;
    value_ = std::numeric_limits<double>::infinity();
    within_ = lbfgs(size_);
    return true;
  }

  double trace_of_inverse(Span<const double> w) {
    WholeLoss some(loss_.objective(), {probed_.data(), probed_.size()}, double(probed_.size()));
    AlignedVector<double> here(size_), there(size_), moved(size_), sign(size_), x(size_), r(size_), p(size_), ap(size_);
    some(w, here);
    // A p, with the spec's own penalty taken off and the one in force put on
    const auto multiply = [&] {
      const double length = length_of(p), reach = 1e-5 * (1 + length_of(w)) / std::max(length, 1e-300);
      add_scaled(w, reach, p, moved);
      some(moved, there);
      for (std::size_t j = 0; j < size_; ++j)
        ap[j] = (there[j] - here[j]) / reach + penalised_[j] * (l2_ - specified_) * p[j];
    };
    double sum = 0;
    std::uint64_t bits = 0x9e3779b97f4a7c15u;
    for (int probe = 0; probe < kProbes; ++probe) {
      for (std::size_t j = 0; j < size_; ++j) {
        bits = bits * 6364136223846793005u + 1442695040888963407u;
        sign[j] = penalised_[j] * ((bits >> 63) != 0 ? 1 : -1);
      }
      std::fill(x.begin(), x.end(), 0.0);
      r = sign;
      p = r;
      double square = dot(r, r);
      const double first = square;
      for (int i = 0; i < kMostProducts && square > 1e-6 * first && !loss_.interrupted(); ++i) {
        multiply();
        const double along = dot(p, ap);
        if (!(along > 0)) break;
        const double step = square / along;
        add_scaled(x, step, p, x);
        add_scaled(r, -step, ap, r);
        const double next = dot(r, r), ratio = next / square;
        for (std::size_t j = 0; j < size_; ++j) p[j] = r[j] + ratio * p[j];
        square = next;
      }
      sum += dot(sign, x);
    }
    return sum / kProbes;
  }

  WholeLoss& loss_;
  Evidence evidence_;
  std::size_t size_;
  AlignedVector<double> gradient_, penalised_;  // 1 for each weight under the penalty
  std::vector<std::uint32_t> probed_;
  std::unique_ptr<WholeMethod> within_;
  double specified_ = 0, l2_ = 0, near_ = kRoughly, value_ = std::numeric_limits<double>::infinity();
  int steps_ = 0, weighed_ = 0;
  bool done_ = false;
};

}  // namespace

std::unique_ptr<WholeMethod> linear_evidence(WholeLoss& loss, double cases) {
  return std::make_unique<LinearEvidence>(loss, cases);
}

}  // namespace hylo
