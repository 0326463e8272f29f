// Every level that this processor runs, in both precisions, against plain loops and the C library.
#include <catch.h>

#include <cmath>
#include <limits>

#include "helpers.hpp"

using namespace hylo_test;

namespace {

template <class T>
AlignedVector<T> random_matrix(std::size_t rows, std::size_t width, std::uint64_t seed) {
  AlignedVector<T> m(rows * row_stride<T>(width));
  Stream stream({seed, 0, 0, Purpose::Start});
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t j = 0; j < width; ++j) m[i * row_stride<T>(width) + j] = T(stream.normal());
  }
  return m;
}

// Largest error of c = start + a b, in units of epsilon times the sum of absolute products.
template <class T>
double product_error(const Kernel<T>& kernel, std::size_t m, std::size_t n, std::size_t k, bool transposed,
                     bool accumulate) {
  const auto a = transposed ? random_matrix<T>(k, m, 1) : random_matrix<T>(m, k, 1);
  const auto b = random_matrix<T>(k, n, 2);
  auto c = random_matrix<T>(m, n, 3);
  const auto bias = random_matrix<T>(1, n, 4);
  const auto before = c;
  const std::size_t a_stride = row_stride<T>(transposed ? m : k), stride = row_stride<T>(n);
  kernel.multiply(Product<T>{Extent{m, n, k}, Left<T>{a.data(), transposed ? 1 : a_stride, transposed ? a_stride : 1},
                             Right<T>{b.data(), stride}, Result<T>{c.data(), stride},
                             accumulate ? Origin<T>{c.data(), stride} : Origin<T>{bias.data(), 0}});
  double worst = 0;
  for (std::size_t i = 0; i < m; ++i) {
    for (std::size_t j = 0; j < n; ++j) {
      double sum = accumulate ? before[i * stride + j] : bias[j], size = std::fabs(sum);
      for (std::size_t l = 0; l < k; ++l) {
        const double p = double(transposed ? a[l * a_stride + i] : a[i * a_stride + l]) * double(b[l * stride + j]);
        sum += p;
        size += std::fabs(p);
      }
      worst = std::max(worst, std::fabs(double(c[i * stride + j]) - sum) / size);
    }
    for (std::size_t j = n; j < stride; ++j) REQUIRE(c[i * stride + j] == T(0));
  }
  return worst / double(std::numeric_limits<T>::epsilon());
}

template <class T>
void check_products(const KernelLevel& level) {
  for (std::size_t m : {1, 2, 5, 6, 7, 13, 24}) {
    for (std::size_t n : {1, 3, 16, 17, 40, 64, 100}) {
      for (std::size_t k : {1, 2, 20, 256}) {
        INFO(level.name << " " << m << " x " << n << ", " << k << " deep");
        CHECK(product_error(kernel_of<T>(level), m, n, k, false, false) < 2 + double(k));
        CHECK(product_error(kernel_of<T>(level), m, n, k, true, true) < 2 + double(k));
      }
    }
  }
}

template <class T>
double relative_error(double found, double wanted) {
  if (std::isnan(wanted)) return std::isnan(found) ? 0 : INFINITY;
  if (wanted == found) return 0;
  return std::fabs(found - wanted) / std::max(std::fabs(wanted), double(std::numeric_limits<T>::min()));
}

template <class T, class Reference>
void check_activation(const KernelLevel& level, Activation f, Reference reference, double within) {
  AlignedVector<T> x;
  const T top = std::is_same<T, float>::value ? T(85) : T(700);
  for (int i = -4000; i <= 4000; ++i) x.push_back(top * T(i) / T(4000));
  for (double tiny : {0.0, 1e-30, -1e-30, 1e-6, -1e-6, 1e-3, 0.1, -0.3, 0.34657, -0.34657}) x.push_back(T(tiny));
  x.push_back(std::numeric_limits<T>::quiet_NaN());
  x.push_back(std::numeric_limits<T>::infinity());
  x.push_back(-std::numeric_limits<T>::infinity());
  x.resize(row_stride<T>(x.size()));
  auto y = x;
  kernel_of<T>(level).activate(f, y.data(), y.size());
  for (std::size_t i = 0; i < x.size(); ++i) {
    INFO(level.name << " at " << x[i] << ": " << y[i]);
    CHECK(relative_error<T>(double(y[i]), reference(double(x[i]))) < within);
  }
}

double logistic(double x) { return 1 / (1 + std::exp(-x)); }
double relu(double x) { return x < 0 ? 0 : x; }

// Over the range where they are not yet flat or linear, to a few units of the largest of 1 and the value.
template <class T>
void check_all_activations(const KernelLevel& level, double within) {
  const std::pair<Activation, double (*)(double)> references[] = {
      {Activation::LeakyRelu, [](double x) { return x < 0 ? 0.01 * x : x; }},
      {Activation::Elu, [](double x) { return x < 0 ? std::expm1(x) : x; }},
      {Activation::Selu,
       [](double x) { return 1.0507009873554805 * (x < 0 ? 1.6732632423543772 * std::expm1(x) : x); }},
      {Activation::Gelu,
       [](double x) {
         return x / 2 * (1 + std::tanh(std::sqrt(2 / 3.14159265358979323846) * (x + 0.044715 * x * x * x)));
       }},
      {Activation::Silu, [](double x) { return x * logistic(x); }},
      {Activation::Softplus, [](double x) { return std::log1p(std::exp(x)); }},
      {Activation::Gaussian, [](double x) { return std::exp(-x * x); }},
      {Activation::Sine, [](double x) { return std::sin(x); }}};
  for (const auto& [f, reference] : references) {
    AlignedVector<T> x;
    for (int i = -1600; i < 1600; ++i) x.push_back(T(i) / T(80));
    auto y = x;
    kernel_of<T>(level).activate(f, y.data(), y.size());
    double worst = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
      const double wanted = reference(double(x[i]));
      worst = std::max(worst, std::fabs(double(y[i]) - wanted) / std::max(1.0, std::fabs(wanted)));
    }
    INFO(level.name << ", activation " << int(f));
    CHECK(worst < within);
    AlignedVector<T> nan(row_stride<T>(1), std::numeric_limits<T>::quiet_NaN());
    kernel_of<T>(level).activate(f, nan.data(), nan.size());
    CHECK(std::isnan(double(nan[0])));
    if (slope_from_value(f)) continue;
    auto kept = x, slope = x;
    kernel_of<T>(level).activate_keep(f, kept.data(), slope.data(), kept.size());
    CHECK(kept == y);
  }
}

}  // namespace

TEST_CASE("products equal plain sums at every level") {
  for (const KernelLevel* level : kernel_levels()) {
    check_products<float>(*level);
    check_products<double>(*level);
  }
}

TEST_CASE("activations agree with the C library at every level") {
  // exp's argument is rounded before it is used, so its relative error grows with the argument's size
  for (const KernelLevel* level : kernel_levels()) {
    check_all_activations<float>(*level, 1e-6);
    check_all_activations<double>(*level, 4e-15);
    check_activation<float>(
        *level, Activation::Tanh, [](double x) { return std::tanh(x); }, 5e-7);
    check_activation<double>(
        *level, Activation::Tanh, [](double x) { return std::tanh(x); }, 1e-15);
    check_activation<double>(*level, Activation::Relu, relu, 1e-300);
    check_activation<float>(*level, Activation::Relu, relu, 1e-300);
  }
}

TEST_CASE("no activation and no output predictions anything but numbers, however far its argument lies") {
  const Activation all_of_them[] = {Activation::Logistic,  Activation::Tanh,    Activation::Relu,
                                    Activation::LeakyRelu, Activation::Elu,     Activation::Selu,
                                    Activation::Gelu,      Activation::Silu,    Activation::Softplus,
                                    Activation::Gaussian,  Activation::Identity};
  for (const KernelLevel* level : kernel_levels()) {
    for (double size = 1; size < 1e12; size *= 1.09) {
      for (const double x : {size, -size}) {
        for (const Activation f : all_of_them) {
          AlignedVector<float> z(row_stride<float>(1), float(x)), kept = z, slope = z;
          AlignedVector<double> precise(row_stride<double>(1), x);
          level->single.activate(f, z.data(), z.size());
          level->single.activate_keep(f, kept.data(), slope.data(), kept.size());
          level->precise.activate(f, precise.data(), precise.size());
          INFO(level->name << ", activation " << int(f) << " of " << x);
          REQUIRE(std::fabs(double(z[0]) - precise[0]) <= 1e-5 * std::fabs(precise[0]) + 1e-6);
          REQUIRE((slope_from_value(f) || std::isfinite(slope[0])));
        }
        for (const Output output : {Output::Logistic, Output::Exponential, Output::Softplus}) {
          AlignedVector<float> z(row_stride<float>(1), float(x));
          level->single.prediction(output, 1, 1, 1, z.data());
          INFO(level->name << ", output " << int(output) << " of " << x);
          REQUIRE(std::isfinite(z[0]));
        }
      }
    }
  }
}

TEST_CASE("the logistic is exact to a few units in the last place until it underflows") {
  for (const KernelLevel* level : kernel_levels()) {
    for (double x = -80; x <= 80; x += 0.37) {
      AlignedVector<float> single(row_stride<float>(1), float(x));
      AlignedVector<double> precise(row_stride<double>(1), x);
      level->single.activate(Activation::Logistic, single.data(), single.size());
      level->precise.activate(Activation::Logistic, precise.data(), precise.size());
      CHECK(relative_error<float>(double(single[0]), logistic(double(float(x)))) < 4e-7);
      CHECK(relative_error<double>(precise[0], logistic(x)) < 1e-15);
    }
  }
}

TEST_CASE("Adam's quotient without root and division instructions keeps single precision") {
  for (const KernelLevel* level : kernel_levels()) {
    for (double g : {1e-12, 1e-6, 1e-3, 0.7, 30.0, 1e5}) {
      AlignedVector<float> gradient(16, float(g)), mean(16), square(16), w(16, 0.0f);
      level->single.adam(AdamRates<float>{1, 0, 1, 0, 1, 1e-8f, 1}, AdamMeans<float>{mean.data(), square.data()},
                         Moved<float>{gradient.data(), w.data(), 16});
      // the square is what single precision holds of it
      const double root = std::sqrt(double(float(g) * float(g)));
      CHECK(double(w[3]) == Approx(-g / (root + 1e-8)).epsilon(5e-7));
    }
  }
}

TEST_CASE("a matrix of any shape is transposed, and rows are gathered in their order") {
  for (const KernelLevel* level : kernel_levels()) {
    for (std::size_t rows : {1, 7, 16, 33, 64}) {
      for (std::size_t width : {1, 5, 16, 40}) {
        const auto m = random_matrix<float>(rows, width, 9);
        const std::size_t stride = row_stride<float>(width), to_stride = row_stride<float>(rows);
        AlignedVector<float> t(width * to_stride);
        level->single.transpose(Transposition<float>{m.data(), rows, width, stride, t.data(), to_stride});
        bool same = true;
        for (std::size_t i = 0; i < rows; ++i) {
          for (std::size_t j = 0; j < width; ++j) same = same && t[j * to_stride + i] == m[i * stride + j];
        }
        CHECK(same);
      }
    }
    const auto m = random_matrix<double>(5, 3, 2);
    const std::uint32_t order[] = {4, 0, 4};
    AlignedVector<double> out(3 * 8);
    level->precise.gather(Gathering<double>{m.data(), order, 3, 8, out.data(), 8});
    CHECK(out[0] == m[32]);
    CHECK(out[9] == m[1]);
    CHECK(out[18] == m[34]);
  }
}

namespace {

void set_environment(const char* name, const char* value) {
#ifdef _WIN32
  _putenv_s(name, value);
#else
  setenv(name, value, 1);
#endif
}

}  // namespace

TEST_CASE("the slowest level is always there, and a level can be forced") {
  CHECK(std::string(kernel_levels().front()->name) == "generic");
  set_environment("HYLOMATH_KERNEL", "generic");
  CHECK(std::string(kernel_level().name) == "generic");
  set_environment("HYLOMATH_KERNEL", "abacus");
  CHECK_THROWS_WITH(kernel_level(), Catch::Contains("abacus") && Catch::Contains("generic"));
  set_environment("HYLOMATH_KERNEL", "");
  CHECK(std::string(kernel_level().name) == kernel_levels().back()->name);
}
