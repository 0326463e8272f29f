#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "cholesky.hpp"
#include "gauss_newton.hpp"
#include "method.hpp"
#include "relevance.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

// Steps d with (G + L + mu I) d = -g: G the generalised Gauss-Newton matrix, L the penalties' diagonal, g the gradient.
// Where the loss is the squared error and the work is small, d is that of the least-squares problem with the same
// solution.
class Levenberg : public WholeMethod {
 public:
  Levenberg(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases)
      : loss_(loss),
        kernel_(kernel),
        by_qr_(suits_qr(loss)),
        matrix_(loss.objective(), loss.rows(), kernel, by_qr_),
        evidence_(evidence),
        side_(matrix_.side()),
        stride_(matrix_.stride()),
        padded_(loss.objective().layout().size()),
        right_(side_),
        move_(side_),
        normal_(side_ * stride_),
        trial_(padded_.size()),
        factor_(kernel, side_),
        inverse_(side_),
        relevance_(loss.objective(), cases) {
    rows_ = loss.rows().size() * matrix_.roots();
    if (by_qr_) {
      stacked_.resize(rows_ * stride_), copy_.resize((rows_ + 2 * side_) * stride_);
      errors_.resize(rows_), errors_copy_.resize(rows_ + 2 * side_), sums_.resize(side_);
    }
  }

  Step step(Lowered&, Span<double> w) override {
    look(w);
    collect(w);
    if (mu_ < 0) {  // a first damping in the measure of the problem
      double most = 0;
      for (std::size_t j = 0; j < side_; ++j) most = std::max(most, normal_[j * stride_ + j]);
      mu_ = 1e-3 * std::max(most, 1e-12);
    }
    for (int attempt = 0; attempt < 40 && !loss_.interrupted(); ++attempt) {
      if (!solve(w)) {
        raise();
        continue;
      }
      double size2 = 0, predicted = 0;
      std::copy(w.begin(), w.end(), trial_.begin());
      for (std::size_t j = 0; j < side_; ++j) {
        trial_[at(j)] += move_[j];
        size2 += move_[j] * move_[j];
        predicted += 0.5 * move_[j] * (mu_ * move_[j] - right_[j]);  // half of d'(mu d - g)
      }
      const double trial_value = loss_.unpenalised(trial_) + relevance_.penalty(trial_);
      const double gain = (value_ - trial_value) / predicted;
      if (std::isfinite(trial_value) && trial_value < value_ && gain > 0) {
        std::copy(trial_.begin(), trial_.end(), w.begin());
        const double before = value_;
        value_ = trial_value;
        mu_ *= std::max(1.0 / 3, 1 - std::pow(2 * gain - 1, 3));
        factor_of_raise_ = 2;
        const bool moved = !evidence_ || goes_on(before, w);
        return {moved, loss_.mean_loss()};
      }
      if (size2 <= 1e-30 * (1e-30 + dot(w, w))) break;
      raise();
    }
    loss_.unpenalised(w);
    return {false, loss_.mean_loss()};
  }

  void serialise(Archive& archive) override {
    relevance_.serialise(archive);
    archive(mu_, factor_of_raise_, short_steps_);
  }

  Span<const double> gradient() const override { return {padded_.data(), padded_.size()}; }
  double penalty() const override {
    return evidence_ ? relevance_.mean_l2() : WholeMethod::penalty();
  }

 private:
  // Steps that lower the value by less than this part of it, so many of them in a row, end training by evidence.
  static constexpr double kShort = 1e-6;
  static constexpr int kMostShort = 8;

  static bool suits_qr(WholeLoss& loss) {
    const auto& spec = loss.objective().spec();
    const double side = double(loss.objective().layout().parameters());
    const double values = double(loss.rows().size() * spec.layers.back().units);
    return spec.loss.loss == Loss::Squared && spec.loss.output == Output::Identity &&
           (values + 2 * side) * side * side <= kQrWork;
  }

  // The value and the gradient, with the penalty in force in the place of the one that was specified.
  void look(Span<const double> w) {
    const double value = loss_(w, padded_) - loss_.objective().penalty(w);
    for (std::size_t j = 0; j < side_; ++j) {
      right_[j] = padded_[at(j)] += relevance_.added(j) * w[at(j)];
    }
    value_ = value + relevance_.penalty(w);
  }

  void collect(Span<const double> w) {
    if (!by_qr_) return matrix_.gather(w, loss_.mean_loss(), normal_.data());
    matrix_.gather_roots(w, loss_.mean_loss(), stacked_.data());
    std::fill(normal_.begin(), normal_.end(), 0.0);
    add_product(kernel_, Extent{side_, side_, rows_}, Left<double>{stacked_.data(), 1, stride_},
                Right<double>{stacked_.data(), stride_}, Result<double>{normal_.data(), stride_});
    find_errors(w);
  }

  std::size_t at(std::size_t j) const { return relevance_.at(j); }

  // Whether there is something left to be gained, after the penalty has been set anew. Uses the matrix of the point
  // that the step came from: the next one is near.
  bool goes_on(double before, Span<const double> w) {
    const double former = value_;
    relevance_.gained((before - former) / std::fabs(before));
    if (factor(0, held())) {
      factor_.inverse_diagonal({inverse_.data(), side_});
      relevance_.weigh({inverse_.data(), side_}, w, loss_.unpenalised(w));
    }
    const bool is_short = before - former < kShort * std::fabs(before);
    short_steps_ = is_short ? short_steps_ + 1 : 0;
    return short_steps_ < kMostShort;
  }

  bool solve(Span<const double> w) {
    if (by_qr_) return solve_qr(w);
    if (!factor(mu_)) return false;
    factor_.solve(right_.data(), move_.data());
    return true;
  }

  // The errors that the roots' rows are multiplied by in the gradient.
  void find_errors(Span<const double> w);
  bool solve_qr(Span<const double> w);

  // Where evidence is asked for nothing is damped, and directions without a penalty can be without curvature too, as
  // what is common to the biases of a softmax: rounding would settle whether there is a factor. So much holds them.
  double held() const {
    double most = 0;
    for (std::size_t j = 0; j < side_; ++j) most = std::max(most, normal_[j * stride_ + j]);
    return 1e-6 * std::max(most, 1e-12);
  }

  // G + L + damping I as F F', with `unpenalised` in L where there is no penalty.
  bool factor(double damping, double unpenalised = 0) {
    for (std::size_t i = 0; i < side_; ++i) {
      double* row = factor_.row(i);
      std::copy_n(normal_.data() + i * stride_, i + 1, row);
      row[i] += (relevance_.l2(i) > 0 ? relevance_.l2(i) : unpenalised) + damping;
    }
    return factor_.factor();
  }

  void raise() {
    mu_ *= factor_of_raise_;
    factor_of_raise_ *= 2;
  }

  WholeLoss& loss_;
  const Kernel<double>& kernel_;
  bool by_qr_;
  GaussNewton matrix_;
  bool evidence_;
  std::size_t side_, stride_, rows_ = 0;
  AlignedVector<double> padded_;  // the gradient where the parameters lie
  std::vector<double> right_, move_;
  AlignedVector<double> normal_, trial_;
  Cholesky factor_;
  std::vector<double> inverse_;  // its diagonal
  Relevance relevance_;
  AlignedVector<double> stacked_, copy_;  // the roots, and what QR makes of them
  std::vector<double> errors_, errors_copy_, sums_;
  double value_ = 0, mu_ = -1, factor_of_raise_ = 2;
  int short_steps_ = 0;
};

// Of the squared error a root is sqrt(2 share) times the derivatives, and the error as many times that of the row.
void Levenberg::find_errors(Span<const double> w) {
  const auto& table = loss_.objective().table();
  const std::size_t units = matrix_.roots();
  std::vector<double> predictions(kBlockRows * units);
  std::size_t row = 0;
  for (std::size_t i = 0; i < loss_.objective().blocks(loss_.rows()); ++i) {
    const auto part = loss_.objective().block(loss_.rows(), i);
    loss_.objective().predictions(part, w, predictions.data());
    for (std::size_t r = 0; r < part.size(); ++r) {
      const double root = std::sqrt(2 * table.weight[part[r]] / double(loss_.rows().size()));
      for (std::size_t a = 0; a < units; ++a) {
        errors_[row++] = root * (predictions[r * units + a] - table.y_row(part[r])[a]);
      }
    }
  }
}

// Rows J | -e, sqrt(L) | -sqrt(L) w, sqrt(mu) | 0, by reflections.
bool Levenberg::solve_qr(Span<const double> w) {
  const std::size_t all = rows_ + 2 * side_;
  std::fill(copy_.begin(), copy_.end(), 0.0);
  std::fill(errors_copy_.begin(), errors_copy_.end(), 0.0);
  std::copy(stacked_.begin(), stacked_.end(), copy_.begin());
  for (std::size_t r = 0; r < rows_; ++r) errors_copy_[r] = -errors_[r];
  for (std::size_t j = 0; j < side_; ++j) {
    const double root = std::sqrt(relevance_.l2(j));
    copy_[(rows_ + j) * stride_ + j] = root;
    errors_copy_[rows_ + j] = -root * w[at(j)];
    copy_[(rows_ + side_ + j) * stride_ + j] = std::sqrt(mu_);
  }
  for (std::size_t j = 0; j < side_; ++j) {
    double size2 = 0;
    for (std::size_t r = j; r < all; ++r) size2 += copy_[r * stride_ + j] * copy_[r * stride_ + j];
    if (!(size2 > 0) || !std::isfinite(size2)) return false;
    const double head = copy_[j * stride_ + j], alpha = head > 0 ? -std::sqrt(size2) : std::sqrt(size2);
    const double v0 = head - alpha, scale = 2 / (size2 - 2 * alpha * head + alpha * alpha);
    copy_[j * stride_ + j] = v0;
    for (std::size_t k = j + 1; k < side_; ++k) sums_[k] = 0;
    double along = 0;
    for (std::size_t r = j; r < all; ++r) {
      const double v = copy_[r * stride_ + j];
      if (v == 0) continue;
      for (std::size_t k = j + 1; k < side_; ++k) sums_[k] += v * copy_[r * stride_ + k];
      along += v * errors_copy_[r];
    }
    for (std::size_t r = j; r < all; ++r) {
      const double v = scale * copy_[r * stride_ + j];
      if (v == 0) continue;
      for (std::size_t k = j + 1; k < side_; ++k) copy_[r * stride_ + k] -= v * sums_[k];
      errors_copy_[r] -= v * along;
    }
    copy_[j * stride_ + j] = alpha;
  }
  for (std::size_t j = side_; j-- > 0;) {
    double sum = errors_copy_[j];
    for (std::size_t k = j + 1; k < side_; ++k) sum -= copy_[j * stride_ + k] * move_[k];
    move_[j] = sum / copy_[j * stride_ + j];
  }
  return true;
}

}  // namespace

std::unique_ptr<WholeMethod> levenberg(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases) {
  return std::make_unique<Levenberg>(loss, kernel, evidence, cases);
}

}  // namespace hylo
