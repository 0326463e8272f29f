// The output layer and what training lowers: from linear values z to predictions a, and from predictions and targets y
// to a loss.
//
//   output       prediction                          losses that it goes with
//   Identity     z                               Squared, Absolute, Huber, Quantile
//   Exponential  exp(z)                          those and Poisson, Gamma
//   Softplus     log(1 + exp(z))                 those and Poisson, Gamma
//   Logistic     1 / (1 + exp(-z))               CrossEntropy
//   Softmax      exp(z_c) / sum exp(z_k)         CrossEntropy
//   Ordinal      P(y <= k) = 1 / (1 + exp(z - t_k)), differences of these    CrossEntropy (McCullagh 1980)
//
//   loss          of a row, summed over its targets
//   Squared       (a - y)^2
//   Absolute      |a - y|
//   Huber         e^2 / 2 for |e| = |a - y| <= d, else d (|e| - d / 2)       (Huber 1964)
//   Quantile      u (q - [u < 0]), u = y - a, summed over the quantiles q     (Koenker and Bassett 1978)
//   CrossEntropy  -sum y_c log a_c, y_c smoothed: (1 - s) y_c + s / classes   (smoothing: Szegedy et al. 2016)
//                 taught by soft shares s_c at a temperature T: l times that, - sum s_c log softmax(z / T)_c, l the
//                 label's share of the row (Hinton, Vinyals and Dean 2015)
//   Poisson       a - y log a - (y - y log y)                                 half the deviance
//   Gamma         y / a - 1 - log(y / a)                                      half the deviance
#pragma once
#include <cstddef>
#include <string_view>
#include <vector>

namespace hylo {

struct LossSpec;

enum class Output { Identity, Logistic, Softmax, Exponential, Softplus, Ordinal };
enum class Loss { Squared, Absolute, Huber, Quantile, CrossEntropy, Poisson, Gamma };

// The likelihood that a loss stands for: how minus twice its logarithm follows from the mean loss.
enum class Likelihood {
  Variance,   // the loss is a variance that is unknown: n log
  Size,       // the mean size of errors that is unknown: 2 n log
  Known,      // minus the logarithm itself: 2 n times
  Dispersed,  // half a deviance, whose dispersion is unknown: n times, over the dispersion
};

// What is known of a loss beside its arithmetic on vectors, which is loss_here() in kernel_body.hpp. One record each,
// in loss.cpp. Beside it a loss is asked for by its name where it alone is meant: the squared error, whose curvature is
// the same everywhere, and the quantiles.
struct LossRecord {
  std::string_view name;
  Loss loss;
  bool classes;      // its predictions are probabilities
  bool smooth;       // has a slope everywhere
  bool above_zero;   // its predictions have to be above 0
  bool one_target;   // all outputs are of one target
  Likelihood likelihood;
  double likelihood_factor;  // for a dispersion of 1, this many times the loss is minus the logarithm of the likelihood
  double dispersion_factor;  // the dispersion is this many times the mean loss
  // Its curvature, or that of a parabola that touches it from above, times `inside`, the square of the output's slope;
  // `corner` keeps off corners.
  double (*curvature)(const LossSpec& spec, double inside, double prediction, double error, double corner);
};

const LossRecord& record_of(Loss loss);

Output output_named(std::string_view name);  // these throw std::invalid_argument for a name that is not known
Loss loss_named(std::string_view name);

struct LossSpec {
  Output output = Output::Identity;
  Loss loss = Loss::Squared;
  double delta = 1;                // Huber's d
  double smoothing = 0;           // CrossEntropy's s
  double temperature = 1;         // CrossEntropy's T
  std::vector<double> quantiles;  // Quantile: one for each output unit
  std::size_t classes = 0;        // Ordinal: ordered classes; their thresholds stand behind the network's weights
};

// The quantile nearest to the median: the one that predicts where one number is asked for.
std::size_t middle_quantile(const std::vector<double>& quantiles);

// One block's linear values, column by column, `lead` apart, so that everything runs along rows. Rows are padded to
// whole vectors by copies of the last one with weight 0.
template <class T>
struct LossBlock {
  std::size_t rows, width, lead;
  const T* y;  // columns of targets; one for all quantiles
  const T* weight;
  T scale;                            // factor of the gradient
  T* z;                               // becomes scale * weight * dloss/dz
  const double* quantiles = nullptr;  // those of the spec
  const T* soft = nullptr;  // columns: the label's share, then each class's soft share; Logistic and Softmax only
};

// The thresholds of Ordinal from the parameters behind the weights: t_1 = 0, t_k = t_(k-1) + exp(gap_(k-1)), so that
// they are in order whatever the gaps.
template <class T>
void ordinal_thresholds(std::size_t classes, const T* gaps, double* thresholds);

// Ordinal's part of LossBlock: y holds the class, from 0. Adds the gradient of the gaps to `gap_gradient`, returns the
// loss.
template <class T>
double ordinal_loss(const LossBlock<T>& block, std::size_t classes, const T* gaps, T* gap_gradient);

// Probabilities of the classes, `classes` columns, from the one column of linear values.
template <class T>
void ordinal_predictions(std::size_t rows, std::size_t lead, std::size_t classes, const T* gaps, const T* z,
                         T* predictions);

}  // namespace hylo
