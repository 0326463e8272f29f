// The training loop.
#pragma once
#include <cstdint>
#include <functional>
#include <limits>
#include <vector>

#include "archive.hpp"
#include "kernel.hpp"
#include "network.hpp"
#include "objective.hpp"
#include "optimiser.hpp"
#include "schedule.hpp"
#include "span.hpp"
#include "table.hpp"

namespace hylo {

// Each is looked at after every epoch; 0 for never.
struct StopRules {
  std::size_t patience = 20;  // epochs without a lower validation loss
  double gradient = 0;        // no component of the last gradient is larger
  double loss = 0;            // the training loss is not larger
  double seconds = 0;
  std::size_t epoch = 0;  // training ends after this one, whatever its schedule goes by
};

struct Regimen {
  OptimiserSpec optimiser;
  ScheduleSpec schedule;
  StopRules stop;
  std::size_t batch_size = 64;  // for the methods that take batches; the others take all rows
  std::size_t epochs = 300;
  bool tally = false;  // whether hits and errors are counted after each epoch
  std::uint64_t seed = 1;
  std::uint32_t job = 0;
};

struct Epoch {
  double
      training;  // mean loss over the epoch's batches, as they were trained; for whole-table methods at the epoch's end
  double validation;                       // mean loss of the validation rows at the epoch's end; NaN without such rows
  double rate;                             // learning rate; NaN for methods without
  double gradient;                         // length of the gradient: root of the mean square over the epoch's batches
  std::size_t updates;                     // steps since training began
  double seconds;                          // since training began
  double watched;                          // mean loss of the watched rows; NaN without such rows
  Tally training_tally, validation_tally;  // means over the rows; of training rows at the epoch's end
};

struct Progress {
  std::size_t epoch;  // 1, 2, ...
  std::size_t best;   // the epoch with the lowest validation loss so far
  double best_loss;
  std::size_t rows;  // training rows an epoch
  Epoch now;
};

// Epochs: all were done. Patience: validation did not get better. GradientGoal, LossGoal, Time: the stopping rules of
// these names. Converged: a whole-table method finds no lower loss. Interrupted: somebody asked. Diverged: the loss
// became infinite or not a number, or kExploded times what it had been. Vanished: in a whole epoch nothing of the error
// came to the first layer, so that only the prediction's level can still be learned.
enum class Stopped { Epochs, Patience, GradientGoal, LossGoal, Time, Converged, Interrupted, Diverged, Vanished };
inline constexpr double kExploded = 1e4;  // times one more than the lowest loss

struct Watch {
  std::function<bool(const Progress&)> epoch_done = [](const Progress&) { return true; };  // false ends training
  std::function<bool()> stop_requested = [] { return false; };                             // asked after each batch
  Span<const std::uint32_t> rows{};  // rows whose loss is measured after each epoch and decides nothing
  // Given what training has come to, from which it goes on to the same bits (see Beginning): after the first epoch that
  // ends so many seconds after the last time, and when training ends.
  std::function<void(const std::vector<double>&)> keep{};
  double every = std::numeric_limits<double>::infinity();
};

// What is known of the first prediction: the output layer's first biases, and then the gaps, as far as they are given;
// or, for a network with a skip connection, the dense parameters of the linear model that it starts from, unless empty.
struct Beginning {
  Span<const double> output_bias{};
  Span<const double> linear{};
  Span<const double> parameters{};  // dense ones of a network that learns on, unless empty
  Span<const double> state{};       // of a training that was cut short, unless empty
  // Whether training goes on although it had ended by its stopping rules; patience begins anew.
  bool further = false;
};

template <class T>
struct Trained {
  AlignedVector<T> parameters;  // those of the best epoch
  std::vector<Epoch> epochs;
  std::size_t best = 0;  // 1, 2, ...; 0 when not one epoch came to its end
  double penalty =
      std::numeric_limits<double>::quiet_NaN();  // what the data chose by the best epoch, if they were asked
  Stopped stopped = Stopped::Epochs;
};

// The first epoch of a network with a skip connection, or of one that learns on, is its start as it stands, so that
// validation rows can choose it.
//
// `training` and `validation` are row numbers of the table; `validation` may be empty, then the last epoch counts as
// the best; so it does for a method that goes to the one minimum. The result doesn't depend on the number of threads.
// Nothing is allocated once the first epoch is done. Whole-table methods are for T = double; they throw
// std::invalid_argument for float.
template <class T>
Trained<T> train(const NetworkSpec& network, const Regimen& regimen, const Table<T>& table,
                 Span<const std::uint32_t> training, Span<const std::uint32_t> validation, const Beginning& beginning,
                 const KernelLevel& level, const Watch& watch, std::size_t threads = 1);

}  // namespace hylo
