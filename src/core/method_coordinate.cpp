#include "contraction.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <vector>

#include "cholesky.hpp"
#include "curvature.hpp"
#include "method.hpp"
#include "vector_math.hpp"

namespace hylo {

namespace {

constexpr int kPath = 60;                             // penalties on a path
constexpr double kWideEnd = 0.01, kTallEnd = 1e-4;    // of the first, where there are more inputs than rows, and else
constexpr double kFalling = 0.7;                      // from one penalty to the next on the way to a given one
constexpr int kMostRounds = 200, kMostCycles = 1000;  // of curvatures at one penalty, of coordinates at one curvature
constexpr double kPrecise = 1e-8;                     // slopes that are left, in first penalties

double shrunk(double x, double by) { return x > by ? x - by : x < -by ? x + by : 0; }

// The minimum under one l1 penalty after another, from the one that leaves no weight on. At each the loss is replaced
// by parabolas in the linear values, one output after another, which are lowered coordinate by coordinate among the
// weights that can differ from 0; then all slopes are looked at.
class CoordinateDescent : public WholeMethod {
 public:
  CoordinateDescent(WholeLoss& loss, const Kernel<double>& kernel, bool path)
      : loss_(loss),
        kernel_(kernel),
        curvature_(loss.objective().spec().loss, loss.objective().layout().units(0)),
        path_(path),
        units_(loss.objective().layout().units(0)),
        inputs_(loss.objective().layout().inputs(0)),
        rows_(loss.rows().size()),
        lead_(row_stride<double>(rows_)),
        padded_(loss.objective().layout().size()) {
    const auto& spec = loss.objective().spec();
    if (spec.layers.size() != 1 || !spec.embeddings.empty())
      throw std::invalid_argument("coordinate descent is for networks without hidden layers and embeddings");
    given_ = spec.layers[0].l1;
    l2_ = spec.layers[0].l2;
    const auto& table = loss.objective().table();
    const std::size_t width = table.outputs;
    columns_.resize(inputs_ * lead_);
    y_.resize(width * lead_);
    weight_.resize(lead_);
    if (!table.soft.empty()) soft_.resize(table.soft.size() / table.rows * lead_);
    loss.objective().team().run((inputs_ + kTogether - 1) / kTogether, [&](std::size_t task, std::size_t) {
      for (std::size_t i = 0; i < rows_; ++i) {
        const double* x = table.x_row(loss_.rows()[i]);
        for (std::size_t j = task * kTogether; j < std::min(inputs_, (task + 1) * kTogether); ++j)
          columns_[j * lead_ + i] = x[j];
      }
    });
    for (std::size_t i = 0; i < lead_; ++i) {
      const std::size_t row = loss.rows()[std::min(i, rows_ - 1)];
      for (std::size_t c = 0; c < width; ++c) y_[c * lead_ + i] = table.y_row(row)[c];
      for (std::size_t c = 0; c * lead_ < soft_.size(); ++c)
        soft_[c * lead_ + i] = table.soft[row * (soft_.size() / lead_) + c];
      weight_[i] = i < rows_ ? table.weight[row] : 0;
    }
    z_.resize(units_ * lead_), slope_.resize(z_.size()), bend_.resize(lead_), left_.resize(lead_);
    matrix_.resize(curvature_.size() * curvature_.size()), gap_slope_.resize(loss.objective().layout().gaps());
    active_.resize(units_), all_slopes_.resize(units_ * inputs_), column_bend_.resize(inputs_);
    moved_.resize(inputs_), kept_.resize(padded_.size());
  }

  Step step(Lowered&, Span<double> w) override {
    if (first_ < 0) {
      begin(w);
    } else {
      ++step_;
      const double end = rows_ < inputs_ ? kWideEnd : kTallEnd;
      const double next = path_ ? first_ * std::pow(end, double(step_) / (kPath - 1)) : l1_ * kFalling;
      former_ = l1_;
      l1_ = path_ ? next : std::max(next, given_);
    }
    minimise(w);
    loss_.value(w);
    const bool last = path_ ? step_ + 1 >= kPath : l1_ <= given_;
    return {!last, loss_.mean_loss()};
  }

  void serialise(Archive& archive) override { archive(first_, l1_, former_, step_); }

  Span<const double> gradient() const override { return {padded_.data(), padded_.size()}; }
  double penalty() const override { return l1_; }

 private:
  static constexpr std::size_t kTogether = 64;  // columns that are one task

  const double* column(std::size_t j) const { return columns_.data() + j * lead_; }
  std::size_t weight_at(std::size_t j, std::size_t a) const { return j * loss_.objective().layout().stride(0) + a; }
  std::size_t bias_at(std::size_t a) const { return loss_.objective().layout().biases_at(0) + a; }

  // No weight but the biases; and the first penalty, under which all of them stay 0.
  void begin(Span<double> w) {
    std::fill(w.begin(), w.begin() + std::ptrdiff_t(loss_.objective().layout().biases_at(0)), 0.0);
    first_ = l1_ = std::numeric_limits<double>::infinity();
    minimise(w);
    double most = 0;
    for (const double s : all_slopes_) most = std::max(most, std::fabs(s));
    first_ = l1_ = former_ = std::max(most, 1e-12);
    if (!path_ && given_ >= l1_) l1_ = given_;
  }

  void minimise(Span<double> w) {
    find_values(w);
    if (std::isfinite(l1_)) {
      look(w);
      find_slopes();
    }
    // what is likely to differ from 0 (Tibshirani et al. 2012); it follows from the weights alone
    for (std::size_t a = 0; a < units_; ++a) {
      active_[a].clear();
      for (std::size_t j = 0; j < inputs_ && std::isfinite(l1_); ++j) {
        const bool likely = std::fabs(all_slopes_[a * inputs_ + j]) > 2 * l1_ - former_;
        if (w[weight_at(j, a)] != 0 || likely) active_[a].push_back(j);
      }
    }
    const double precise = kPrecise * (std::isfinite(l1_) && std::isfinite(first_) ? first_ : 1);
    for (int round = 0; round < kMostRounds && !loss_.interrupted(); ++round) {
      double most = 0;
      for (std::size_t a = 0; a < units_; ++a) most = std::max(most, lower(a, w, precise));
      if (!gap_slope_.empty()) most = std::max(most, lower_gaps(w));
      if (most > precise) continue;
      find_slopes();
      if (!std::isfinite(l1_) || !activate_more(w, precise)) return;
    }
  }

  void find_values(Span<const double> w) {
    const auto& table = loss_.objective().table();
    for (std::size_t a = 0; a < units_; ++a) {
      double* z = z_.data() + a * lead_;
      for (std::size_t i = 0; i < lead_; ++i) {
        const std::size_t row = loss_.rows()[std::min(i, rows_ - 1)];
        z[i] = w[bias_at(a)] + (table.offset.empty() ? 0 : table.offset[row]);
      }
      for (std::size_t j = 0; j < inputs_; ++j) {
        const double weight = w[weight_at(j, a)];
        const double* x = column(j);
        for (std::size_t i = 0; weight != 0 && i < rows_; ++i) z[i] += weight * x[i];
      }
    }
  }

  // The mean loss at the linear values; slope_ becomes its gradient in them, gap_slope_ that in the gaps.
  double look(Span<const double> w) {
    const auto& spec = loss_.objective().spec().loss;
    slope_ = z_;
    std::fill(gap_slope_.begin(), gap_slope_.end(), 0.0);
    const double share = 1 / double(rows_);
    const LossBlock<double> block = {rows_, units_, lead_, y_.data(), weight_.data(), share, slope_.data(),
                                     spec.quantiles.data(), soft_.empty() ? nullptr : soft_.data()};
    const double* gaps = w.data() + loss_.objective().layout().gaps_at();
    return share * (spec.output == Output::Ordinal ? ordinal_loss(block, spec.classes, gaps, gap_slope_.data())
                                                   : kernel_.loss(spec, block));
  }

  double penalty_of(Span<const double> w) const {
    double size = 0, square = 0;
    for (std::size_t a = 0; a < units_; ++a) {
      for (const std::size_t j : active_[a]) {
        const double weight = w[weight_at(j, a)];
        size += std::fabs(weight), square += weight * weight;
      }
    }
    return (size > 0 ? l1_ * size : 0) + l2_ / 2 * square;
  }

  // Lowers the loss by output a's weights and bias; how steep it was.
  double lower(std::size_t a, Span<double> w, double precise) {
    const double before = look(w);
    bend(a, before, w);
    double whole = 0, drift = 0;
    for (std::size_t i = 0; i < rows_; ++i) whole += bend_[i];
    const double* slope = slope_.data() + a * lead_;
    std::copy_n(slope, rows_, left_.data());
    auto& active = active_[a];
    std::fill(moved_.begin(), moved_.end(), 0.0);
    for (const std::size_t j : active) {
      double sum = 0;
      const double* x = column(j);
      for (std::size_t i = 0; i < rows_; ++i) sum += bend_[i] * x[i] * x[i];
      column_bend_[j] = sum;
    }
    double steepest = 0;
    for (int cycle = 0; cycle < kMostCycles; ++cycle) {
      double most = 0;
      double sum = 0;
      for (std::size_t i = 0; i < rows_; ++i) sum += left_[i];
      const double shift = whole > 0 ? -sum / whole : 0;
      drift += shift;
      for (std::size_t i = 0; i < rows_; ++i) left_[i] += bend_[i] * shift;
      most = std::max(most, std::fabs(sum));
      for (const std::size_t j : active) {
        const double* x = column(j);
        const double here = w[weight_at(j, a)] + moved_[j], curve = column_bend_[j] + l2_;
        if (!(curve > 0)) continue;
        const double pull = dot_of(left_.data(), x, rows_) + l2_ * here;
        const double change = shrunk(here - pull / curve, l1_ / curve) - here;
        if (change == 0) continue;
        moved_[j] += change;
        most = std::max(most, std::fabs(change) * curve);
        for (std::size_t i = 0; i < rows_; ++i) left_[i] += bend_[i] * x[i] * change;
      }
      if (cycle == 0) steepest = most;
      if (most < 0.1 * precise || most < 1e-3 * steepest) break;
    }
    if (steepest <= precise) return steepest;
    // as far as it lowers the loss
    std::copy(w.begin(), w.end(), kept_.begin());
    std::vector<double>& along = bend_;  // no more needed
    std::fill(along.begin(), along.end(), drift);
    for (const std::size_t j : active) {
      const double* x = column(j);
      for (std::size_t i = 0; moved_[j] != 0 && i < rows_; ++i) along[i] += moved_[j] * x[i];
    }
    const double value = before + penalty_of(w);
    double at = 0;
    for (double share = 1; share > 1e-6; share /= 2) {
      double* z = z_.data() + a * lead_;
      for (std::size_t i = 0; i < lead_; ++i) z[i] += (share - at) * along[std::min(i, rows_ - 1)];
      at = share;
      w[bias_at(a)] = kept_[bias_at(a)] + share * drift;
      for (const std::size_t j : active) w[weight_at(j, a)] = kept_[weight_at(j, a)] + share * moved_[j];
      const double reached = look(w) + penalty_of(w);
      if (std::isfinite(reached) && reached <= value + 1e-14 * std::fabs(value)) return steepest;
    }
    std::copy(kept_.begin(), kept_.end(), w.begin());
    find_values(w);
    look(w);
    return 0;  // nothing that rounding doesn't take away
  }

  // bend_ becomes the curvature of output a's linear value, row by row.
  void bend(std::size_t a, double mean_loss, Span<const double> w) {
    const auto& layout = loss_.objective().layout();
    const auto& table = loss_.objective().table();
    curvature_.begin({w.data() + layout.gaps_at(), layout.gaps()}, mean_loss);
    std::vector<double>& z = row_values_;
    z.resize(units_);
    for (std::size_t i = 0; i < rows_; ++i) {
      for (std::size_t c = 0; c < units_; ++c) z[c] = z_[c * lead_ + i];
      curvature_.of_row(z.data(), table.y_row(loss_.rows()[i]), matrix_.data());
      bend_[i] = matrix_[a * curvature_.size() + a] * weight_[i] / double(rows_);
    }
  }

  // The gaps of ordered classes, by Newton's step; how steep it was.
  double lower_gaps(Span<double> w) {
    const auto& layout = loss_.objective().layout();
    const std::size_t gaps = layout.gaps(), side = curvature_.size();
    const double before = look(w);
    const std::vector<double> slope(gap_slope_);
    std::vector<double> sum(gaps * gaps), move(gaps);
    curvature_.begin({w.data() + layout.gaps_at(), gaps}, before);
    for (std::size_t i = 0; i < rows_; ++i) {
      curvature_.of_row(z_.data() + i, loss_.objective().table().y_row(loss_.rows()[i]), matrix_.data());
      for (std::size_t k = 0; k < gaps; ++k) {
        for (std::size_t l = 0; l <= k; ++l)
          sum[k * gaps + l] += matrix_[(k + 1) * side + l + 1] * weight_[i] / double(rows_);
      }
    }
    for (std::size_t k = 0; k < gaps; ++k) sum[k * gaps + k] += 1e-12;
    double steepest = 0;
    for (const double s : slope) steepest = std::max(steepest, std::fabs(s));
    if (!cholesky(sum.data(), gaps, gaps)) return 0;
    solve_cholesky(sum.data(), gaps, gaps, slope.data(), move.data());
    std::copy(w.begin(), w.end(), kept_.begin());
    for (double share = 1; share > 1e-6; share /= 2) {
      for (std::size_t k = 0; k < gaps; ++k) w[layout.gaps_at() + k] = kept_[layout.gaps_at() + k] + share * move[k];
      if (look(w) <= before) return steepest;
    }
    std::copy(kept_.begin(), kept_.end(), w.begin());
    return 0;
  }

  // all_slopes_ and the padded gradient, without penalties.
  void find_slopes() {
    const std::size_t tasks = (inputs_ + kTogether - 1) / kTogether;
    loss_.objective().team().run(tasks, [&](std::size_t task, std::size_t) {
      for (std::size_t j = task * kTogether; j < std::min(inputs_, (task + 1) * kTogether); ++j) {
        for (std::size_t a = 0; a < units_; ++a) {
          const double slope = dot_of(slope_.data() + a * lead_, column(j), rows_);
          all_slopes_[a * inputs_ + j] = padded_[weight_at(j, a)] = slope;
        }
      }
    });
  }

  // Whether there is a weight of 0 that the penalty doesn't hold there.
  bool activate_more(Span<const double> w, double precise) {
    bool more = false;
    for (std::size_t a = 0; a < units_; ++a) {
      for (std::size_t j = 0; j < inputs_; ++j) {
        if (w[weight_at(j, a)] != 0 || std::fabs(all_slopes_[a * inputs_ + j]) <= l1_ + precise) continue;
        more = activate(a, j) || more;
      }
    }
    return more;
  }

  bool activate(std::size_t a, std::size_t j) {
    auto& active = active_[a];
    const auto place = std::lower_bound(active.begin(), active.end(), j);
    if (place != active.end() && *place == j) return false;
    active.insert(place, j);
    return true;
  }

  WholeLoss& loss_;
  const Kernel<double>& kernel_;
  Curvature curvature_;
  bool path_;
  std::size_t units_, inputs_, rows_, lead_;
  AlignedVector<double> padded_;           // the gradient where the parameters lie
  AlignedVector<double> columns_, y_, weight_, soft_, z_, slope_;  // column by column, lead_ apart
  std::vector<double> bend_, left_, matrix_, gap_slope_, all_slopes_, column_bend_, moved_, kept_, row_values_;
  std::vector<std::vector<std::size_t>> active_;  // by output the inputs whose weights can differ from 0
  double given_ = 0, l2_ = 0, first_ = -1, l1_ = 0, former_ = 0;
  int step_ = 0;
};

}  // namespace

std::unique_ptr<WholeMethod> coordinate_descent(WholeLoss& loss, const Kernel<double>& kernel, bool path) {
  return std::make_unique<CoordinateDescent>(loss, kernel, path);
}

}  // namespace hylo
