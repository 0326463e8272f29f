// Many fits as one call: jobs over shared, read-only tables, each on one thread of a pool of the call's own. A job's
// result depends on the job alone.
#pragma once
#include <cstddef>
#include <functional>
#include <vector>

#include "train.hpp"

namespace hylo {

template <class T>
struct Job {
  const NetworkSpec* network = nullptr;
  const Table<T>* table = nullptr;
  Regimen regimen;
  Span<const std::uint32_t> training, validation, watched;  // watched: the rows of Watch
  Beginning beginning;
  bool keeps = false;  // whether its state is asked for when it ends, see Watch
};

// All are called on the caller's own thread: epochs in the order in which each job did them, then that the job has
// ended, and a few dozen times a second whether to stop. A false, or a stop, ends all jobs; those not begun are left
// out. What is thrown here ends all jobs too, and comes out of train_jobs.
template <class T>
struct JobWatch {
  std::function<bool(std::size_t job, const Progress&)> epoch_done = [](std::size_t, const Progress&) { return true; };
  std::function<bool(std::size_t job, const Trained<T>&)> job_done = [](std::size_t, const Trained<T>&) {
    return true;
  };
  std::function<bool()> stop_requested = [] { return false; };
  // The states of jobs that keep them, and of all where `every` is finite.
  std::function<void(std::size_t job, const std::vector<double>&)> keep = [](std::size_t, const auto&) {};
  double every = std::numeric_limits<double>::infinity();
};

// One job uses all threads itself; several use one each. A job that was left out has no parameters.
template <class T>
std::vector<Trained<T>> train_jobs(Span<const Job<T>> jobs, const KernelLevel& level, const JobWatch<T>& watch,
                                   std::size_t threads);

}  // namespace hylo
