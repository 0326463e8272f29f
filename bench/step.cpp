// Time of a whole training step (gather, forward, loss, backward, Adam), of predicting, and of the pool, against the
// time that the linked BLAS needs for the same matrix products alone. Both sides single-threaded, interleaved in this
// one run, medians of warm repeats. Built and run by `make bench`; bench/training.R compares with plain R matrices.
#include <cblas.h>
#include <sys/wait.h>
#include <unistd.h>

#if defined(__x86_64__)
#include <immintrin.h>
#endif

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <functional>
#include <iterator>
#include <string>
#include <vector>

#include "jobs.hpp"
#include "kernel.hpp"
#include "pass.hpp"
#include "train.hpp"

extern "C" void openblas_set_num_threads(int);
extern "C" char* openblas_get_corename(void);

using namespace hylo;

namespace {

double seconds_of(const std::function<void()>& work) {
  const auto began = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
}

double median(std::vector<double> x) {
  std::nth_element(x.begin(), x.begin() + long(x.size() / 2), x.end());
  return x[x.size() / 2];
}

struct Shape {
  std::vector<int> widths;
  std::size_t batch;
};

NetworkSpec network_of(const Shape& shape) {
  NetworkSpec spec;
  spec.inputs = std::size_t(shape.widths.front());
  for (std::size_t l = 1; l < shape.widths.size(); ++l) {
    LayerSpec layer;
    layer.units = std::size_t(shape.widths[l]);
    layer.activation = l + 1 < shape.widths.size() ? Activation::Relu : Activation::Identity;
    spec.layers.push_back(layer);
  }
  spec.loss.output = shape.widths.back() > 1 ? Output::Softmax : Output::Logistic;
  spec.loss.loss = Loss::CrossEntropy;
  return spec;
}

Table<float> table_of(const Shape& shape, std::size_t rows) {
  Table<float> table(rows, std::size_t(shape.widths.front()), std::size_t(shape.widths.back()));
  std::fill(table.x.begin(), table.x.end(), 0.0f);
  Stream stream({1, 0, 0, Purpose::Split});
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t j = 0; j < table.inputs; ++j) table.x_row(i)[j] = float(stream.normal());
    if (table.outputs > 1)
      table.y_row(i)[stream.below(std::uint32_t(table.outputs))] = 1;
    else
      table.y_row(i)[0] = float(stream.below(2));
  }
  return table;
}

// The step's products: forward, gradient of the weights and, but for the first layer, gradient of what comes in.
class Products {
 public:
  explicit Products(const Shape& shape, bool backward) : shape_(shape), backward_(backward) {
    const std::size_t widest = std::size_t(*std::max_element(shape.widths.begin(), shape.widths.end()));
    for (std::size_t l = 0; l < shape.widths.size(); ++l)
      values_.emplace_back(shape.batch * widest, 0.5f), d_.emplace_back(shape.batch * widest, 0.25f);
    for (std::size_t l = 0; l + 1 < shape.widths.size(); ++l)
      weights_.emplace_back(widest * widest, 0.1f), gradients_.emplace_back(widest * widest);
  }
  void run() {
    const int m = int(shape_.batch);
    const auto& w = shape_.widths;
    for (std::size_t l = 0; l + 1 < w.size(); ++l) {
      cblas_sgemm(CblasRowMajor, CblasNoTrans, CblasNoTrans, m, w[l + 1], w[l], 1, values_[l].data(), w[l],
                  weights_[l].data(), w[l + 1], 0, values_[l + 1].data(), w[l + 1]);
    }
    for (std::size_t l = w.size() - 1; backward_ && l-- > 0;) {
      cblas_sgemm(CblasRowMajor, CblasTrans, CblasNoTrans, w[l], w[l + 1], m, 1, values_[l].data(), w[l],
                  d_[l + 1].data(), w[l + 1], 0, gradients_[l].data(), w[l + 1]);
      if (l > 0)
        cblas_sgemm(CblasRowMajor, CblasNoTrans, CblasTrans, m, w[l], w[l + 1], 1, d_[l + 1].data(), w[l + 1],
                    weights_[l].data(), w[l + 1], 0, d_[l].data(), w[l]);
    }
  }

 private:
  Shape shape_;
  bool backward_;
  std::vector<std::vector<float>> values_, d_, weights_, gradients_;
};

std::vector<std::uint32_t> counted(std::size_t n) {
  std::vector<std::uint32_t> rows(n);
  for (std::size_t i = 0; i < n; ++i) rows[i] = std::uint32_t(i);
  return rows;
}

void print_name(const Shape& shape) {
  for (std::size_t l = 0; l < shape.widths.size(); ++l) std::printf("%s%d", l ? "-" : "", shape.widths[l]);
  std::printf(" at %zu", shape.batch);
}

// Operations of a loop of multiply-adds that wait for nothing: the most that a core can do.
volatile float kept;
#if defined(__x86_64__)
// for one width of vectors, by its own instructions
#define MULTIPLY_ADDS(name, set, vec, all, fmadd)                                                   \
  __attribute__((target(set))) double name() {                                                      \
    constexpr long rounds = 2000000, chains = 12;                                                   \
    vec sums[chains], a = all(0.5f), b = all(1e-9f);                                                \
    for (int c = 0; c < chains; ++c) sums[c] = a;                                                   \
    for (long i = 0; i < rounds; ++i) {                                                             \
      _Pragma("GCC unroll 12") for (int c = 0; c < chains; ++c) { sums[c] = fmadd(sums[c], b, a); } \
      asm("" : "+v"(a)); /* or the compiler sees where it ends */                                   \
    }                                                                                               \
    float all_sums[sizeof(sums) / (sizeof(float))];                                                 \
    std::memcpy(all_sums, sums, sizeof sums);                                                       \
    kept = *std::max_element(all_sums, std::end(all_sums));                                         \
    return double(rounds) * chains * (sizeof(vec) / sizeof(float)) * 2;                             \
  }
MULTIPLY_ADDS(multiply_adds_avx2, "avx2,fma", __m256, _mm256_set1_ps, _mm256_fmadd_ps)
MULTIPLY_ADDS(multiply_adds_avx512, "avx512f", __m512, _mm512_set1_ps, _mm512_fmadd_ps)
#undef MULTIPLY_ADDS
#endif

double peak() {
  double most = 0;
#if defined(__x86_64__)
  const bool wide = std::string(kernel_level().name) == "avx512";
  for (int repeat = 0; repeat < 15; ++repeat) {
    double operations = 0;
    const double took = seconds_of([&] { operations = wide ? multiply_adds_avx512() : multiply_adds_avx2(); });
    most = std::max(most, operations / took);
  }
#endif
  return most;
}

// Those of a step's products.
double operations_of(const Shape& shape) {
  double sum = 0;
  for (std::size_t l = 0; l + 1 < shape.widths.size(); ++l)
    sum += (l > 0 ? 6.0 : 4.0) * double(shape.batch) * shape.widths[l] * shape.widths[l + 1];
  return sum;
}

void step_against_products(const Shape& shape, double most) {
  const std::size_t rows = std::max<std::size_t>(16384 / shape.batch * shape.batch, 4 * shape.batch),
                    steps = rows / shape.batch;
  const auto table = table_of(shape, rows);
  const auto chosen = counted(rows);
  Regimen regimen;
  regimen.batch_size = shape.batch;
  regimen.epochs = 8;
  Products products(shape, true);
  std::vector<double> ours, theirs, ratios;
  for (int repeat = 0; repeat < 15; ++repeat) {
    const auto trained = train<float>(network_of(shape), regimen, table, chosen, {}, {}, kernel_level(), {});
    std::vector<double> epochs;
    for (std::size_t e = 1; e < trained.epochs.size(); ++e)
      epochs.push_back(trained.epochs[e].seconds - trained.epochs[e - 1].seconds);
    ours.push_back(median(epochs) / double(steps));
    std::vector<double> blas;
    for (int i = 0; i < 7; ++i)
      blas.push_back(seconds_of([&] {
                       for (std::size_t s = 0; s < steps; ++s) products.run();
                     }) /
                     double(steps));
    theirs.push_back(median(blas));
    ratios.push_back(ours.back() / theirs.back());
  }
  print_name(shape);
  std::printf(": step %.2f us, products alone %.2f us, ratio %.2f", 1e6 * median(ours), 1e6 * median(theirs),
              median(ratios));
  if (most > 0) std::printf("; %.0f %% of a core's peak", 100 * operations_of(shape) / median(ours) / most);
  std::printf("\n");
}

// The median time of a step of this network.
double step_seconds(const NetworkSpec& spec, const Shape& shape, const Table<float>& table,
                    const std::vector<std::uint32_t>& rows) {
  Regimen regimen;
  regimen.batch_size = shape.batch;
  regimen.epochs = 5;
  const auto trained = train<float>(spec, regimen, table, rows, {}, {}, kernel_level(), {});
  std::vector<double> epochs;
  for (std::size_t e = 1; e < trained.epochs.size(); ++e)
    epochs.push_back(trained.epochs[e].seconds - trained.epochs[e - 1].seconds);
  return median(epochs) / double((rows.size() + shape.batch - 1) / shape.batch);
}

// A step with dropout, or with another activation, against the same one by relu without dropout.
void steps_against_plain(const Shape& shape) {
  const auto table = table_of(shape, 8192);
  const auto rows = counted(8192);
  const NetworkSpec plain = network_of(shape);
  std::vector<std::pair<const char*, NetworkSpec>> others;
  const auto with = [&](const char* name, Activation f, double dropout) {
    NetworkSpec spec = plain;
    for (std::size_t l = 0; l + 1 < spec.layers.size(); ++l) {
      spec.layers[l].activation = f;
      spec.layers[l].dropout = dropout;
    }
    others.emplace_back(name, spec);
  };
  with("dropout 0.2", Activation::Relu, 0.2);
  with("silu", Activation::Silu, 0);
  with("gelu", Activation::Gelu, 0);
  with("tanh", Activation::Tanh, 0);
  print_name(shape);
  std::printf(", against relu:");
  for (const auto& other : others) {
    std::vector<double> ratios;
    for (int repeat = 0; repeat < 21; ++repeat) {
      const double base = step_seconds(plain, shape, table, rows);
      ratios.push_back(step_seconds(other.second, shape, table, rows) / base);
    }
    std::printf(" %s %.2f", other.first, median(ratios));
  }
  std::printf("\n");
}

// Predictions for all rows against the forward products alone.
void prediction_against_products(const Shape& shape) {
  const std::size_t rows = 16384;
  const auto table = table_of(shape, rows);
  const auto order = counted(rows);
  const NetworkSpec spec = network_of(shape);
  const Layout<float> layout(spec);
  Pass<float> pass(spec, layout, kernel_of<float>(kernel_level()));
  AlignedVector<float> w(layout.size());
  start_parameters<float>(spec, layout, {}, {1, 0, 0, Purpose::Start}, w);
  std::vector<float> out(rows * spec.predictions());
  Products products({shape.widths, kBlockRows}, false);
  const auto prediction = [&] {
    for (std::size_t at = 0; at < rows; at += kBlockRows) {
      pass.predictions(table, Span<const std::uint32_t>(order.data() + at, kBlockRows),
                   Span<const float>(w.data(), w.size()), out.data() + at * spec.predictions());
    }
  };
  const auto multiply = [&] {
    for (std::size_t at = 0; at < rows; at += kBlockRows) products.run();
  };
  std::vector<double> ours, theirs, ratios;
  for (int repeat = 0; repeat < 31; ++repeat) {
    ours.push_back(seconds_of(prediction));
    theirs.push_back(seconds_of(multiply));
    ratios.push_back(ours.back() / theirs.back());
  }
  print_name({shape.widths, kBlockRows});
  std::printf(": predicting %.2f us a block, products alone %.2f us, ratio %.2f\n",
              1e6 * median(ours) / double(rows / kBlockRows), 1e6 * median(theirs) / double(rows / kBlockRows),
              median(ratios));
}

// Seconds until two processes that each do the work are done.
double in_two_processes(const std::function<void()>& work) {
  return seconds_of([&] {
    for (int i = 0; i < 2; ++i) {
      if (fork() == 0) {
        work();
        _exit(0);
      }
    }
    while (wait(nullptr) > 0) {
    }
  });
}

// What two threads gain, over what two independent processes gain at that moment. `whole` does all the work on so many
// threads, `half` half of it on one.
void threads_against_processes(const char* what, const std::function<void(std::size_t)>& whole,
                               const std::function<void()>& half) {
  std::vector<double> gains, controls, ratios;
  for (int repeat = 0; repeat < 11; ++repeat) {
    const double one = seconds_of([&] { whole(1); }), two = seconds_of([&] { whole(2); }),
                 processes = in_two_processes(half);
    gains.push_back(one / two);
    controls.push_back(one / processes);
    ratios.push_back(gains.back() / controls.back());
  }
  std::printf("%s: two threads gain %.2f, two processes %.2f, ratio %.2f\n", what, median(gains), median(controls),
              median(ratios));
}

void threads() {
  const Shape shape = {{50, 128, 64, 2}, 4096};
  const auto table = table_of(shape, 65536);
  const auto rows = counted(65536);
  const NetworkSpec spec = network_of(shape);
  const auto fit = [&](std::size_t epochs, std::size_t n) {
    Regimen regimen;
    regimen.batch_size = shape.batch;
    regimen.epochs = epochs;
    train<float>(spec, regimen, table, rows, {}, {}, kernel_level(), {}, n);
  };
  threads_against_processes(
      "one fit, 50-128-64-2 at 4096", [&](std::size_t n) { fit(6, n); }, [&] { fit(3, 1); });

  const Shape small = {{20, 64, 32, 3}, 64};
  const auto small_table = table_of(small, 4096);
  const auto small_rows = counted(4096);
  const NetworkSpec small_spec = network_of(small);
  const auto pool = [&](std::size_t jobs, std::size_t n) {
    std::vector<Job<float>> list(jobs);
    for (std::size_t i = 0; i < jobs; ++i) {
      list[i].network = &small_spec;
      list[i].table = &small_table;
      list[i].regimen.epochs = 10;
      list[i].regimen.job = std::uint32_t(i);
      list[i].training = small_rows;
    }
    train_jobs<float>(Span<const Job<float>>(list), kernel_level(), {}, n);
  };
  threads_against_processes(
      "16 fits in the pool, 20-64-32-3 at 64", [&](std::size_t n) { pool(16, n); }, [&] { pool(8, 1); });
}

}  // namespace

int main() {
  openblas_set_num_threads(1);
  std::printf("kernels %s; BLAS kernel %s\n", kernel_level().name, openblas_get_corename());
  const std::vector<Shape> shapes = {{{50, 128, 64, 2}, 256},     {{50, 128, 64, 2}, 1024}, {{100, 256, 128, 10}, 256},
                                     {{100, 256, 128, 10}, 1024}, {{20, 64, 32, 3}, 256},   {{20, 64, 32, 3}, 32},
                                     {{20, 16, 1}, 256},          {{20, 16, 1}, 32}};
  const double most = peak();
  if (most > 0) std::printf("peak of a core: %.0f GFLOPS\n", most / 1e9);
  for (const Shape& shape : shapes) step_against_products(shape, most);
  for (std::size_t i : {0, 2, 4}) steps_against_plain(shapes[i]);
  for (std::size_t i : {0, 2, 4, 6}) prediction_against_products(shapes[i]);
  threads();
}
