#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <vector>

#include "cholesky.hpp"
#include "curvature.hpp"
#include "evidence.hpp"
#include "method.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

constexpr std::size_t kRowsAtOnce = 256;

// Steps d with (H + L + mu diag(H)) d = -g: H the mean curvature of the loss over the training rows, L the penalties'
// diagonal, g the gradient. mu is as good as 0 unless the equations have no one solution.
class Newton : public WholeMethod {
 public:
  Newton(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases)
      : loss_(loss),
        kernel_(kernel),
        evidence_(evidence),
        evidence_of_(loss.objective().spec().loss, loss.objective().layout().units(0),
                     loss.objective().layout().inputs(0) * loss.objective().layout().units(0), cases),
        cases_(cases),
        values_(evidence_of_.values()),
        curvature_(loss.objective().spec().loss, loss.objective().layout().units(0)),
        units_(loss.objective().layout().units(0)),
        inputs_(loss.objective().layout().inputs(0)),
        side_(loss.objective().layout().parameters()),
        stride_(row_stride<double>(inputs_ + 1)),
        padded_(loss.objective().layout().size()),
        trial_(padded_.size()),
        rows_(kRowsAtOnce * stride_),
        scaled_(rows_.size()),
        block_((inputs_ + 1) * stride_),
        sums_(pairs() * block_.size()),
        each_(kRowsAtOnce * curvature_.size() * curvature_.size()),
        hessian_(side_ * side_),
        factor_(hessian_.size()),
        diagonal_(side_),
        right_(side_),
        move_(side_),
        column_(side_),
        z_(units_) {
    const auto& spec = loss.objective().spec();
    const auto& layout = loss.objective().layout();
    if (spec.layers.size() != 1 || !spec.embeddings.empty())
      throw std::invalid_argument("Newton's method is for networks without hidden layers and embeddings");
    layout.each([&](std::size_t at, bool) { at_.push_back(at); });
    l2_ = evidence ? evidence_of_.first_l2() : spec.layers[0].l2;
    std::fill_n(diagonal_.begin(), inputs_ * units_, l2_);
    steady_ = spec.loss.loss == Loss::Squared && spec.loss.output == Output::Identity;
    non_smooth_ = !record_of(spec.loss.loss).smooth;
  }

  Step step(Lowered&, Span<double> w) override {
    if (done_) return {false, loss_.mean_loss()};
    move(w);
    if (evidence_ && (done_ || non_smooth_ || short_of_ < 1e-4)) weigh_evidence(w);
    if (evidence_ && done_ && !loss_.interrupted()) climb(w);
    if (evidence_ && done_ && !loss_.interrupted()) relax_penalty(w);
    loss_.value(w);
    return {!done_, loss_.mean_loss()};
  }

  void serialise(Archive& archive) override {
    archive(hessian_, diagonal_, mu_, l2_, short_of_, near_, weighed_, done_, curved_);
  }

  Span<const double> gradient() const override { return {padded_.data(), padded_.size()}; }
  double penalty() const override { return evidence_ ? l2_ : WholeMethod::penalty(); }

 private:
  static constexpr double kLeast = 1e-14;

  // One step; done_ when there is none to be made.
  void move(Span<double> w) {
    value_ = look(w);
    if (!curved_ || !steady_) curve(w);
    curved_ = true;
    moved_ = false;
    for (int attempt = 0; attempt < 12 && !loss_.interrupted(); ++attempt, mu_ = std::max(100 * mu_, 1e-12)) {
      if (!factor()) continue;
      solve_cholesky(factor_.data(), side_, side_, right_.data(), move_.data());
      if (search(w) || done_) break;
    }
    if (!moved_) done_ = true;
    mu_ = kLeast;
  }

  void set_l2(double l2) {
    l2_ = l2;
    std::fill_n(diagonal_.begin(), inputs_ * units_, l2);
    done_ = false;
    near_ = 0;
  }

  std::size_t weights() const { return inputs_ * units_; }

  // The number of weights that the rows determine, at the curvature and factor of the last step.
  double effective() {
    double spent = 0;
    for (std::size_t j = 0; j < weights(); ++j) spent += diagonal_[j] * inverse_diagonal(j);
    return evidence_of_.determined(spent);
  }

  bool is_softmax() const { return evidence_of_.softmax(); }

  // Unknowns without a penalty that the rows settle: of a softmax one bias follows from the others.
  double unpenalised() const { return double(side_ - weights() - (is_softmax() ? 1 : 0)); }

  std::size_t pairs() const { return curvature_.diagonal() ? units_ : curvature_.size() * (curvature_.size() + 1) / 2; }

  double penalty_of(Span<const double> w) const {
    double sum = 0;
    for (std::size_t j = 0; j < side_; ++j) sum += diagonal_[j] * w[at_[j]] * w[at_[j]];
    return sum / 2;
  }

  // The objective's own penalty is that of the spec; evidence moves it, so it is taken off and put on here.
  double look(Span<const double> w) {
    const double value = loss_(w, padded_) - loss_.objective().penalty(w);
    const double specified = loss_.objective().spec().layers[0].l2;
    for (std::size_t j = 0; j < side_; ++j) {
      if (diagonal_[j] > 0) padded_[at_[j]] += (diagonal_[j] - specified) * w[at_[j]];
      right_[j] = padded_[at_[j]];
    }
    return value + penalty_of(w);
  }

  double value_at(Span<const double> w) { return loss_.unpenalised(w) + penalty_of(w); }

  // hessian_ at w, row by row in blocks: sums over rows of h_ab x x', x with a 1 for the bias.
  void curve(Span<const double> w) {
    const auto& layout = loss_.objective().layout();
    const auto& table = loss_.objective().table();
    const Span<const std::uint32_t> rows = loss_.rows();
    const std::size_t side = curvature_.size(), width = inputs_ + 1, spread = layout.stride(0);
    const double* weights = w.data() + layout.weights_at(0);
    curvature_.begin({w.data() + layout.gaps_at(), layout.gaps()}, loss_.mean_loss());
    std::fill(sums_.begin(), sums_.end(), 0.0);
    std::fill(hessian_.begin(), hessian_.end(), 0.0);
    for (std::size_t from = 0; from < rows.size() && !loss_.interrupted(); from += kRowsAtOnce) {
      const std::size_t count = std::min(kRowsAtOnce, rows.size() - from);
      for (std::size_t r = 0; r < count; ++r) {
        const std::uint32_t row = rows[from + r];
        double* x = rows_.data() + r * stride_;
        std::copy_n(table.x_row(row), inputs_, x);
        x[inputs_] = 1;
        for (std::size_t a = 0; a < units_; ++a) z_[a] = table.offset.empty() ? 0 : table.offset[row];
        for (std::size_t i = 0; i < width; ++i) {
          for (std::size_t a = 0; a < units_; ++a) z_[a] += x[i] * weights[i * spread + a];
        }
        double* h = each_.data() + r * side * side;
        curvature_.of_row(z_.data(), table.y_row(row), h);
        const double share = table.count_of(row) / double(rows.size());
        for (std::size_t k = 0; k < side * side; ++k) h[k] *= share;
      }
      add_block(count);
    }
    gather();
  }

  void add_block(std::size_t count) {
    const std::size_t side = curvature_.size(), width = inputs_ + 1;
    std::size_t pair = 0;
    for (std::size_t a = 0; a < side; ++a) {
      for (std::size_t b = a; b < (curvature_.diagonal() ? a + 1 : side); ++b, ++pair) {
        for (std::size_t r = 0; r < count; ++r) {
          const double h = each_[(r * side + a) * side + b];
          const double* x = rows_.data() + r * stride_;
          double* to = scaled_.data() + r * stride_;
          for (std::size_t i = 0; i < width; ++i) to[i] = h * x[i];
        }
        double* sum = sums_.data() + pair * block_.size();
        kernel_.multiply(Product<double>{Extent{width, width, count}, Left<double>{scaled_.data(), 1, stride_},
                                         Right<double>{rows_.data(), stride_}, Result<double>{sum, stride_},
                                         Origin<double>{sum, stride_}});
      }
    }
  }

  // Sums by pair of linear values into the order of the parameters; a gap is met by the bias's place alone.
  void gather() {
    const std::size_t side = curvature_.size(), width = inputs_ + 1;
    std::size_t pair = 0;
    const auto place = [&](std::size_t i, std::size_t a) {
      return a < units_ ? i * units_ + a : width * units_ + (a - units_);
    };
    for (std::size_t a = 0; a < side; ++a) {
      for (std::size_t b = a; b < (curvature_.diagonal() ? a + 1 : side); ++b, ++pair) {
        const double* sum = sums_.data() + pair * block_.size();
        for (std::size_t i = a < units_ ? 0 : inputs_; i < width; ++i) {
          for (std::size_t j = b < units_ ? 0 : inputs_; j < width; ++j) {
            const std::size_t p = place(i, a), q = place(j, b);
            hessian_[p * side_ + q] = hessian_[q * side_ + p] = sum[i * stride_ + j];
          }
        }
      }
    }
  }

  // The lower triangle of H + L + mu D as F F'.
  bool factor() {
    double most = 0;
    for (std::size_t j = 0; j < side_; ++j) most = std::max(most, hessian_[j * side_ + j]);
    const double least = std::max(1e-8 * most, 1e-300);
    for (std::size_t i = 0; i < side_; ++i) {
      std::copy_n(hessian_.data() + i * side_, i + 1, factor_.data() + i * side_);
      factor_[i * side_ + i] += diagonal_[i] + mu_ * std::max(hessian_[i * side_ + i], least);
    }
    if (is_softmax()) hold_common(least);
    return cholesky(factor_.data(), side_, side_);
  }

  // Of a softmax what is common to all classes changes nothing, so that where no penalty does, the equations leave it
  // open and rounding would settle it. Curvature along it makes 0 its step.
  void hold_common(double least) {
    held_ = 0;
    for (std::size_t i = 0; i <= inputs_; ++i) {
      const std::size_t from = i * units_;
      if (diagonal_[from] > 0) continue;
      double most = least;
      for (std::size_t a = 0; a < units_; ++a) most = std::max(most, hessian_[(from + a) * side_ + from + a]);
      held_ += std::log(most);  // the curvature along what is held
      for (std::size_t a = 0; a < units_; ++a) {
        for (std::size_t b = 0; b <= a; ++b) factor_[(from + a) * side_ + from + b] += most / double(units_);
      }
    }
  }

  // Whole, or halved until it lowers the value. Near the end, where the value has no digits left to tell, whole.
  bool search(Span<double> w) {
    double slope = 0;
    for (std::size_t j = 0; j < side_; ++j) slope += right_[j] * move_[j];
    if (!std::isfinite(slope)) return false;
    const double size = std::fabs(value_) + 1e-300, noise = 1e-13 * size;
    short_of_ = -slope / size;
    if (slope > 0 || -slope <= 1e-18 * size) {
      done_ = true;
      return false;
    }
    if (!non_smooth_ && -slope <= 1e-10 * size && ++near_ > 4) done_ = true;
    double at = 1;
    for (int halving = 0; halving < 30; ++halving, at /= 2) {
      std::copy(w.begin(), w.end(), trial_.begin());
      for (std::size_t j = 0; j < side_; ++j) trial_[at_[j]] += at * move_[j];
      const double here = value_at(trial_);
      if (std::isfinite(here) && here <= value_ + 1e-4 * at * slope + noise) {
        std::copy(trial_.begin(), trial_.end(), w.begin());
        moved_ = true;
        if (non_smooth_ && value_ - here <= 1e-7 * size && ++near_ > 2) done_ = true;
        return true;
      }
    }
    return false;
  }

  // l2 from the weights and the curvature at which the step began, which is near.
  void weigh_evidence(Span<const double> w) {
    if (!factor()) return;
    double squares = 0;
    for (std::size_t j = 0; j < weights(); ++j) squares += w[at_[j]] * w[at_[j]];
    const double determined = effective();
    const double next = evidence_of_.l2(determined, squares, loss_.unpenalised(w), determined);
    if (std::fabs(next - l2_) > 2e-2 * l2_ && weighed_ < kMostWeighings) {
      ++weighed_;
      set_l2(next);
    }
  }

  struct Fit {
    double l2, error, free;
    AlignedVector<double> at;
  };

  // Newton's steps to the minimum under another penalty.
  void refit(double l2, Span<double> w) {
    set_l2(l2);
    for (int step = 0; step < kMostRefitted && !done_ && !loss_.interrupted(); ++step) move(w);
  }

  void take(const Fit& fit, Span<double> w) {
    set_l2(fit.l2);
    std::copy(fit.at.begin(), fit.at.end(), w.begin());
    done_ = true;
  }

  // The penalty that weigh_evidence() comes to leaves out that the curvature changes with the weights, which it does
  // where classes are told well by few rows. The evidence itself (Laplace's: MacKay 1992) is looked at on both sides,
  // in shorter and shorter steps.
  void climb(Span<double> w) {
    const double told = values_ * double(is_softmax() ? units_ - 1 : 1);
    if (side_ > kMostClimbed || evidence_of_.has_dispersion() || told > kPlenty * double(weights())) return;
    const auto reached = [&] { return Fit{l2_, log_evidence(w), 0, AlignedVector<double>(w.begin(), w.end())}; };
    Fit best = reached();
    for (double step = 4; step > 1.2 && std::isfinite(best.error); step = std::sqrt(step)) {
      for (const double times : {step, 1 / step}) {
        bool higher = false;
        for (double next = best.l2 * times; next > Evidence::kLeastL2 && next < Evidence::kMostL2;
             next = best.l2 * times) {
          refit(next, w);
          if (loss_.interrupted()) return;
          Fit here = reached();
          if (!(here.error > best.error)) break;
          best = std::move(here);
          higher = true;
        }
        std::copy(best.at.begin(), best.at.end(), w.begin());
        if (higher) break;
      }
    }
    take(best, w);
    curve(w);  // what relax_penalty() begins with
  }

  // Of a likelihood without a dispersion, but for what is the same for every penalty.
  double log_evidence(Span<const double> w) {
    const double error = loss_.unpenalised(w);
    curve(w);
    if (!factor()) return std::numeric_limits<double>::quiet_NaN();
    double determinant = 0;
    for (std::size_t j = 0; j < side_; ++j) determinant += 2 * std::log(factor_[j * side_ + j]);
    return -cases_ * (error + penalty_of(w)) + (double(weights()) * std::log(l2_) - determinant + held_) / 2;
  }

  // Evidence takes all weights to be of one size. Where inputs nearly repeat each other a few are far larger, and its
  // penalty takes away what the rows clearly tell. So smaller penalties are tried, a tenth each. Twice the logarithm of
  // the likelihood falls by 1 for each weight that is given up and tells nothing; where it falls by more, the weight is
  // not given up. (With the small-sample factor of Hurvich, Simonoff and Tsai 1998; where it falls by less than 2 in
  // all that can be chance, and evidence has its way.) Not where classes have few rows for each weight: there they can
  // come apart by chance, and the likelihood doesn't see that.
  void relax_penalty(Span<double> w) {
    if (side_ > kMostEased || double(side_) > 0.8 * values_) return;
    if (!evidence_of_.has_dispersion() && rarest_class() < 5 * double(inputs_)) return;
    std::vector<Fit> fits;
    const auto keep = [&] {
      if (factor()) fits.push_back({l2_, loss_.unpenalised(w), effective() + unpenalised(), {}});
      if (!fits.empty()) fits.back().at.assign(w.begin(), w.end());
    };
    keep();
    for (int i = 0; i < 7 && l2_ > 1e-5 / cases_ && !loss_.interrupted(); ++i) {
      refit(l2_ / 10, w);
      keep();
    }
    if (fits.empty() || loss_.interrupted()) return;
    const double last = fits.back().error * cases_ / std::max(values_ - fits.back().free, 1.0);
    std::size_t best = 0;
    double lowest = 0;
    for (std::size_t i = 0; i < fits.size(); ++i) {
      const double c = criterion(fits[i].error, fits[i].free, last);
      if (i == 0 || c < lowest) lowest = i == 0 ? c - kClearlyLower : c, best = i;
    }
    take(fits[best], w);
  }

  // Minus twice the logarithm of the likelihood, and the price of the weights; `error` is the mean loss, `scale` that
  // of the freest fit.
  double criterion(double error, double free, double scale) const {
    const double price = free * values_ / std::max(values_ - free - 1, 1e-3), tiny = 1e-300;
    switch (record_of(loss_.objective().spec().loss.loss).likelihood) {
      case Likelihood::Variance: return values_ * std::log(error + tiny) + price;
      case Likelihood::Size: return 2 * values_ * std::log(error + tiny) + price;
      case Likelihood::Known: return 2 * cases_ * error + price;
      case Likelihood::Dispersed: break;
    }
    return cases_ * error / std::max(scale, tiny) + price;
  }

  double rarest_class() const {
    const auto& table = loss_.objective().table();
    const auto& loss = loss_.objective().spec().loss;
    std::vector<double> count(std::max<std::size_t>(2, loss.output == Output::Ordinal ? loss.classes : units_));
    double total = 0;
    for (const std::uint32_t row : loss_.rows()) {
      const double* y = table.y_row(row);
      const std::size_t of = loss.output == Output::Softmax ? std::size_t(std::max_element(y, y + units_) - y)
                                                            : std::min(std::size_t(y[0]), count.size() - 1);
      count[of] += table.weight[row];
      total += table.weight[row];
    }
    return cases_ * *std::min_element(count.begin(), count.end()) / total;
  }

  // (A^-1)_jj = |F^-1 e_j|^2 for A = F F'.
  double inverse_diagonal(std::size_t j) {
    double square = 0;
    for (std::size_t i = j; i < side_; ++i) {
      double sum = i == j ? 1 : 0;
      const double* row = factor_.data() + i * side_;
      for (std::size_t k = j; k < i; ++k) sum -= row[k] * column_[k];
      column_[i] = sum / row[i];
      square += column_[i] * column_[i];
    }
    return square;
  }

  static constexpr int kMostWeighings = 60, kMostRefitted = 60;
  static constexpr std::size_t kMostEased = 200, kMostClimbed = 500;  // unknowns; each trial costs as much as the fit
  static constexpr double kPlenty = 40;       // of so many observed values a weight the penalty hardly matters
  static constexpr double kClearlyLower = 2;  // than what chance makes of a criterion

  WholeLoss& loss_;
  const Kernel<double>& kernel_;
  bool evidence_;
  Evidence evidence_of_;
  double cases_, values_;
  Curvature curvature_;
  std::size_t units_, inputs_, side_, stride_;
  AlignedVector<double> padded_, trial_;  // the gradient where the parameters lie
  AlignedVector<double> rows_, scaled_, block_, sums_;
  std::vector<double> each_, hessian_, factor_, diagonal_, right_, move_, column_, z_;
  std::vector<std::size_t> at_;
  double value_ = 0, mu_ = kLeast, l2_ = 0, short_of_ = 1, held_ = 0;
  int near_ = 0, weighed_ = 0;
  bool done_ = false, moved_ = false;
  bool steady_ = false, curved_ = false;  // the curvature is the same everywhere, and is known
  bool non_smooth_ = false;  // the gradient doesn't fade towards the minimum, so that the value has to tell
};

}  // namespace

std::unique_ptr<WholeMethod> newton(WholeLoss& loss, const Kernel<double>& kernel, bool evidence, double cases) {
  return std::make_unique<Newton>(loss, kernel, evidence, cases);
}

}  // namespace hylo
