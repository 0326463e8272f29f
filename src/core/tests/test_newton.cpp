// Newton's method: its curvatures against finite differences of the slopes, where it ends, and what a network or a plan
// must be before anything is built on it.
#include <catch.h>

#include <cmath>
#include <numeric>
#include <stdexcept>

#include "curvature.hpp"
#include "encode.hpp"
#include "helpers.hpp"
#include "train.hpp"

using namespace hylo_test;

namespace {

double logistic_of(double z) { return 1 / (1 + std::exp(-z)); }

}  // namespace

TEST_CASE("curvatures of canonical outputs are second derivatives, others expected ones") {
  const double z = 0.4, h = 1e-5;
  double found = 0;
  const auto at = [&](Output output, Loss loss, double y) {
    LossSpec spec;
    spec.output = output;
    spec.loss = loss;
    Curvature curvature(spec, 1);
    curvature.begin({}, 1);
    curvature.of_row(&z, &y, &found);
    return found;
  };
  const auto slope_difference = [&](auto slope) { return (slope(z + h) - slope(z - h)) / (2 * h); };
  CHECK(at(Output::Identity, Loss::Squared, 3) == Approx(2));
  CHECK(at(Output::Logistic, Loss::CrossEntropy, 1) ==
        Approx(slope_difference([](double t) { return logistic_of(t) - 1; })));
  CHECK(at(Output::Exponential, Loss::Poisson, 2) ==
        Approx(slope_difference([](double t) { return std::exp(t) - 2; })));
  // expected: a gamma's is that where y is its mean, a Huber's far out that of the parabola above it
  CHECK(at(Output::Exponential, Loss::Gamma, 7) == Approx(1));
  CHECK(at(Output::Identity, Loss::Huber, 10.4) == Approx(0.1));
  CHECK(at(Output::Identity, Loss::Absolute, 2.4) == Approx(1 / 2.001));
}

TEST_CASE("the curvature of several classes is that of a softmax, of ordered ones their information") {
  LossSpec softmax;
  softmax.output = Output::Softmax;
  softmax.loss = Loss::CrossEntropy;
  Curvature curvature(softmax, 3);
  const double z[] = {0.2, -0.4, 1.1}, y[] = {0, 1, 0};
  double matrix[9];
  curvature.of_row(z, y, matrix);
  double sum = 0;
  for (double t : z) sum += std::exp(t);
  for (int a = 0; a < 3; ++a) {
    for (int b = 0; b < 3; ++b) {
      const double p = std::exp(z[a]) / sum, q = std::exp(z[b]) / sum;
      CHECK(matrix[3 * a + b] == Approx((a == b ? p : 0) - p * q));
    }
  }
  LossSpec ordered;
  ordered.output = Output::Ordinal;
  ordered.loss = Loss::CrossEntropy;
  ordered.classes = 3;
  Curvature information(ordered, 1);
  const double gap = 0.3, score = 0.2, class_of = 1;
  information.begin({&gap, 1}, 1);
  double found[4], wanted[4] = {};
  information.of_row(&score, &class_of, found);
  const auto logs = [](double t, double g, int c) {
    const double first = logistic_of(-t), second = logistic_of(std::exp(g) - t);
    return std::log(c == 0 ? first : c == 1 ? second - first : 1 - second);
  };
  const double h = 1e-5;
  for (int c = 0; c < 3; ++c) {
    const double p = std::exp(logs(score, gap, c));
    const double slope[] = {(logs(score + h, gap, c) - logs(score - h, gap, c)) / (2 * h),
                            (logs(score, gap + h, c) - logs(score, gap - h, c)) / (2 * h)};
    for (int i = 0; i < 4; ++i) wanted[i] += p * slope[i / 2] * slope[i % 2];
  }
  for (int i = 0; i < 4; ++i) CHECK(found[i] == Approx(wanted[i]).epsilon(1e-5));
}

TEST_CASE("Newton's method ends at the minimum that L-BFGS finds, in a few steps, whatever the validation rows say") {
  for (const auto output : {Output::Identity, Output::Logistic, Output::Softmax, Output::Exponential}) {
    const std::size_t units = output == Output::Softmax ? 3 : 1;
    const auto spec = network_of(4, {}, Activation::Identity, units, output, 0, 0.02);
    auto table = table_of<double>(120, 4, units, output);
    std::fill(table.weight.begin(), table.weight.end(), 1.0);
    const auto rows = all_rows(120);
    const Span<const std::uint32_t> all(rows);
    const auto fit = [&](Method method, Span<const std::uint32_t> validation) {
      Regimen regimen;
      regimen.optimiser.method = method;
      regimen.epochs = 400;
      regimen.stop = {0, 0, 0, 0};
      return train<double>(spec, regimen, table, all.part(0, 90), validation, {}, kernel_level(), {});
    };
    const auto newton = fit(Method::Newton, all.part(90, 30)), lbfgs = fit(Method::Lbfgs, {});
    INFO("output " << int(output));
    CHECK(newton.best == newton.epochs.size());
    CHECK(newton.epochs.size() < 40);
    CHECK(newton.epochs.back().training == Approx(lbfgs.epochs.back().training).epsilon(1e-6));
  }
}

TEST_CASE("what is common to all classes of a softmax stays where it began, and is not left to rounding") {
  const std::size_t inputs = 4, classes = 4;
  auto table = table_of<double>(120, inputs, classes, Output::Softmax);
  const auto rows = all_rows(120);
  for (const double l2 : {0.0, 0.02}) {
    const auto spec = network_of(inputs, {}, Activation::Identity, classes, Output::Softmax, 0, l2);
    const auto fit = [&](Method method, std::size_t epochs) {
      Regimen regimen;
      regimen.optimiser.method = method;
      regimen.epochs = epochs;
      regimen.stop = {0, 0, 0, 0};
      return train<double>(spec, regimen, table, rows, {}, {}, kernel_level(), {}).parameters;
    };
    // gradients keep the sums over the classes, to the rounding of few additions
    const auto newton = fit(Method::Newton, 400), lbfgs = fit(Method::Lbfgs, 5);
    const std::size_t stride = newton.size() / (inputs + 1);
    for (std::size_t i = l2 > 0 ? inputs : 0; i <= inputs; ++i) {
      INFO("l2 " << l2 << ", input " << i);
      const auto common = [&](const auto& w) { return std::accumulate(&w[i * stride], &w[i * stride] + classes, 0.0); };
      CHECK(common(newton) == Approx(common(lbfgs)).margin(1e-9));
    }
  }
}

TEST_CASE("no network is built that can't be") {
  const auto refused = [](auto change) {
    auto spec = network_of(3, {4}, Activation::Tanh, 1, Output::Identity);
    spec.validate();
    change(spec);
    CHECK_THROWS_AS(spec.validate(), std::invalid_argument);
  };
  refused([](NetworkSpec& s) { s.layers.clear(); });
  refused([](NetworkSpec& s) { s.layers[0].units = 0; });
  refused([](NetworkSpec& s) { s.layers[0].units = std::size_t(1) << 40; });
  refused([](NetworkSpec& s) { s.inputs = std::size_t(1) << 40; });
  refused([](NetworkSpec& s) { s.layers[0].dropout = 1; });
  refused([](NetworkSpec& s) { s.loss.output = Output::Softmax; });
  refused([](NetworkSpec& s) { s.loss.loss = Loss::Quantile; });
  refused([](NetworkSpec& s) { s.loss.classes = 4; });
  refused([](NetworkSpec& s) { s.embeddings.push_back({5, 0}); });
}

TEST_CASE("no plan is followed that leads out of its column") {
  const auto refused = [](auto change) {
    ColumnPlan plan;
    change(plan);
    CHECK_THROWS_AS(Encoder({plan}), std::invalid_argument);
  };
  refused([](ColumnPlan& p) { p.encoding = Encoding::Level, p.width = 2, p.unseen = 2; });
  refused([](ColumnPlan& p) { p.encoding = Encoding::Level, p.width = 2, p.missing = 1e300; });
  refused([](ColumnPlan& p) { p.encoding = Encoding::Level, p.width = 0; });
  refused([](ColumnPlan& p) { p.encoding = Encoding::Code, p.unseen = -3; });
  refused([](ColumnPlan& p) { p.scale = 0; });
  refused([](ColumnPlan& p) { p.knots = {1, 2}, p.heights = {1}; });
  refused([](ColumnPlan& p) { p.knots = {2, 1}, p.heights = {1, 2}; });
}
