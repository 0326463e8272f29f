#include <catch.h>

#include <cstring>
#include <thread>

#include "helpers.hpp"
#include "jobs.hpp"

using namespace hylo_test;

namespace {

struct Setting {
  NetworkSpec spec = network_of(5, {8}, Activation::Tanh, 3, Output::Softmax);
  Table<float> table = table_of<float>(400, 5, 3, Output::Softmax);
  std::vector<std::uint32_t> rows = all_rows(400);

  std::vector<Job<float>> jobs(std::size_t n, std::size_t epochs) {
    std::vector<Job<float>> result(n);
    for (std::size_t i = 0; i < n; ++i) {
      result[i].network = &spec;
      result[i].table = &table;
      result[i].regimen.epochs = epochs;
      result[i].regimen.job = std::uint32_t(i);
      result[i].regimen.stop.patience = 0;
      result[i].training = Span<const std::uint32_t>(rows).part(100, 300);
      result[i].validation = Span<const std::uint32_t>(rows).part(0, 100);
    }
    return result;
  }
};

}  // namespace

TEST_CASE("jobs give what each gives alone, on any number of threads, and report every epoch in order") {
  Setting s;
  const auto jobs = s.jobs(5, 6);
  for (std::size_t threads : {1, 2, 4}) {
    std::vector<std::size_t> seen(5, 0);
    const auto caller = std::this_thread::get_id();
    JobWatch<float> watch;
    watch.epoch_done = [&](std::size_t job, const Progress& p) {
      CHECK(std::this_thread::get_id() == caller);
      CHECK(p.epoch == ++seen[job]);
      return true;
    };
    const auto results = train_jobs<float>(Span<const Job<float>>(jobs), kernel_level(), watch, threads);
    for (std::size_t i = 0; i < 5; ++i) {
      CHECK(seen[i] == 6);
      const auto alone =
          train<float>(s.spec, jobs[i].regimen, s.table, jobs[i].training, jobs[i].validation, {}, kernel_level(), {});
      CHECK(std::memcmp(alone.parameters.data(), results[i].parameters.data(),
                        alone.parameters.size() * sizeof(float)) == 0);
      if (i > 0) CHECK(results[i].parameters != results[0].parameters);
    }
  }
}

TEST_CASE("a stop ends all jobs, and a job that can't be done is an error") {
  Setting s;
  auto jobs = s.jobs(4, 1000000);
  JobWatch<float> watch;
  watch.epoch_done = [](std::size_t, const Progress& p) { return p.epoch < 3; };
  const auto results = train_jobs<float>(Span<const Job<float>>(jobs), kernel_level(), watch, 2);
  CHECK(results[0].stopped == Stopped::Interrupted);
  CHECK(results[3].parameters.empty());
  jobs[1].regimen.optimiser.method = Method::Lbfgs;
  CHECK_THROWS_AS(train_jobs<float>(Span<const Job<float>>(jobs), kernel_level(), watch, 2), std::invalid_argument);
}
