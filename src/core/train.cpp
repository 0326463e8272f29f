#include "train.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>

#include "denormal.hpp"
#include "pass.hpp"

namespace hylo {

namespace {

template <class T>
double weight_of(Span<const std::uint32_t> rows, const Table<T>& table) {
  double sum = 0;
  for (std::uint32_t i : rows) sum += double(table.weight[i]);
  return sum;
}

}  // namespace

template <class T>
Trained<T> train(const NetworkSpec& network, const Regimen& regimen, const Table<T>& table,
                 Span<const std::uint32_t> training, Span<const std::uint32_t> validation,
                 Span<const double> output_bias, const KernelLevel& level, const Watch& watch) {
  using Clock = std::chrono::steady_clock;
  const FlushDenormals flush;
  const Kernel<T>& kernel = kernel_of<T>(level);
  const Layout<T> layout(network);
  Pass<T> pass(network, layout, kernel);
  Optimiser<T> optimiser(regimen.optimiser, network, layout, kernel);
  AlignedVector<T> parameters(layout.size()), gradient(layout.size());
  std::vector<std::uint32_t> order(training.begin(), training.end());
  const double training_weight = weight_of(training, table);
  const double validation_weight = weight_of(validation, table);

  start_parameters(network, layout, output_bias, {regimen.seed, regimen.job, 0, Purpose::Start},
                   Span<T>(parameters));
  Trained<T> result;
  result.parameters = parameters;
  result.epochs.reserve(regimen.epochs);
  double best_loss = std::numeric_limits<double>::infinity();
  const auto began = Clock::now();

  for (std::size_t epoch = 1; epoch <= regimen.epochs; ++epoch) {
    std::copy(training.begin(), training.end(), order.begin());  // an epoch's order depends on its number alone
    shuffle(order, {regimen.seed, regimen.job, std::uint32_t(epoch), Purpose::Shuffle});

    double loss = 0;
    for (std::size_t from = 0, batch = 0; from < order.size(); from += regimen.batch_size, ++batch) {
      const Span<const std::uint32_t> rows(order.data() + from, std::min(regimen.batch_size, order.size() - from));
      const DropoutDraw draw = {regimen.seed, regimen.job, std::uint32_t(epoch), batch};
      loss += pass.gradient(table, rows, Span<const T>(parameters), &draw, Span<T>(gradient));
      optimiser.step(Span<const T>(gradient), Span<T>(parameters));
      if (watch.stop_requested()) {
        // An unfinished epoch counts only when there is no finished one to fall back on.
        if (result.best == 0) result.parameters = parameters;
        result.stopped = Stopped::Interrupted;
        return result;
      }
    }

    Epoch now = {loss / training_weight, std::numeric_limits<double>::quiet_NaN(), 0};
    if (!validation.empty()) now.validation = pass.loss(table, validation, Span<const T>(parameters)) / validation_weight;
    now.seconds = std::chrono::duration<double>(Clock::now() - began).count();
    if (!std::isfinite(now.training) || (!validation.empty() && !std::isfinite(now.validation))) {
      result.stopped = Stopped::Diverged;
      return result;
    }
    result.epochs.push_back(now);
    if (validation.empty() || now.validation < best_loss) {
      best_loss = now.validation;
      result.best = epoch;
      std::copy(parameters.begin(), parameters.end(), result.parameters.begin());
    }
    if (!watch.epoch_done({epoch, result.best, best_loss, order.size(), now})) {
      result.stopped = Stopped::Interrupted;
      return result;
    }
    if (!validation.empty() && regimen.patience > 0 && epoch - result.best >= regimen.patience) {
      result.stopped = Stopped::Patience;
      return result;
    }
  }
  return result;
}

#define HYLO_INSTANTIATE(T)                                                                                       \
  template Trained<T> train<T>(const NetworkSpec&, const Regimen&, const Table<T>&, Span<const std::uint32_t>,    \
                               Span<const std::uint32_t>, Span<const double>, const KernelLevel&, const Watch&);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
