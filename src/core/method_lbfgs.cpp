#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "method.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

constexpr std::size_t kPairs = 10;
constexpr double kDecrease = 1e-4, kCurvature = 0.9;  // Wolfe's constants

class Lbfgs : public WholeMethod {
 public:
  explicit Lbfgs(std::size_t size)
      : gradient_(size),
        direction_(size),
        trial_(size),
        slope_(size),
        steps_(kPairs, AlignedVector<double>(size)),
        turns_(kPairs, AlignedVector<double>(size)) {}

  Step step(Lowered& loss, Span<double> w) override {
    if (!begun_) value_ = loss(w, gradient_);
    begun_ = true;
    for (int attempt = 0; attempt < 2; ++attempt) {
      aim();
      if (search(loss, w)) {
        remember(w);
        std::copy(trial_.begin(), trial_.end(), w.begin());
        gradient_ = slope_;
        return {true, loss.mean_loss()};
      }
      if (stored_ == 0) break;
      stored_ = 0;  // the curvature on record is of no help here: once more from steepest descent
    }
    value_ = loss.value(w);
    return {false, loss.mean_loss()};
  }

  void serialise(Archive& archive) override {
    archive(gradient_, value_, begun_, next_, stored_, inverse_);
    archive.require(next_ < kPairs && stored_ <= kPairs);
    for (std::size_t i = 0; i < kPairs; ++i) archive(steps_[i], turns_[i]);
  }

  Span<const double> gradient() const override { return {gradient_.data(), gradient_.size()}; }

 private:
  std::size_t slot(std::size_t back) const { return (next_ + kPairs - back) % kPairs; }  // 1: the newest

  // direction = -H gradient by the two loops over the stored pairs.
  void aim() {
    for (std::size_t i = 0; i < direction_.size(); ++i) direction_[i] = -gradient_[i];
    double alpha[kPairs];
    for (std::size_t k = 1; k <= stored_; ++k) {
      const std::size_t s = slot(k);
      alpha[k - 1] = dot(steps_[s], direction_) * inverse_[s];
      add_scaled(direction_, -alpha[k - 1], turns_[s], direction_);
    }
    if (stored_ > 0) {
      const std::size_t s = slot(1);
      const double scale = 1 / (inverse_[s] * dot(turns_[s], turns_[s]));
      for (double& d : direction_) d *= scale;
    }
    for (std::size_t k = stored_; k >= 1; --k) {
      const std::size_t s = slot(k);
      const double beta = dot(turns_[s], direction_) * inverse_[s];
      add_scaled(direction_, alpha[k - 1] - beta, steps_[s], direction_);
    }
  }

  void remember(Span<const double> w) {
    double along = 0;
    for (std::size_t i = 0; i < w.size(); ++i) {
      steps_[next_][i] = trial_[i] - w[i];
      turns_[next_][i] = slope_[i] - gradient_[i];
      along += steps_[next_][i] * turns_[next_][i];
    }
    if (along <= 1e-300) return;
    inverse_[next_] = 1 / along;
    next_ = (next_ + 1) % kPairs;
    stored_ = std::min(stored_ + 1, kPairs);
  }

  struct Point {
    double at, value, slope;
  };

  Point look(Lowered& loss, Span<const double> w, double at) {
    add_scaled(w, at, direction_, trial_);
    const double value = loss(trial_, slope_);
    return {at, std::isfinite(value) ? value : std::numeric_limits<double>::infinity(), dot(slope_, direction_)};
  }

  // Nocedal and Wright's algorithms 3.5 and 3.6. On success trial_, slope_ and value_ are those of the point found.
  bool search(Lowered& loss, Span<const double> w) {
    const Point start = {0, value_, dot(gradient_, direction_)};
    if (!(start.slope < 0)) return false;
    Point before = start;
    double at = stored_ > 0 ? 1 : std::min(1.0, 1 / length_of(gradient_));
    for (int i = 0; i < 25 && !loss.interrupted(); ++i) {
      const Point here = look(loss, w, at);
      if (here.value > start.value + kDecrease * at * start.slope || (i > 0 && here.value >= before.value))
        return zoom(loss, w, start, before, here);
      if (std::fabs(here.slope) <= -kCurvature * start.slope) return take(here);
      if (here.slope >= 0) return zoom(loss, w, start, here, before);
      before = here;
      at *= 2;
    }
    return false;
  }

  bool zoom(Lowered& loss, Span<const double> w, const Point& start, Point low, Point high) {
    for (int i = 0; i < 40 && !loss.interrupted(); ++i) {
      const double at = between(low, high);
      const Point here = look(loss, w, at);
      if (here.value > start.value + kDecrease * at * start.slope || here.value >= low.value) {
        high = here;
      } else {
        if (std::fabs(here.slope) <= -kCurvature * start.slope) return take(here);
        if (here.slope * (high.at - low.at) >= 0) high = low;
        low = here;
      }
      if (std::fabs(high.at - low.at) <= 1e-14 * std::max(1.0, low.at)) break;
    }
    if (low.at == 0 || !(low.value < start.value)) return false;
    return take(look(loss, w, low.at));  // lower at least, if not Wolfe's point
  }

  // The minimum of the cubic through both points and slopes, kept off the ends.
  static double between(const Point& a, const Point& b) {
    const double middle = (a.at + b.at) / 2, width = std::fabs(b.at - a.at);
    if (!std::isfinite(b.value)) return a.at + (b.at - a.at) / 10;
    const double d1 = a.slope + b.slope - 3 * (a.value - b.value) / (a.at - b.at), square = d1 * d1 - a.slope * b.slope;
    if (square < 0) return middle;
    const double d2 = std::copysign(std::sqrt(square), b.at - a.at);
    const double at = b.at - (b.at - a.at) * (b.slope + d2 - d1) / (b.slope - a.slope + 2 * d2);
    const double low = std::min(a.at, b.at) + 0.1 * width, high = std::max(a.at, b.at) - 0.1 * width;
    return at >= low && at <= high ? at : middle;
  }

  bool take(const Point& here) {
    value_ = here.value;
    return true;
  }

  AlignedVector<double> gradient_, direction_, trial_, slope_;
  std::vector<AlignedVector<double>> steps_, turns_;
  std::vector<double> inverse_ = std::vector<double>(kPairs);
  std::size_t stored_ = 0, next_ = 0;
  double value_ = 0;
  bool begun_ = false;
};

}  // namespace

std::unique_ptr<WholeMethod> lbfgs(std::size_t size) { return std::make_unique<Lbfgs>(size); }

}  // namespace hylo
