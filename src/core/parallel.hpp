// Work on parts of a range on several threads. Every part is worked on by itself, so the number of threads can't change
// a result.
#pragma once
#include <algorithm>
#include <atomic>
#include <cstddef>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace hylo {

// Up to `wanted` more threads; where the system gives no more of them, or no memory, those that there are do the work.
template <class Task>
void add_threads(std::vector<std::thread>& threads, std::size_t wanted, Task task) {
  try {
    threads.reserve(threads.size() + wanted);
    for (std::size_t i = 0; i < wanted; ++i) threads.emplace_back(task);
  } catch (const std::exception&) {
  }
}

// Calls work(from, to) for consecutive parts of 0 .. n, each `part` long, the last one shorter. The first exception is
// thrown again once all threads have ended.
template <class Work>
void in_parts(std::size_t n, std::size_t part, std::size_t threads, Work work) {
  std::atomic<std::size_t> next{0};
  std::exception_ptr failure;
  std::mutex mutex;
  const auto take = [&] {
    for (std::size_t from; (from = next.fetch_add(part)) < n;) {
      try {
        work(from, std::min(n, from + part));
      } catch (...) {
        const std::lock_guard<std::mutex> lock(mutex);
        if (!failure) failure = std::current_exception();
        next = n;
      }
    }
  };
  const std::size_t useful = std::min(threads, (n + part - 1) / std::max<std::size_t>(part, 1));
  std::vector<std::thread> others;
  add_threads(others, useful > 0 ? useful - 1 : 0, take);
  take();
  for (std::thread& other : others) other.join();
  if (failure) std::rethrow_exception(failure);
}

}  // namespace hylo
