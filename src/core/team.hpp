// Threads that stay together for the length of a fit and share out the small tasks of each step. Which thread does a
// task must not matter to its result; then the number of threads doesn't either.
#pragma once
#include <atomic>
#include <condition_variable>
#include <cstddef>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

#include "denormal.hpp"

namespace hylo {

class Team {
 public:
  explicit Team(std::size_t threads) {
    others_.reserve(threads);
    try {
      for (std::size_t worker = 1; worker < threads; ++worker) others_.emplace_back([this, worker] { serve(worker); });
    } catch (const std::exception&) {  // the system gives no more threads or memory: fewer do the same work
    }
  }
  ~Team() {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      ending_ = true;
      round_.fetch_add(1, std::memory_order_release);
    }
    wake_.notify_all();
    for (std::thread& other : others_) other.join();
  }
  Team(const Team&) = delete;
  Team& operator=(const Team&) = delete;

  std::size_t size() const { return others_.size() + 1; }

  // Calls work(task, worker) for every task of 0 .. tasks - 1, with worker < size(), and returns when all are done.
  // `work` must not throw.
  template <class Work>
  void run(std::size_t tasks, const Work& work) {
    if (others_.empty() || tasks < 2) {
      for (std::size_t task = 0; task < tasks; ++task) work(task, std::size_t(0));
      return;
    }
    call_ = [](const void* what, std::size_t task, std::size_t worker) {
      (*static_cast<const Work*>(what))(task, worker);
    };
    what_ = &work;
    tasks_ = tasks;
    next_.store(0, std::memory_order_relaxed);
    busy_.store(others_.size(), std::memory_order_relaxed);
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      round_.fetch_add(1, std::memory_order_release);
    }
    if (asleep_.load(std::memory_order_acquire) > 0) wake_.notify_all();
    take(0);
    while (busy_.load(std::memory_order_acquire) > 0) std::this_thread::yield();
  }

 private:
  void take(std::size_t worker) {
    for (std::size_t task; (task = next_.fetch_add(1, std::memory_order_relaxed)) < tasks_;) call_(what_, task, worker);
  }

  // Between steps a thread looks for work some thousand times before it goes to sleep: steps follow each other within
  // microseconds, and waking up takes longer than that.
  void serve(std::size_t worker) {
    const FlushDenormals flush;
    for (unsigned long seen = 0;;) {
      for (int look = 0; look < 4000 && round_.load(std::memory_order_acquire) == seen; ++look)
        std::this_thread::yield();
      if (round_.load(std::memory_order_acquire) == seen) {
        std::unique_lock<std::mutex> lock(mutex_);
        asleep_.fetch_add(1, std::memory_order_release);
        wake_.wait(lock, [&] { return round_.load(std::memory_order_acquire) != seen; });
        asleep_.fetch_sub(1, std::memory_order_release);
      }
      seen = round_.load(std::memory_order_acquire);
      if (ending_) return;
      take(worker);
      busy_.fetch_sub(1, std::memory_order_release);
    }
  }

  std::vector<std::thread> others_;
  std::mutex mutex_;
  std::condition_variable wake_;
  std::atomic<unsigned long> round_{0};
  std::atomic<std::size_t> asleep_{0}, next_{0}, busy_{0};
  bool ending_ = false;
  void (*call_)(const void*, std::size_t, std::size_t) = nullptr;
  const void* what_ = nullptr;
  std::size_t tasks_ = 0;
};

}  // namespace hylo
