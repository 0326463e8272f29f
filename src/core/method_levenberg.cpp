#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "cholesky.hpp"
#include "method.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

// Lowers sum e^2 + l2 terms. With J and e scaled as Objective::jacobian does, the step d solves
//   (2 J'J + L + mu I) d = -(2 J'e + L w), L the penalties' diagonal, or the least-squares problem of the same
//   solution.
class Levenberg : public WholeMethod {
 public:
  Levenberg(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases)
      : loss_(loss),
        kernel_(kernel),
        evidence_(evidence),
        cases_(cases),
        side_(loss.objective().layout().parameters()),
        stride_(row_stride<double>(side_)),
        padded_(loss.objective().layout().size()),
        at_(side_),
        diagonal_(side_),
        right_(side_),
        move_(side_),
        normal_(side_ * stride_),
        trial_(padded_.size()) {
    std::size_t next = 0;
    const auto& layout = loss.objective().layout();
    layout.each([&](std::size_t at, bool) { at_[next++] = at; });
    rows_ = loss.rows().size() * layout.units(layout.layers() - 1);
    by_qr_ = double(rows_ + 2 * side_) * double(side_) * double(side_) <= kQrWork;
    if (by_qr_)
      stacked_.resize(rows_ * stride_), copy_.resize((rows_ + 2 * side_) * stride_), errors_.resize(rows_),
          errors_copy_.resize(rows_ + 2 * side_);
  }

  Step step(Lowered&, Span<double> w) override {
    if (!begun_) begin(w);
    collect(w);
    if (mu_ < 0) {  // a first damping in the measure of the problem
      double most = 0;
      for (std::size_t j = 0; j < side_; ++j) most = std::max(most, column_square(j));
      mu_ = 1e-3 * std::max(most, 1e-12);
    }
    for (int attempt = 0; attempt < 40 && !loss_.interrupted(); ++attempt) {
      if (!solve()) {
        raise();
        continue;
      }
      double size2 = 0, predicted = 0;
      std::copy(w.begin(), w.end(), trial_.begin());
      for (std::size_t j = 0; j < side_; ++j) {
        trial_[at_[j]] += move_[j];
        size2 += move_[j] * move_[j];
        predicted += 0.5 * move_[j] * (mu_ * move_[j] - right_[j]);  // half of d'(mu d - g)
      }
      const double trial_value = loss_.unpenalised(trial_) + penalty(trial_);
      const double gain = (value_ - trial_value) / predicted;
      if (std::isfinite(trial_value) && trial_value < value_ && gain > 0) {
        std::copy(trial_.begin(), trial_.end(), w.begin());
        value_ = trial_value;
        mu_ *= std::max(1.0 / 3, 1 - std::pow(2 * gain - 1, 3));
        factor_ = 2;
        if (evidence_) weigh_evidence(w);
        return {true, loss_.mean_loss()};
      }
      if (size2 <= 1e-30 * (1e-30 + dot(w, w))) break;
      raise();
    }
    loss_.unpenalised(w);
    return {false, loss_.mean_loss()};
  }

  void serialise(Archive& archive) override { archive(diagonal_, value_, mu_, factor_, begun_); }

  Span<const double> gradient() const override { return {padded_.data(), padded_.size()}; }
  double l2() const override {
    return evidence_ ? *std::max_element(diagonal_.begin(), diagonal_.end()) : WholeMethod::l2();
  }

 private:
  double penalty(Span<const double> w) const {
    double sum = 0;
    for (std::size_t j = 0; j < side_; ++j) sum += diagonal_[j] * w[at_[j]] * w[at_[j]];
    return sum / 2;
  }

  // Uses the J'J of the point that the step came from: the next one is near.
  void weigh_evidence(Span<const double> w) {
    if (by_qr_) gather_normal();
    if (!factor_normal(0)) return;
    double weights = 0, squares = 0, spent = 0;
    for (std::size_t j = 0; j < side_; ++j) {
      if (diagonal_[j] == 0) continue;
      ++weights;
      squares += w[at_[j]] * w[at_[j]];
      spent += diagonal_[j] * inverse_diagonal(j);
    }
    const double n = cases_ * double(loss_.objective().layout().units(loss_.objective().layout().layers() - 1)),
                 effective = std::min(std::max(weights - spent, 1e-3), 0.99 * n);
    const double error = loss_.unpenalised(w);
    const double l2 =
        std::min(std::max(2 * effective * error / (std::max(squares, 1e-12) * (n - effective)), 1e-12), 1e3);
    for (double& d : diagonal_) d = d > 0 ? l2 : 0;
    value_ = error + penalty(w);
  }

  // normal += rows' rows
  void add_square(const double* rows, std::size_t count, std::size_t stride) {
    kernel_.multiply(Product<double>{Extent{side_, side_, count}, Left<double>{rows, 1, stride},
                                     Right<double>{rows, stride}, Result<double>{normal_.data(), stride_},
                                     Origin<double>{normal_.data(), stride_}});
  }

  void gather_normal() {
    std::fill(normal_.begin(), normal_.end(), 0.0);
    add_square(stacked_.data(), rows_, stride_);
  }

  // (A^-1)_jj = |L^-1 e_j|^2 for A = L L'.
  double inverse_diagonal(std::size_t j) {
    double square = 0;
    for (std::size_t i = j; i < side_; ++i) {
      double sum = i == j ? 1 : 0;
      for (std::size_t k = j; k < i; ++k) sum -= factor_normal_[i * stride_ + k] * sums_[k];
      sums_[i] = sum / factor_normal_[i * stride_ + i];
      square += sums_[i] * sums_[i];
    }
    return square;
  }

  void begin(Span<const double> w) {
    value_ = loss_(w, padded_);
    const auto& spec = loss_.objective().spec();
    const auto& layout = loss_.objective().layout();
    for (std::size_t j = 0; j < side_; ++j) {
      const std::size_t at = at_[j];
      if (at < layout.weights_at(0)) diagonal_[j] = spec.embedding_l2;
      for (std::size_t l = 0; l < layout.layers(); ++l) {
        if (at >= layout.weights_at(l) && at < layout.biases_at(l)) diagonal_[j] = spec.layers[l].l2;
      }
      if (layout.has_skip() && at >= layout.skip_at() && at < layout.gaps_at()) diagonal_[j] = spec.skip->l2;
    }
    begun_ = true;
  }

  // J and e of the current parameters, or J'J and J'e; and right_ = 2 J'e + L w, the gradient.
  void collect(Span<const double> w) {
    auto& objective = loss_.objective();
    std::fill(normal_.begin(), normal_.end(), 0.0);
    std::fill(right_.begin(), right_.end(), 0.0);
    std::size_t row = 0;
    for (std::size_t i = 0; i < objective.jacobian_blocks(loss_.rows()); ++i) {
      const auto j = objective.jacobian(loss_.rows(), w, i);
      for (std::size_t r = 0; r < j.count; ++r) {
        const double* slopes = j.rows + r * j.stride;
        for (std::size_t k = 0; k < side_; ++k) right_[k] += 2 * slopes[k] * j.errors[r];
        if (by_qr_) {
          std::copy_n(slopes, stride_, stacked_.data() + row * stride_);
          errors_[row] = j.errors[r];
        }
        ++row;
      }
      if (!by_qr_) add_square(j.rows, j.count, j.stride);
    }
    std::fill(padded_.begin(), padded_.end(), 0.0);
    for (std::size_t k = 0; k < side_; ++k) {
      penalty_pull_[k] = diagonal_[k] * w[at_[k]];
      right_[k] += penalty_pull_[k];
      padded_[at_[k]] = right_[k];
    }
  }

  double column_square(std::size_t j) const {
    if (!by_qr_) return 2 * normal_[j * stride_ + j];
    double sum = 0;
    for (std::size_t r = 0; r < rows_; ++r) sum += 2 * stacked_[r * stride_ + j] * stacked_[r * stride_ + j];
    return sum;
  }

  bool solve() { return by_qr_ ? solve_qr() : solve_cholesky(); }

  // Rows sqrt(2) J | -sqrt(2) e, sqrt(L) | -sqrt(L) w, sqrt(mu) | 0, by reflections.
  bool solve_qr() {
    const std::size_t all = rows_ + 2 * side_;
    const double root2 = std::sqrt(2.0);
    std::fill(copy_.begin(), copy_.end(), 0.0);
    std::fill(errors_copy_.begin(), errors_copy_.end(), 0.0);
    for (std::size_t r = 0; r < rows_; ++r) {
      for (std::size_t j = 0; j < side_; ++j) copy_[r * stride_ + j] = root2 * stacked_[r * stride_ + j];
      errors_copy_[r] = -root2 * errors_[r];
    }
    for (std::size_t j = 0; j < side_; ++j) {
      const double root = std::sqrt(diagonal_[j]);
      copy_[(rows_ + j) * stride_ + j] = root;
      errors_copy_[rows_ + j] = root > 0 ? -penalty_pull_[j] / root : 0;
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

  // The lower triangle of 2 J'J + L + damping I as L L'.
  bool factor_normal(double damping) {
    if (factor_normal_.empty()) factor_normal_.resize(normal_.size());
    for (std::size_t i = 0; i < side_; ++i) {
      for (std::size_t j = 0; j <= i; ++j) factor_normal_[i * stride_ + j] = 2 * normal_[i * stride_ + j];
      factor_normal_[i * stride_ + i] += diagonal_[i] + damping;
    }
    return cholesky(factor_normal_.data(), side_, stride_);
  }

  bool solve_cholesky() {
    if (!factor_normal(mu_)) return false;
    const auto& factor = factor_normal_;
    solve_lower(factor.data(), side_, stride_, right_.data(), move_.data());
    for (std::size_t i = side_; i-- > 0;) {
      double sum = move_[i];
      for (std::size_t k = i + 1; k < side_; ++k) sum -= factor[k * stride_ + i] * move_[k];
      move_[i] = sum / factor[i * stride_ + i];
    }
    return true;
  }

  void raise() {
    mu_ *= factor_;
    factor_ *= 2;
  }

  WholeLoss& loss_;
  const Kernel<double>& kernel_;
  bool evidence_;
  double cases_;
  std::size_t side_, stride_;
  AlignedVector<double> padded_;  // the gradient where the parameters lie
  std::vector<std::size_t> at_;
  std::vector<double> diagonal_, right_, move_;
  AlignedVector<double> normal_, trial_;
  std::vector<double> penalty_pull_ = std::vector<double>(side_), sums_ = std::vector<double>(side_);
  std::size_t rows_ = 0;
  bool by_qr_ = false, begun_ = false;
  AlignedVector<double> stacked_, copy_, factor_normal_;
  std::vector<double> errors_, errors_copy_;
  double value_ = 0, mu_ = -1, factor_ = 2;
};

}  // namespace

std::unique_ptr<WholeMethod> levenberg(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases) {
  return std::make_unique<Levenberg>(loss, kernel, evidence, cases);
}

}  // namespace hylo
