#include "contraction.hpp"

#include "jobs.hpp"

#include <atomic>
#include <chrono>
#include <cmath>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

#include "parallel.hpp"

namespace hylo {

namespace {

// Of a job: an epoch of it, what it has come to, or that it has ended.
struct News {
  std::size_t job;
  std::optional<Progress> epoch{};
  std::vector<double> state{};
};

// What the pool's threads tell the caller's.
class Mailbox {
 public:
  void put(const News& news) {
    const std::lock_guard<std::mutex> lock(mutex_);
    news_.push_back(news);
  }
  void worker_ended(const std::exception_ptr& failure) {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      if (failure && !failure_) failure_ = failure;
      ++ended_;
    }
    changed_.notify_one();
  }
  // Waits a little, or until `workers` have ended; returns the news and whether they have.
  bool look(std::size_t workers, std::vector<News>& news) {
    std::unique_lock<std::mutex> lock(mutex_);
    const bool all = changed_.wait_for(lock, std::chrono::milliseconds(20), [&] { return ended_ == workers; });
    news.swap(news_);
    return all;
  }
  void rethrow() const {
    if (failure_) std::rethrow_exception(failure_);
  }

 private:
  std::mutex mutex_;
  std::condition_variable changed_;
  std::vector<News> news_;
  std::exception_ptr failure_;
  std::size_t ended_ = 0;
};

template <class T>
Trained<T> run(const Job<T>& job, const KernelLevel& level, Watch watch, std::size_t threads) {
  watch.rows = job.watched;
  return train<T>(*job.network, job.regimen, *job.table, job.training, job.validation, job.beginning, level, watch,
                  threads);
}

template <class T>
bool keeps(const Job<T>& job, const JobWatch<T>& watch) {
  return job.keeps || std::isfinite(watch.every);
}

}  // namespace

template <class T>
std::vector<Trained<T>> train_jobs(Span<const Job<T>> jobs, const KernelLevel& level, const JobWatch<T>& watch,
                                   std::size_t threads) {
  std::vector<Trained<T>> results(jobs.size());
  if (jobs.size() == 1) {
    Watch alone;
    alone.epoch_done = [&](const Progress& p) { return watch.epoch_done(0, p); };
    alone.stop_requested = watch.stop_requested;
    alone.every = watch.every;
    if (keeps(jobs[0], watch)) alone.keep = [&](const std::vector<double>& state) { watch.keep(0, state); };
    results[0] = run(jobs[0], level, alone, threads);
    watch.job_done(0, results[0]);
    return results;
  }
  std::atomic<bool> stop{false};
  std::atomic<std::size_t> next{0};
  Mailbox mailbox;
  const auto work = [&] {
    std::exception_ptr failure;
    try {
      for (std::size_t i; !stop && (i = next.fetch_add(1)) < jobs.size();) {
        Watch mine;
        mine.epoch_done = [&, i](const Progress& p) {
          mailbox.put({i, p, {}});
          return !stop.load();
        };
        mine.stop_requested = [&] { return stop.load(); };
        mine.every = watch.every;
        if (keeps(jobs[i], watch))
          mine.keep = [&, i](const std::vector<double>& state) { mailbox.put({i, std::nullopt, state}); };
        results[i] = run(jobs[i], level, mine, 1);
        mailbox.put({i, std::nullopt, {}});
      }
    } catch (...) {
      failure = std::current_exception();
      stop = true;
    }
    mailbox.worker_ended(failure);
  };
  const std::size_t workers = std::max<std::size_t>(1, std::min(threads, jobs.size()));
  std::vector<std::thread> pool;
  add_threads(pool, workers, work);
  if (pool.empty()) {  // the system gives none: the caller's own does it all, and hears of it afterwards
    work();
  }
  const std::size_t begun = std::max<std::size_t>(pool.size(), 1);
  std::exception_ptr thrown;  // by the caller's functions: the threads have to end before it goes on
  try {
    std::vector<News> news;
    for (bool ended = false; !ended;) {
      news.clear();
      ended = mailbox.look(begun, news);
      for (const News& one : news) {
        if (!one.state.empty()) {
          watch.keep(one.job, one.state);
        } else if (!one.epoch) {
          if (!watch.job_done(one.job, results[one.job])) stop = true;
        } else if (!stop && !watch.epoch_done(one.job, *one.epoch)) {
          stop = true;
        }
      }
      if (!ended && watch.stop_requested()) stop = true;
    }
  } catch (...) {
    thrown = std::current_exception();
    stop = true;
  }
  for (std::thread& thread : pool) thread.join();
  if (thrown) std::rethrow_exception(thrown);
  mailbox.rethrow();
  return results;
}

#define HYLO_INSTANTIATE(T)                                                                                  \
  template std::vector<Trained<T>> train_jobs<T>(Span<const Job<T>>, const KernelLevel&, const JobWatch<T>&, \
                                                 std::size_t);
HYLO_INSTANTIATE(float)
HYLO_INSTANTIATE(double)

}  // namespace hylo
