#include "contraction.hpp"

#include "train.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>
#include <memory>
#include <stdexcept>

#include "denormal.hpp"
#include "method.hpp"
#include "noise.hpp"

namespace hylo {

namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

template <class T>
double weight_of(Span<const std::uint32_t> rows, const Table<T>& table) {
  double sum = 0;
  for (std::uint32_t i : rows) sum += double(table.weight[i]);
  return sum;
}

Tally mean_of(Tally t, double weight) { return {t.hits / weight, t.absolute / weight, t.squared / weight}; }

// What an epoch's steps come to.
struct Pace {
  double loss = 0;                         // mean over the weights
  double gradient = 0;                     // length, see Epoch
  double largest = 0;                      // component of the last gradient
  double first_batch = kNaN;               // mean loss
  double at_start = 0, at_prediction = 0;  // largest slopes of the first layer's biases and of the prediction's
  double rate = kNaN;
  std::size_t updates = 0;
  double penalty = kNaN;
  bool moved = true, interrupted = false;
};

// An epoch in which nothing moves.
Pace evaluate_only(double loss) {
  Pace pace;
  pace.loss = loss;
  pace.gradient = kNaN;
  pace.largest = std::numeric_limits<double>::infinity();
  return pace;
}

// How far the error came, by slopes that no penalty has a part in.
template <class T>
void reach_of(const Layout<T>& layout, const Kernel<T>& kernel, Span<const T> gradient, Pace& pace) {
  double squares = 0;
  const std::size_t last = layout.layers() - 1;
  kernel.measure(gradient.data() + layout.biases_at(0), layout.stride(0), &squares, &pace.at_start);
  kernel.measure(gradient.data() + layout.biases_at(last), layout.stride(last), &squares, &pace.at_prediction);
}

// Below these there is nothing that came, or nothing to come.
constexpr double kNothingOfIt = 1e-12, kNoError = 1e-12;

bool vanished(const Pace& pace) {
  return pace.at_prediction > kNoError && pace.at_start <= kNothingOfIt * pace.at_prediction;
}

// By the loss at the epoch's end where validation rows tell it: many a network comes back from its first steps.
// `stood` gives what these rows had before, which is far from the training rows' where there are outliers among them.
// `lowest_before` is the lowest training loss of the epochs before, if there were any.
template <class Stood>
bool exploded(const Epoch& now, const Pace& pace, bool first, double lowest_before, const Stood& stood) {
  const bool tells = !std::isnan(now.validation);
  if (!tells && first) return false;
  const double lowest = std::min(std::isnan(pace.first_batch) ? now.training : pace.first_batch, lowest_before);
  const auto far_above = [](double loss, double from) { return loss > kExploded * (1 + std::abs(from)); };
  return far_above(tells ? now.validation : now.training, lowest) && (!tells || far_above(now.validation, stood()));
}

template <class T>
class Steps {
 public:
  virtual ~Steps() = default;
  virtual Pace epoch(std::size_t epoch, Span<T> parameters, const Watch& watch) = 0;
  virtual void observe(double) {}
  virtual void serialise(Archive& archive) = 0;  // all that later epochs depend on
};

// More rows than these are shuffled in pools.
constexpr std::size_t kMostShuffled = std::size_t(1) << 20, kPool = std::size_t(1) << 18;

template <class T>
class BatchSteps : public Steps<T> {
 public:
  BatchSteps(const NetworkSpec& network, const Regimen& regimen, Objective<T>& objective, const Kernel<T>& kernel,
             Span<const std::uint32_t> training, double weight)
      : regimen_(regimen),
        objective_(objective),
        kernel_(kernel),
        optimiser_(regimen.optimiser, network, objective.layout(), kernel),
        schedule_(regimen.schedule, regimen.epochs),
        gradient_(objective.layout().size()),
        training_(training),
        order_(training.begin(), training.end()),
        stretches_(training.size() > kMostShuffled ? (training.size() + kStretch - 1) / kStretch : 0),
        weight_(weight) {}

  Pace epoch(std::size_t epoch, Span<T> parameters, const Watch& watch) override {
    deal(epoch);
    const double rate = schedule_.rate(epoch);
    Pace pace;
    pace.rate = rate * regimen_.optimiser.learning_rate;
    double squares = 0;
    for (std::size_t from = 0; from < order_.size(); from += regimen_.batch_size) {
      fetch_pool(from);
      const Span<const std::uint32_t> rows(order_.data() + from, std::min(regimen_.batch_size, order_.size() - from));
      const Draw draw = {regimen_.seed, regimen_.job, std::uint32_t(epoch), pace.updates};
      pace.loss += objective_.gradient(rows, Span<const T>(parameters), &draw, Span<T>(gradient_));
      if (from == 0) pace.first_batch = pace.loss / weight_of(rows, objective_.table());
      if (!std::isfinite(pace.loss)) break;
      reach_of(objective_.layout(), kernel_, Span<const T>(gradient_), pace);
      const GradientSize size = optimiser_.step(rate, Span<T>(gradient_), parameters);
      squares += size.norm * size.norm;
      pace.largest = size.largest;
      ++pace.updates;
      if (watch.stop_requested()) {
        pace.interrupted = true;
        break;
      }
    }
    pace.loss /= weight_;
    pace.gradient = std::sqrt(squares / double(pace.updates));
    return pace;
  }

  void observe(double loss) override { schedule_.observe(loss); }

  void serialise(Archive& archive) override {
    optimiser_.serialise(archive);
    schedule_.serialise(archive);
  }

 private:
  // An epoch's order depends on its number alone. Many rows are read in long pieces, so that their pages come from disk
  // one after another where memory is too small for them.
  void deal(std::size_t epoch) {
    const StreamKey key = {regimen_.seed, regimen_.job, std::uint32_t(epoch), Purpose::Shuffle};
    if (!stretches_.empty()) {
      shuffle_in_pools(training_, kPool, stretches_, order_, key);
    } else {
      std::copy(training_.begin(), training_.end(), order_.begin());
      shuffle(order_, key);
    }
  }

  // Where a batch is the first of a pool, the pool's rows will all be asked for soon.
  void fetch_pool(std::size_t from) {
    if (stretches_.empty() || from % kPool >= regimen_.batch_size) return;
    if (from == 0) objective_.table().in_no_order(training_[0], training_[training_.size() - 1]);
    const std::size_t first = from / kPool * (kPool / kStretch);
    for (std::size_t s = first; s < std::min(first + kPool / kStretch + 1, stretches_.size()); ++s) {
      const std::size_t at = std::size_t(stretches_[s]) * kStretch;
      objective_.table().soon(training_[at], training_[std::min(at + kStretch, training_.size()) - 1]);
    }
  }

  Regimen regimen_;
  Objective<T>& objective_;
  const Kernel<T>& kernel_;
  Optimiser<T> optimiser_;
  Schedule schedule_;
  AlignedVector<T> gradient_;
  Span<const std::uint32_t> training_;
  std::vector<std::uint32_t> order_;
  std::vector<std::uint32_t> stretches_;  // room for the shuffle of many rows
  double weight_;
};

class WholeSteps : public Steps<double> {
 public:
  WholeSteps(const Regimen& regimen, Objective<double>& objective, const Kernel<double>& kernel,
             Span<const std::uint32_t> training, double weight)
      : kernel_(kernel), loss_(objective, training, weight), method_(whole_method(regimen.optimiser, loss_, kernel)) {}

  Pace epoch(std::size_t, Span<double> parameters, const Watch& watch) override {
    if (!loss_.stop_requested)
      loss_.stop_requested = [this, &watch] { return asked_ = asked_ || watch.stop_requested(); };
    const Step step = method_->step(loss_, parameters);
    Pace pace;
    double squares = 0;
    kernel_.measure(method_->gradient().data(), method_->gradient().size(), &squares, &pace.largest);
    pace.loss = step.loss;
    pace.gradient = std::sqrt(squares);
    reach_of(loss_.objective().layout(), kernel_, method_->gradient(), pace);
    pace.updates = 1;
    pace.moved = step.moved;
    pace.penalty = method_->penalty();
    pace.interrupted = loss_.interrupted();
    return pace;
  }

  void serialise(Archive& archive) override {
    loss_.serialise(archive);
    method_->serialise(archive);
  }

 private:
  const Kernel<double>& kernel_;
  bool asked_ = false;
  WholeLoss loss_;
  std::unique_ptr<WholeMethod> method_;
};

template <class T>
std::unique_ptr<Steps<T>> steps_of(const NetworkSpec& network, const Regimen& regimen, Objective<T>& objective,
                                   const Kernel<T>& kernel, Span<const std::uint32_t> training, double weight) {
  if (takes_whole_table(regimen.optimiser.method)) {
    if constexpr (std::is_same<T, double>::value) {
      return std::make_unique<WholeSteps>(regimen, objective, kernel, training, weight);
    } else {
      throw std::invalid_argument("this method works in double precision");
    }
  }
  return std::make_unique<BatchSteps<T>>(network, regimen, objective, kernel, training, weight);
}

// What training has come to after an epoch, apart from the method's own.
struct Reached {
  // patience counts from the epoch patience_from, or from the best one
  std::size_t epochs = 0, updates = 0, patience_from = 0;
  double best_loss = std::numeric_limits<double>::infinity();
  bool ended = false;  // by a stopping rule
};

// Whether an epoch can have been; of those beside it one has validation rows if all have.
bool can_have_been(const Epoch& e, const Epoch& first, Stopped stopped) {
  const bool known = std::isfinite(e.training) && std::isnan(e.validation) == std::isnan(first.validation);
  return (known || stopped == Stopped::Diverged) && e.seconds >= 0 && e.seconds < 1e10;
}

template <class T>
void keep_all(Archive& archive, Reached& here, AlignedVector<T>& parameters, Trained<T>& result, Steps<T>& steps) {
  int stopped = int(result.stopped);
  archive(here.epochs, here.updates, here.patience_from, here.best_loss, here.ended, stopped, result.best,
          result.penalty);
  archive.require(stopped <= int(Stopped::Vanished) && result.best <= here.epochs && here.epochs <= archive.left());
  result.stopped = Stopped(stopped);
  archive(parameters, result.parameters);
  result.epochs.resize(here.epochs);
  for (Epoch& e : result.epochs) {
    archive(e.training, e.validation, e.rate, e.gradient, e.updates, e.seconds, e.watched);
    for (Tally* t : {&e.training_tally, &e.validation_tally}) archive(t->hits, t->absolute, t->squared);
    archive.require(can_have_been(e, result.epochs[0], result.stopped));
  }
  steps.serialise(archive);
  archive.finish();
}

// Why training ends after this epoch, if it does.
bool reached(const StopRules& stop, const Pace& pace, const Epoch& now, std::size_t epoch, std::size_t best,
             bool validates, Stopped& why) {
  if (!pace.moved)
    why = Stopped::Converged;
  else if (vanished(pace))
    why = Stopped::Vanished;
  else if (stop.gradient > 0 && pace.largest <= stop.gradient)
    why = Stopped::GradientGoal;
  else if (stop.loss > 0 && now.training <= stop.loss)
    why = Stopped::LossGoal;
  else if (validates && stop.patience > 0 && epoch - best >= stop.patience)
    why = Stopped::Patience;
  else if (stop.seconds > 0 && now.seconds >= stop.seconds)
    why = Stopped::Time;
  else if (stop.epoch > 0 && epoch >= stop.epoch)
    why = Stopped::Epochs;
  else
    return false;
  return true;
}

}  // namespace

template <class T>
Trained<T> train(const NetworkSpec& network, const Regimen& regimen, const Table<T>& table,
                 Span<const std::uint32_t> training, Span<const std::uint32_t> validation, const Beginning& beginning,
                 const KernelLevel& level, const Watch& watch, std::size_t threads) {
  using Clock = std::chrono::steady_clock;
  const FlushDenormals flush;
  const Kernel<T>& kernel = kernel_of<T>(level);
  const Layout<T> layout(network);
  Team team(threads);
  Objective<T> objective(network, layout, kernel, table, team,
                         std::max({training.size(), validation.size(), watch.rows.size()}));
  AlignedVector<T> parameters(layout.size());
  const double training_weight = weight_of(training, table), validation_weight = weight_of(validation, table),
               watched_weight = weight_of(watch.rows, table);
  const bool validates = !validation.empty();
  const auto& optimiser = regimen.optimiser;
  const bool chooses = validates && !goes_to_the_end(optimiser);  // the best epoch, by them
  const auto steps = steps_of<T>(network, regimen, objective, kernel, training, training_weight);

  start_parameters(network, layout, beginning.output_bias, {regimen.seed, regimen.job, 0, Purpose::Start},
                   Span<T>(parameters));
  if (!beginning.linear.empty()) start_from_linear(network, layout, beginning.linear, Span<T>(parameters));
  if (!beginning.parameters.empty()) pack_parameters<T>(layout, beginning.parameters, parameters);
  const bool stands = network.skip || !beginning.parameters.empty();  // in the first epoch
  Trained<T> result;
  result.parameters = parameters;
  Reached so_far;
  if (!beginning.state.empty()) {
    Archive archive(beginning.state);
    keep_all(archive, so_far, parameters, result, *steps);
    const bool final = result.stopped == Stopped::Converged || result.stopped == Stopped::Diverged ||
                       result.stopped == Stopped::Vanished;
    if (so_far.ended && (final || !beginning.further)) return result;
    if (so_far.ended) so_far.patience_from = so_far.epochs;
    so_far.ended = false;
    result.stopped = Stopped::Epochs;
  }
  result.epochs.reserve(std::max(regimen.epochs, result.epochs.size()));
  const double before = result.epochs.empty() ? 0 : result.epochs.back().seconds;
  const auto began = Clock::now();
  double kept_at = before, lowest = std::numeric_limits<double>::infinity();
  for (const Epoch& e : result.epochs) lowest = std::min(lowest, e.training);

  double l2 = kNaN;
  const auto follow_noise = [&](double share) {
    if (!optimiser.by_noise) return;
    l2 = l2_by_noise(optimiser.cases > 0 ? optimiser.cases : double(training.size()), share);
    objective.set_l2(l2);
  };
  const auto share_after = [&](const Epoch& e) {
    return noise_share(network.loss, validates ? e.validation : e.training, network.predictions());
  };
  follow_noise(result.epochs.empty() ? 1 : share_after(result.epochs.back()));

  for (std::size_t epoch = so_far.epochs + 1; epoch <= regimen.epochs; ++epoch) {
    const Pace pace = epoch == 1 && stands
                          ? evaluate_only(objective.loss(training, Span<const T>(parameters)) / training_weight)
                          : steps->epoch(epoch, Span<T>(parameters), watch);
    so_far.updates += pace.updates;
    if (pace.interrupted) {
      // An unfinished epoch counts only when there is no finished one to fall back on.
      if (result.best == 0) result.parameters = parameters;
      result.stopped = Stopped::Interrupted;
      return result;
    }

    Epoch now = {pace.loss, kNaN, pace.rate, pace.gradient, so_far.updates, 0, kNaN, {}, {}};
    const Span<const T> here(parameters);
    if (validates) now.validation = objective.loss(validation, here) / validation_weight;
    if (!watch.rows.empty()) now.watched = objective.loss(watch.rows, here) / watched_weight;
    if (regimen.tally) now.training_tally = mean_of(objective.tally(training, here), training_weight);
    if (regimen.tally && validates)
      now.validation_tally = mean_of(objective.tally(validation, here), validation_weight);
    now.seconds = before + std::chrono::duration<double>(Clock::now() - began).count();
    const auto stood = [&] {
      return result.best > 0 ? so_far.best_loss
                             : objective.loss(validation, Span<const T>(result.parameters)) / validation_weight;
    };
    if (!std::isfinite(now.training) || (validates && !std::isfinite(now.validation)) ||
        exploded(now, pace, result.epochs.empty(), lowest, stood)) {
      result.stopped = Stopped::Diverged;
      return result;
    }
    result.epochs.push_back(now);
    lowest = std::min(lowest, now.training);
    if (!chooses || now.validation < so_far.best_loss) {
      so_far.best_loss = now.validation;
      result.best = epoch;
      result.penalty = optimiser.by_noise ? l2 : pace.penalty;
      std::copy(parameters.begin(), parameters.end(), result.parameters.begin());
    }
    follow_noise(share_after(now));
    steps->observe(validates ? now.validation : now.training);
    so_far.epochs = epoch;
    so_far.ended =
        reached(regimen.stop, pace, now, epoch, std::max(result.best, so_far.patience_from), chooses, result.stopped);
    const bool go_on = watch.epoch_done({epoch, result.best, so_far.best_loss, training.size(), now});
    const bool last = so_far.ended || !go_on || epoch == regimen.epochs;
    if (watch.keep && (last || now.seconds - kept_at >= watch.every)) {
      std::vector<double> state;
      Archive archive(state);
      keep_all(archive, so_far, parameters, result, *steps);
      watch.keep(state);
      kept_at = now.seconds;
    }
    if (!go_on && !so_far.ended) result.stopped = Stopped::Interrupted;
    if (last) return result;
  }
  return result;
}

#define HYLO_INSTANTIATE(T)                                                                                    \
  template Trained<T> train<T>(const NetworkSpec&, const Regimen&, const Table<T>&, Span<const std::uint32_t>, \
                               Span<const std::uint32_t>, const Beginning&, const KernelLevel&, const Watch&,  \
                               std::size_t);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
