// The training loop.
#pragma once
#include <cstdint>
#include <functional>
#include <vector>

#include "kernel.hpp"
#include "network.hpp"
#include "optimiser.hpp"
#include "span.hpp"
#include "table.hpp"

namespace hylo {

struct Regimen {
  OptimiserSpec optimiser;
  std::size_t batch_size = 64;
  std::size_t epochs = 300;
  std::size_t patience = 20;  // epochs without a lower validation loss before training stops; 0 for never
  std::uint64_t seed = 1;
  std::uint32_t job = 0;
};

struct Epoch {
  double training;    // mean loss over the epoch's batches, as they were trained
  double validation;  // mean loss of the validation rows at the epoch's end; NaN without such rows
  double seconds;     // since training began
};

struct Progress {
  std::size_t epoch;  // 1, 2, ...
  std::size_t best;   // the epoch with the lowest validation loss so far
  double best_loss;
  std::size_t rows;   // training rows an epoch
  Epoch now;
};

// Epochs: all were done. Patience: validation did not get better. Interrupted: somebody asked. Diverged: the loss
// became infinite or not a number.
enum class Stopped { Epochs, Patience, Interrupted, Diverged };

struct Watch {
  std::function<bool(const Progress&)> epoch_done = [](const Progress&) { return true; };  // false ends training
  std::function<bool()> stop_requested = [] { return false; };                             // asked after each batch
};

template <class T>
struct Trained {
  AlignedVector<T> parameters;  // those of the best epoch
  std::vector<Epoch> epochs;
  std::size_t best = 0;         // 1, 2, ...; 0 when not one epoch came to its end
  Stopped stopped = Stopped::Epochs;
};

// `training` and `validation` are row numbers of the table; `validation` may be empty, then the last epoch counts as
// the best. Nothing is allocated once the first batch has begun.
template <class T>
Trained<T> train(const NetworkSpec& network, const Regimen& regimen, const Table<T>& table,
                 Span<const std::uint32_t> training, Span<const std::uint32_t> validation,
                 Span<const double> output_bias, const KernelLevel& level, const Watch& watch);

}  // namespace hylo
