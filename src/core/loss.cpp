#include "contraction.hpp"

#include "loss.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "names.hpp"

namespace hylo {

Output output_named(std::string_view name) {
  static constexpr std::pair<std::string_view, Output> table[] = {
      {"identity", Output::Identity},       {"logistic", Output::Logistic}, {"softmax", Output::Softmax},
      {"exponential", Output::Exponential}, {"softplus", Output::Softplus}, {"ordinal", Output::Ordinal}};
  return named(table, name, "output");
}

namespace {

constexpr double kTiny = 1e-300;

// In the order of Loss: name, loss, classes, smooth, above_zero, one_target, likelihood, its factor, the dispersion's
// factor, curvature.
constexpr LossRecord kLosses[] = {
    {"squared", Loss::Squared, false, true, false, false, Likelihood::Variance, 0.5, 1,
     [](const LossSpec&, double inside, double, double, double) { return 2 * inside; }},
    {"absolute", Loss::Absolute, false, false, false, false, Likelihood::Size, 1, 1,
     [](const LossSpec&, double inside, double, double error, double corner) { return inside / (error + corner); }},
    {"huber", Loss::Huber, false, true, false, false, Likelihood::Variance, 1, 2,
     [](const LossSpec& spec, double inside, double, double error, double) {
       return inside * (error > spec.delta ? spec.delta / error : 1);
     }},
    {"quantile", Loss::Quantile, false, false, false, true, Likelihood::Size, 1, 1,
     [](const LossSpec&, double inside, double, double error, double corner) {
       return inside / (2 * (error + corner));
     }},
    {"cross_entropy", Loss::CrossEntropy, true, true, false, false, Likelihood::Known, 1, 2, nullptr},
    {"poisson", Loss::Poisson, false, true, true, false, Likelihood::Dispersed, 1, 2,
     [](const LossSpec&, double inside, double prediction, double, double) {
       return inside / std::max(prediction, kTiny);
     }},
    {"gamma", Loss::Gamma, false, true, true, false, Likelihood::Dispersed, 1, 2,
     [](const LossSpec&, double inside, double prediction, double, double) {
       return inside / std::max(prediction * prediction, kTiny);
     }},
};

constexpr bool in_order() {
  std::size_t place = 0;
  for (const LossRecord& record : kLosses) {
    if (std::size_t(record.loss) != place++) return false;
  }
  return true;
}

}  // namespace

static_assert(in_order(), "the losses are in the order of Loss");

const LossRecord& record_of(Loss loss) { return kLosses[std::size_t(loss)]; }

Loss loss_named(std::string_view name) {
  for (const LossRecord& record : kLosses) {
    if (record.name == name) return record.loss;
  }
  throw std::invalid_argument("unknown loss '" + std::string(name) + "'");
}

std::size_t middle_quantile(const std::vector<double>& quantiles) {
  const auto nearer = [](double a, double b) { return std::fabs(a - 0.5) < std::fabs(b - 0.5); };
  return std::size_t(std::min_element(quantiles.begin(), quantiles.end(), nearer) - quantiles.begin());
}

namespace {

double logistic(double z) { return 1 / (1 + std::exp(-z)); }
double log_logistic(double z) { return z < 0 ? z - std::log1p(std::exp(z)) : -std::log1p(std::exp(-z)); }

constexpr std::size_t kMostClasses = 1024;

}  // namespace

template <class T>
void ordinal_thresholds(std::size_t classes, const T* gaps, double* thresholds) {
  thresholds[0] = 0;
  for (std::size_t k = 1; k + 1 < classes; ++k) thresholds[k] = thresholds[k - 1] + std::exp(double(gaps[k - 1]));
}

// With l = t_k - z and u = t_(k+1) - z about class k, P = logistic(u) logistic(-l) (1 - exp(l - u)), whose logarithm
// and slopes keep their digits where P itself would vanish.
template <class T>
double ordinal_loss(const LossBlock<T>& b, std::size_t classes, const T* gaps, T* gap_gradient) {
  double thresholds[kMostClasses], slopes[kMostClasses] = {};  // of the loss, by threshold
  ordinal_thresholds(classes, gaps, thresholds);
  double total = 0;
  for (std::size_t i = 0; i < b.rows; ++i) {
    const std::size_t k = std::size_t(b.y[i]);
    const double z = double(b.z[i]), weight = double(b.weight[i]), factor = double(b.scale) * weight;
    const bool first = k == 0, last = k + 1 == classes;
    const double above = last ? 0 : thresholds[k] - z, below = first ? 0 : thresholds[k - 1] - z;
    const double past = last ? 1 : logistic(above), before = first ? 0 : logistic(below);
    double loss = -(last ? 0 : log_logistic(above)) - (first ? 0 : log_logistic(-below)), between = 0;
    if (!first && !last) {
      loss -= std::log(-std::expm1(below - above));
      between = 1 / std::expm1(above - below);
    }
    if (!last) slopes[k] += factor * (past - 1 - between);
    if (!first) slopes[k - 1] += factor * (before + between);
    total += weight * loss;
    b.z[i] = T(factor * (1 - past - before));
  }
  double behind = 0;
  for (std::size_t k = classes - 1; k-- > 1;) {
    behind += slopes[k];
    gap_gradient[k - 1] += T(behind * std::exp(double(gaps[k - 1])));
  }
  return total;
}

template <class T>
void ordinal_predictions(std::size_t rows, std::size_t lead, std::size_t classes, const T* gaps, const T* z,
                         T* predictions) {
  double thresholds[kMostClasses];
  ordinal_thresholds(classes, gaps, thresholds);
  for (std::size_t i = 0; i < rows; ++i) {
    double below = 0;
    for (std::size_t k = 0; k < classes; ++k) {
      const double upto = k + 1 == classes ? 1 : logistic(thresholds[k] - double(z[i]));
      predictions[k * lead + i] = T(upto - below);
      below = upto;
    }
  }
}

#define HYLO_INSTANTIATE(T)                                                        \
  template void ordinal_thresholds<T>(std::size_t, const T*, double*);             \
  template double ordinal_loss<T>(const LossBlock<T>&, std::size_t, const T*, T*); \
  template void ordinal_predictions<T>(std::size_t, std::size_t, std::size_t, const T*, const T*, T*);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
