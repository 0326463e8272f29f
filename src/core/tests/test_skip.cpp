// The skip connection: connections from the inputs to the output layer beside the hidden ones.
#include <catch.h>

#include <cmath>

#include "gradient_check.hpp"
#include "helpers.hpp"
#include "train.hpp"

using namespace hylo_test;

namespace {

NetworkSpec straight(NetworkSpec spec, double l1 = 0, double l2 = 0, double rate = 1) {
  spec.skip = {l1, l2, rate};
  return spec;
}

NetworkSpec smooth(std::size_t outputs = 1) { return network_of(3, {4}, Activation::Tanh, outputs, Output::Identity); }

std::vector<double> weights_of(const NetworkSpec& spec, const Trained<double>& trained) {
  const Layout<double> layout(spec);
  std::vector<double> dense(layout.parameters());
  unpack_parameters<double>(layout, trained.parameters, dense);
  return dense;
}

Regimen whole(Method method, std::size_t epochs) {
  Regimen regimen;
  regimen.optimiser.method = method;
  regimen.epochs = epochs;
  regimen.stop.patience = 0;
  return regimen;
}

}  // namespace

TEST_CASE("a skip connection has the gradient that finite differences find, beside every kind of layer and output") {
  for (const KernelLevel* level : kernel_levels()) {
    for (const auto& [output, outputs] : {std::pair(Output::Identity, 2), std::pair(Output::Logistic, 1),
                                          std::pair(Output::Softmax, 3), std::pair(Output::Exponential, 1)}) {
      for (const bool norm : {false, true}) {
        auto spec = straight(network_of(3, {5, 4}, Activation::Tanh, std::size_t(outputs), output), 0.01, 0.02);
        for (std::size_t l = 0; l < 2; ++l) spec.layers[l].norm = norm;
        INFO(level->name << ", output " << int(output) << ", norm " << norm);
        const Draw draw = {4, 0, 1, 2};
        CHECK(gradient_error(spec, 37, {level, &draw}) < 1e-6);
        spec.layers[1].dropout = spec.input_dropout = 0.3;
        spec.input_noise = 0.1;
        CHECK(gradient_error(spec, 600, {level, &draw}) < 1e-6);
      }
    }
    // more outputs than inputs, more inputs than vectors are wide, ordered classes
    CHECK(gradient_error(straight(network_of(2, {3}, Activation::Elu, 19, Output::Softmax)), 23, {level}) < 1e-6);
    CHECK(gradient_error(straight(network_of(70, {40}, Activation::Silu, 1, Output::Identity)), 300, {level}) < 1e-6);
    auto ordered = straight(network_of(3, {4}, Activation::Tanh, 1, Output::Ordinal));
    ordered.loss.classes = 4;
    auto table = table_of<double>(30, 3, 1, Output::Identity);
    for (std::size_t i = 0; i < 30; ++i) table.y[i] = double(i % 4);
    CHECK(gradient_error(ordered, table, {level}) < 1e-6);
  }
}

TEST_CASE("embeddings are reached along a skip connection too, and so is the matrix of second order") {
  auto spec = straight(network_of(3, {4}, Activation::Sine, 2, Output::Identity));
  spec.embeddings = {{2, 2}};
  auto table = table_of<double>(300, 4, 2, Output::Identity);
  for (std::size_t i = 0; i < 300; ++i) table.x_row(i)[3] = double(i % 3);
  CHECK(gradient_error(spec, table) < 1e-6);
  CHECK(gauss_newton_error(spec, table) < 1e-8);
}

TEST_CASE("a network with a skip connection starts from the linear model and never falls behind it") {
  // a target that is linear in the inputs but for noise: hidden layers have nothing to add
  auto table = table_of<double>(200, 3, 1, Output::Identity);
  Stream stream({5, 0, 0, Purpose::Split});
  for (std::size_t i = 0; i < 200; ++i) {
    const double* x = table.x_row(i);
    table.y[i] = 2 + x[0] - 3 * x[1] + 0.5 * x[2] + 0.3 * stream.normal();
  }
  const auto rows = all_rows(200);
  const Span<const std::uint32_t> all(rows), learn = all.part(0, 120), stop = all.part(120, 80);
  const auto linear_spec = network_of(3, {}, Activation::Identity, 1, Output::Identity);
  const auto linear = train<double>(linear_spec, whole(Method::Newton, 50), table, learn, stop, {}, kernel_level(), {});
  const auto start = weights_of(linear_spec, linear);
  for (const Method method : {Method::Adam, Method::Lbfgs, Method::Levenberg, Method::ScaledConjugate}) {
    Beginning beginning;
    beginning.linear = start;
    Regimen regimen = whole(method, 40);
    const auto trained = train<double>(straight(smooth()), regimen, table, learn, stop, beginning, kernel_level(), {});
    INFO("method " << int(method));
    CHECK(trained.epochs.front().validation == Approx(linear.epochs.back().validation).epsilon(1e-9));
    CHECK(trained.epochs.front().updates == 0);
    CHECK(trained.epochs[trained.best - 1].validation <= linear.epochs.back().validation);
    // and it goes on from there
    CHECK(trained.epochs.back().training < trained.epochs.front().training);
  }
  const std::vector<double> short_by_one(start.begin(), start.end() - 1);
  Beginning wrong;
  wrong.linear = short_by_one;
  CHECK_THROWS_AS(
      train<double>(straight(smooth()), whole(Method::Lbfgs, 2), table, learn, stop, wrong, kernel_level(), {}),
      std::invalid_argument);
  CHECK_THROWS_AS(straight(linear_spec).validate(), std::invalid_argument);
}

TEST_CASE("a skip connection has penalties and a rate of its own") {
  auto table = table_of<double>(60, 3, 1, Output::Identity);
  const auto rows = all_rows(60);
  const auto path = [&](double l2, double rate) {
    Regimen regimen = whole(Method::Adam, 30);
    const auto spec = straight(smooth(), 0, l2, rate);
    const auto dense = weights_of(spec, train<double>(spec, regimen, table, rows, {}, {}, kernel_level(), {}));
    double size = 0;
    for (std::size_t i = dense.size() - 3; i < dense.size(); ++i) size += std::fabs(dense[i]);
    return size;
  };
  const double free = path(0, 1);
  CHECK(free > 0);
  CHECK(path(10, 1) < 0.2 * free);
  CHECK(path(0, 0) == 0);
}
