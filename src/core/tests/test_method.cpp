// The whole-table methods and the schedules: on problems whose solution is known.
#include <catch.h>

#include <cmath>

#include "cholesky.hpp"
#include "helpers.hpp"
#include "method.hpp"
#include "init.hpp"
#include "train.hpp"

using namespace hylo_test;

namespace {

Trained<double> fit_all(const NetworkSpec& spec, const Table<double>& table, Method method, std::size_t epochs,
                        StopRules stop = {0, 0, 0, 0}) {
  Regimen regimen;
  regimen.optimiser.method = method;
  regimen.epochs = epochs;
  regimen.stop = stop;
  const auto rows = all_rows(table.rows);
  return train<double>(spec, regimen, table, rows, {}, {}, kernel_level(), {});
}

const Method kWhole[] = {Method::Resilient, Method::ScaledConjugate, Method::Lbfgs, Method::Levenberg};

// A damped oscillation at 60 points, scaled to variance 1.
Table<double> oscillation() {
  auto table = blank_table<double>(60, 1, 1);
  double mean = 0, square = 0;
  for (std::size_t i = 0; i < 60; ++i) {
    const double x = double(i) / 59;
    table.x_row(i)[0] = (x - 0.5) / 0.29;
    table.y_row(i)[0] = std::exp(-2.5 * x) * std::sin(12 * x);
    mean += table.y_row(i)[0] / 60;
  }
  for (double y : table.y) square += (y - mean) * (y - mean) / 60;
  for (double& y : table.y) y = (y - mean) / std::sqrt(square);
  return table;
}

}  // namespace

TEST_CASE("whole-table methods find the least-squares solution with a ridge") {
  // minimise mean (x w + b - y)^2 + 0.1 / 2 w^2 for one input: w = 2 sxy / (2 sxx + 0.1) of centred weighted moments
  auto table = table_of<double>(50, 1, 1, Output::Identity);
  std::fill(table.weight.begin(), table.weight.end(), 1.0);
  double mx = 0, my = 0, sxx = 0, sxy = 0;
  for (std::size_t i = 0; i < 50; ++i) mx += table.x_row(i)[0] / 50, my += table.y_row(i)[0] / 50;
  for (std::size_t i = 0; i < 50; ++i) {
    sxx += (table.x_row(i)[0] - mx) * (table.x_row(i)[0] - mx) / 50;
    sxy += (table.x_row(i)[0] - mx) * (table.y_row(i)[0] - my) / 50;
  }
  const double w = 2 * sxy / (2 * sxx + 0.1);
  for (Method method : kWhole) {
    const auto spec = network_of(1, {}, Activation::Identity, 1, Output::Identity, 0, 0.1);
    const auto trained = fit_all(spec, table, method, 300);
    INFO("method " << int(method));
    CHECK(trained.parameters[0] == Approx(w).epsilon(1e-5));
    CHECK(trained.parameters[8] == Approx(my - w * mx).epsilon(1e-5).margin(1e-7));
  }
}

TEST_CASE("a smooth curve that gradient descent needs tens of thousands of steps for is learned in a few hundred") {
  const auto table = oscillation();
  const auto spec = network_of(1, {8}, Activation::Tanh, 1, Output::Identity);
  CHECK(fit_all(spec, table, Method::Levenberg, 300).epochs.back().training < 1e-6);
  CHECK(fit_all(spec, table, Method::Lbfgs, 1500).epochs.back().training < 1e-4);
  CHECK(fit_all(spec, table, Method::ScaledConjugate, 3000).epochs.back().training < 1e-3);
  CHECK(fit_all(spec, table, Method::Resilient, 5000).epochs.back().training < 1e-2);
}

namespace {

// Test functions with known minima, as what a method lowers.
struct TestFunction : Lowered {
  explicit TestFunction(double (*f)(Span<const double>, Span<double>)) : function(f) {}
  double operator()(Span<const double> x, Span<double> gradient) override { return last = function(x, gradient); }
  double value(Span<const double> x) override {
    AlignedVector<double> unused(x.size());
    return last = function(x, unused);
  }
  double mean_loss() const override { return last; }
  double (*function)(Span<const double>, Span<double>);
  double last = 0;
};

// Rosenbrock (1960): minimum 0 at (1, 1), start (-1.2, 1).
double rosenbrock(Span<const double> x, Span<double> g) {
  const double a = x[1] - x[0] * x[0], b = 1 - x[0];
  g[0] = -400 * x[0] * a - 2 * b;
  g[1] = 200 * a;
  return 100 * a * a + b * b;
}

// Wood (Colville 1968; More, Garbow and Hillstrom 1981, no. 14): minimum 0 at (1, 1, 1, 1), start (-3, -1, -3, -1).
double wood(Span<const double> x, Span<double> g) {
  const double a = x[1] - x[0] * x[0], b = 1 - x[0], c = x[3] - x[2] * x[2], d = 1 - x[2], e = x[1] + x[3] - 2,
               f = x[1] - x[3];
  g[0] = -400 * x[0] * a - 2 * b;
  g[1] = 200 * a + 20 * e + 0.2 * f;
  g[2] = -360 * x[2] * c - 2 * d;
  g[3] = 180 * c + 20 * e - 0.2 * f;
  return 100 * a * a + b * b + 90 * c * c + d * d + 10 * e * e + 0.1 * f * f;
}

// Beale (1958; no. 5): minimum 0 at (3, 0.5), start (1, 1).
double beale(Span<const double> x, Span<double> g) {
  const double constants[] = {1.5, 2.25, 2.625};
  double sum = 0, power = 1;
  g[0] = g[1] = 0;
  for (int i = 0; i < 3; ++i) {
    const double former = power;
    power *= x[1];
    const double e = constants[i] - x[0] * (1 - power);
    sum += e * e;
    g[0] -= 2 * e * (1 - power);
    g[1] += 2 * e * x[0] * (i + 1) * former;
  }
  return sum;
}

}  // namespace

TEST_CASE("L-BFGS and conjugate gradient reach the minima of published test functions") {
  struct Problem {
    double (*function)(Span<const double>, Span<double>);
    std::vector<double> start, minimum;
  };
  const Problem problems[] = {
      {rosenbrock, {-1.2, 1}, {1, 1}}, {wood, {-3, -1, -3, -1}, {1, 1, 1, 1}}, {beale, {1, 1}, {3, 0.5}}};
  for (const Problem& problem : problems) {
    const std::size_t n = problem.start.size();
    for (int which : {0, 1}) {
      const auto method = which == 0 ? lbfgs(n) : scaled_conjugate(n, n);
      AlignedVector<double> x(problem.start.begin(), problem.start.end()), g(n);
      TestFunction f(problem.function);
      for (int i = 0; i < 20000 && method->step(f, x).moved; ++i) {
      }
      f(x, g);
      INFO("method " << which);
      for (std::size_t i = 0; i < n; ++i) {
        CHECK(x[i] == Approx(problem.minimum[i]).epsilon(1e-6));
        CHECK(std::fabs(g[i]) < 1e-8);
      }
    }
  }
}

TEST_CASE("at the optimum of a network's loss the gradient is below 1e-8") {
  auto table = table_of<double>(200, 3, 1, Output::Identity);
  const auto spec = network_of(3, {4}, Activation::Tanh, 1, Output::Identity, 0, 0.05);
  for (Method method : {Method::Lbfgs, Method::ScaledConjugate, Method::Levenberg}) {
    INFO("method " << int(method));
    CHECK(fit_all(spec, table, method, 20000, {0, 1e-9, 0, 0}).epochs.back().gradient < 1e-8);
  }
}

TEST_CASE("a request to stop is heard between the evaluations of one step") {
  const auto table = table_of<double>(100, 3, 1, Output::Identity);
  const auto rows = all_rows(100);
  Regimen regimen;
  regimen.optimiser.method = Method::Lbfgs;
  Watch watch;
  int asked = 0;
  watch.stop_requested = [&] { return ++asked >= 2; };
  const auto trained = train<double>(network_of(3, {4}, Activation::Tanh, 1, Output::Identity), regimen, table, rows,
                                     {}, {}, kernel_level(), watch);
  CHECK(trained.stopped == Stopped::Interrupted);
  CHECK(asked == 2);
}

TEST_CASE("Levenberg-Marquardt: QR and the normal equations give the same step") {
  // 700 rows of 2 targets and 95 parameters are beyond kQrWork; the same rows five times over weigh nothing more
  const auto small = table_of<double>(90, 4, 1, Output::Identity);
  Table<double> large = blank_table<double>(90 * 40, 4, 1);
  for (std::size_t i = 0; i < large.rows; ++i) {
    std::copy_n(small.x_row(i % 90), 4, large.x_row(i));
    large.y_row(i)[0] = small.y_row(i % 90)[0];
    large.weight[i] = small.weight[i % 90];
  }
  const auto spec = network_of(4, {6}, Activation::Tanh, 1, Output::Identity, 0, 0.01);
  const Layout<double> layout(spec);
  const double side = double(layout.parameters());
  REQUIRE((90 + 2 * side) * side * side < kQrWork);
  REQUIRE((3600 + 2 * side) * side * side > kQrWork);
  const auto by_qr = fit_all(spec, small, Method::Levenberg, 5),
             by_cholesky = fit_all(spec, large, Method::Levenberg, 5);
  for (std::size_t i = 0; i < by_qr.parameters.size(); ++i) {
    CHECK(by_qr.parameters[i] == Approx(by_cholesky.parameters[i]).epsilon(1e-6).margin(1e-9));
  }
}

TEST_CASE("whole-table methods lower a penalised softmax loss to the same minimum") {
  const auto table = table_of<double>(120, 3, 3, Output::Softmax);
  const auto spec = network_of(3, {}, Activation::Identity, 3, Output::Softmax, 0, 0.05);
  const double by_lbfgs = fit_all(spec, table, Method::Lbfgs, 300).epochs.back().training;
  CHECK(fit_all(spec, table, Method::ScaledConjugate, 600).epochs.back().training == Approx(by_lbfgs).epsilon(1e-6));
  CHECK(fit_all(spec, table, Method::Resilient, 2000).epochs.back().training == Approx(by_lbfgs).epsilon(1e-6));
}

TEST_CASE("each stopping rule ends training and is named") {
  const auto table = oscillation();
  const auto spec = network_of(1, {4}, Activation::Tanh, 1, Output::Identity, 0, 1e-4);
  const auto by_gradient = fit_all(spec, table, Method::Lbfgs, 5000, {0, 1e-3, 0, 0});
  CHECK(by_gradient.stopped == Stopped::GradientGoal);
  const auto by_loss = fit_all(spec, table, Method::Levenberg, 5000, {0, 0, 0.1, 0});
  CHECK(by_loss.stopped == Stopped::LossGoal);
  CHECK(by_loss.epochs.back().training <= 0.1);
  CHECK(by_loss.epochs[by_loss.epochs.size() - 2].training > 0.1);
  CHECK(fit_all(spec, table, Method::Resilient, 1000000, {0, 0, 0, 0.02}).stopped == Stopped::Time);
  CHECK(fit_all(network_of(1, {}, Activation::Identity, 1, Output::Identity, 0, 0.1), table, Method::Lbfgs, 5000)
            .stopped == Stopped::Converged);
  CHECK(fit_all(spec, table, Method::Levenberg, 3).stopped == Stopped::Epochs);
  const auto by_epoch = fit_all(spec, table, Method::Levenberg, 5, {0, 0, 0, 0, 3});
  CHECK(by_epoch.stopped == Stopped::Epochs);
  CHECK(by_epoch.epochs.size() == 3);
  CHECK(by_epoch.parameters == fit_all(spec, table, Method::Levenberg, 3).parameters);
}

TEST_CASE("single precision refuses whole-table methods") {
  Regimen regimen;
  regimen.optimiser.method = Method::Lbfgs;
  const auto table = table_of<float>(9, 1, 1, Output::Identity);
  const auto rows = all_rows(9);
  CHECK_THROWS_AS(train<float>(network_of(1, {}, Activation::Identity, 1, Output::Identity), regimen, table, rows, {},
                               {}, kernel_level(), {}),
                  std::invalid_argument);
}

TEST_CASE("schedules follow their formulas") {
  ScheduleSpec spec;
  const auto rate = [&](std::size_t epoch) { return Schedule(spec, 11).rate(epoch); };
  CHECK(rate(7) == 1);
  spec.kind = ScheduleKind::Step, spec.every = 3, spec.factor = 0.5;
  CHECK(rate(3) == 1);
  CHECK(rate(4) == 0.5);
  CHECK(rate(7) == 0.25);
  spec.kind = ScheduleKind::Exponential, spec.factor = 0.9;
  CHECK(rate(3) == Approx(0.81));
  spec.kind = ScheduleKind::Cosine, spec.floor = 0.1;
  CHECK(rate(1) == Approx(1));
  CHECK(rate(6) == Approx(0.55));
  CHECK(rate(11) == Approx(0.1));
  spec.warm_up = 3;
  CHECK(rate(1) == Approx(0.25));
  Schedule plateau({ScheduleKind::Plateau, 2, 0.1, 0, 0}, 100);
  plateau.observe(1);
  plateau.observe(2);
  CHECK(plateau.rate(3) == 1);
  plateau.observe(1);
  CHECK(plateau.rate(4) == Approx(0.1));
  plateau.observe(0.5);
  plateau.observe(0.6);
  CHECK(plateau.rate(6) == Approx(0.1));
}

TEST_CASE("one step of each batch method is that of its formula") {
  const auto spec = network_of(1, {}, Activation::Identity, 1, Output::Identity);
  const Layout<double> layout(spec);
  const auto two_steps = [&](OptimiserSpec how, double first, double second) {
    how.learning_rate = 0.1;
    Optimiser<double> optimiser(how, spec, layout, kernel_of<double>(kernel_level()));
    AlignedVector<double> w(layout.size()), g(layout.size());
    w[0] = 1;
    g[0] = first;
    optimiser.step(1, g, w);
    g[0] = second;
    optimiser.step(1, g, w);
    return w[0];
  };
  OptimiserSpec how;
  how.method = Method::Momentum;
  CHECK(two_steps(how, 1, 2) == Approx(1 - 0.1 - (0.09 + 0.2)));
  how.method = Method::Nesterov;  // v = 0.9 v - 0.1 g, w += 0.9 v - 0.1 g
  CHECK(two_steps(how, 1, 2) == Approx(1 + (-0.09 - 0.1) + (0.9 * (-0.09 - 0.2) - 0.2)));
  how.method = Method::Rmsprop, how.decay2 = 0.9;
  CHECK(two_steps(how, 1, 2) == Approx(1 - 0.1 / std::sqrt(0.1) - 0.2 / std::sqrt(0.09 + 0.4)));
  how = {};
  const double m2 = (0.9 * 0.1 + 0.1 * 2) / (1 - 0.81), v2 = (0.999 * 0.001 + 0.001 * 4) / (1 - 0.999 * 0.999);
  CHECK(two_steps(how, 1, 2) == Approx(1 - 0.1 - 0.1 * m2 / std::sqrt(v2)));
  how.method = Method::Adamw, how.weight_decay = 0.5;
  const double once = 1 * 0.95 - 0.1;
  CHECK(two_steps(how, 1, 2) == Approx(once * 0.95 - 0.1 * m2 / std::sqrt(v2)));
  how = {};
  how.method = Method::Momentum, how.momentum = 0, how.gradient_clip = 0.5;
  CHECK(two_steps(how, 3, 0.2) == Approx(1 - 0.05 - 0.02));
}

TEST_CASE("max_norm bounds each hidden unit's incoming weights, and a rate of 0 keeps a layer as it was") {
  auto spec = network_of(3, {4}, Activation::Tanh, 1, Output::Identity);
  spec.layers[1].rate = 0;
  OptimiserSpec how;
  how.max_norm = 0.5;
  const Layout<double> layout(spec);
  Optimiser<double> optimiser(how, spec, layout, kernel_of<double>(kernel_level()));
  AlignedVector<double> w(layout.size(), 0), g(layout.size(), 1);
  start_parameters<double>(spec, layout, {}, {3, 0, 0, Purpose::Start}, w);
  const auto before = w;
  optimiser.step(1, g, w);
  for (std::size_t j = 0; j < 4; ++j) {
    double square = 0;
    for (std::size_t i = 0; i < 3; ++i) square += std::pow(w[layout.weights_at(0) + i * layout.stride(0) + j], 2);
    CHECK(std::sqrt(square) <= 0.5 + 1e-12);
  }
  CHECK(w[0] != before[0]);
  CHECK(w[layout.weights_at(1)] == before[layout.weights_at(1)]);
}

TEST_CASE("starting weights have the spread of their rule") {
  const std::size_t in = 200, out = 100;
  std::vector<double> w(in * out);
  const auto spread = [&](Init init, Activation activation = Activation::Tanh) {
    Stream stream({5, 0, 0, Purpose::Start});
    init_weights(init, activation, in, out, stream, w);
    double square = 0;
    for (double x : w) square += x * x;
    return std::sqrt(square / double(w.size()));
  };
  CHECK(spread({InitRule::Usual, 0}) == Approx(std::sqrt(2.0 / 300)).epsilon(0.02));
  CHECK(spread({InitRule::Usual, 0}, Activation::Gelu) == Approx(std::sqrt(2.0 / 200)).epsilon(0.02));
  CHECK(spread({InitRule::Usual, 0}, Activation::Selu) == Approx(std::sqrt(1.0 / 200)).epsilon(0.02));
  CHECK(spread({InitRule::Uniform, 0.3}) == Approx(0.3 / std::sqrt(3.0)).epsilon(0.02));
  CHECK(spread({InitRule::Normal, 0.3}) == Approx(0.3).epsilon(0.02));
  spread({InitRule::Orthogonal, 0});
  for (std::size_t a : {0, 7, 99}) {
    for (std::size_t b : {0, 7, 99}) {
      double along = 0;
      for (std::size_t i = 0; i < in; ++i) along += w[i * out + a] * w[i * out + b];
      CHECK(along == Approx(a == b ? 1 : 0).margin(1e-12));
    }
  }
  spread({InitRule::Same, 0});
  CHECK(w[3 * out + 3] == 1);
  CHECK(w[3 * out + 4] == 0);
}

TEST_CASE("evidence fades inputs that tell nothing, and lets the others speak, whatever the loss") {
  for (const Output output : {Output::Identity, Output::Logistic, Output::Exponential, Output::Softmax}) {
    const std::size_t outputs = output == Output::Softmax ? 3 : 1;
    auto table = table_of<double>(2000, 3, outputs, output);
    Stream stream({9, 0, 0, Purpose::Split});
    for (std::size_t i = 0; i < table.rows; ++i) {
      const double told = 2 * std::sin(2 * table.x_row(i)[0]), chance = stream.uniform();
      double* y = table.y_row(i);
      table.weight[i] = 1;
      if (output == Output::Identity) y[0] = told + 0.3 * stream.normal();
      if (output == Output::Logistic) y[0] = chance < 1 / (1 + std::exp(-2 * told)) ? 1 : 0;
      if (output == Output::Exponential) y[0] = std::floor(std::exp(told) + 1.5 * chance);
      if (output != Output::Softmax) continue;
      for (std::size_t c = 0; c < outputs; ++c) y[c] = 0;
      y[chance < 0.1 ? 0 : told > 0 ? 1 : 2] = 1;
    }
    Regimen regimen;
    regimen.optimiser.method = Method::Levenberg;
    regimen.optimiser.evidence = true;
    regimen.epochs = 200;
    const auto spec = network_of(3, {5}, Activation::Tanh, outputs, output, 0, 1e-2);
    const auto rows = all_rows(table.rows);
    const auto trained = train<double>(spec, regimen, table, rows, {}, {}, kernel_level(), {});
    const Layout<double> layout(spec);
    double squares[3] = {0, 0, 0};
    for (std::size_t i = 0; i < 3; ++i) {
      for (std::size_t j = 0; j < 5; ++j) squares[i] += std::pow(trained.parameters[i * layout.stride(0) + j], 2);
    }
    INFO("output " << int(output) << ": " << squares[0] << ", " << squares[1] << ", " << squares[2]);
    CHECK(squares[0] > 0.5);
    CHECK(squares[1] < 0.01 * squares[0]);
    CHECK(squares[2] < 0.01 * squares[0]);
  }
}

TEST_CASE("Cholesky by blocks solves and inverts what Cholesky solves, at any size") {
  for (const std::size_t side : {1, 5, 47, 48, 49, 130}) {
    std::vector<double> a(side * side), right(side), x(side), diagonal(side);
    for (std::size_t i = 0; i < side; ++i) {
      right[i] = std::sin(double(i) + 1);
      for (std::size_t j = 0; j <= i; ++j)
        a[i * side + j] = a[j * side + i] = std::sin(double(7 * i + 3 * j)) / double(side);
      a[i * side + i] += 2;
    }
    Cholesky factor(kernel_of<double>(kernel_level()), side);
    for (std::size_t i = 0; i < side; ++i) std::copy_n(a.data() + i * side, i + 1, factor.row(i));
    REQUIRE(factor.factor());
    factor.solve(right.data(), x.data());
    factor.inverse_diagonal({diagonal.data(), side});
    for (std::size_t i = 0; i < side; ++i) {
      double left = 0;
      for (std::size_t j = 0; j < side; ++j) left += a[i * side + j] * x[j];
      CHECK(left == Approx(-right[i]).margin(1e-12));
      std::vector<double> unit(side), column(side);
      unit[i] = -1;
      factor.solve(unit.data(), column.data());
      CHECK(column[i] == Approx(diagonal[i]).margin(1e-12));
    }
    factor.row(side - 1)[side - 1] = -1;
    CHECK_FALSE(factor.factor());
  }
}
