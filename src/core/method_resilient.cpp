#include "contraction.hpp"

#include <algorithm>
#include <cmath>

#include "method.hpp"

namespace hylo {

namespace {

constexpr double kGrow = 1.2, kShrink = 0.5, kFirst = 0.01, kLongest = 50, kShortest = 1e-9;

class Resilient : public WholeMethod {
 public:
  explicit Resilient(std::size_t size) : gradient_(size), former_(size), length_(size, kFirst) {}

  Step step(Lowered& loss, Span<double> w) override {
    if (!begun_) loss(w, gradient_);
    begun_ = true;
    for (std::size_t i = 0; i < w.size(); ++i) {
      const double turn = gradient_[i] * former_[i];
      if (turn > 0) length_[i] = std::min(length_[i] * kGrow, kLongest);
      if (turn < 0) {
        length_[i] = std::max(length_[i] * kShrink, kShortest);
        gradient_[i] = 0;  // stays where it is until the next slope is seen
      }
      if (gradient_[i] != 0) w[i] -= std::copysign(length_[i], gradient_[i]);
    }
    std::swap(former_, gradient_);
    loss(w, gradient_);
    return {true, loss.mean_loss()};
  }

  void serialise(Archive& archive) override { archive(gradient_, former_, length_, begun_); }

  Span<const double> gradient() const override { return {gradient_.data(), gradient_.size()}; }

 private:
  AlignedVector<double> gradient_, former_, length_;
  bool begun_ = false;
};

}  // namespace

std::unique_ptr<WholeMethod> resilient(std::size_t size) { return std::make_unique<Resilient>(size); }

}  // namespace hylo
