// Gradients against central finite differences, in double precision.
#include <catch.h>

#include <cmath>

#include "helpers.hpp"
#include "pass.hpp"

using namespace hylo_test;

namespace {

const Activation kActivations[] = {Activation::Identity, Activation::Logistic, Activation::Tanh, Activation::Relu};
const std::pair<Output, std::size_t> kOutputs[] = {
    {Output::Identity, 2}, {Output::Logistic, 1}, {Output::Softmax, 3}, {Output::Exponential, 1}};

// |g - d| / (|g| + |d|) over the whole gradient, g the gradient and d the differences. More rows than a block, and
// a smaller one at the end. With `draw`, the same dropout masks in every evaluation.
double gradient_error(const NetworkSpec& spec, std::size_t rows, const KernelLevel& level, const DropoutDraw* draw) {
  const std::size_t outputs = spec.layers.back().units;
  const auto table = table_of<double>(rows, spec.inputs, outputs, spec.output);
  const Layout<double> layout(spec);
  Pass<double> pass(spec, layout, kernel_of<double>(level));
  const auto chosen = all_rows(rows);
  AlignedVector<double> w(layout.size()), g(layout.size()), unused(layout.size());
  start_parameters<double>(spec, layout, {}, {11, 0, 0, Purpose::Start}, w);
  std::vector<double> dense(layout.parameters());
  unpack_parameters<double>(layout, w, dense);
  for (std::size_t i = 0; i < dense.size(); ++i) dense[i] += 0.05 * std::sin(double(i) + 1);  // no weight at a kink
  pack_parameters<double>(layout, dense, w);

  const auto objective = [&] {
    return pass.gradient(table, chosen, w, draw, unused) / double(rows) + pass.penalty(w);
  };
  pass.gradient(table, chosen, w, draw, g);
  double difference = 0, size = 0;
  for (std::size_t i = 0; i < w.size(); ++i) {
    if (w[i] == 0) continue;  // padding
    const double step = 1e-5 * std::max(1.0, std::fabs(w[i])), kept = w[i];
    w[i] = kept + step;
    const double above = objective();
    w[i] = kept - step;
    const double below = objective();
    w[i] = kept;
    const double d = (above - below) / (2 * step);
    difference += (g[i] - d) * (g[i] - d);
    size += g[i] * g[i] + d * d;
  }
  return std::sqrt(difference / size);
}

}  // namespace

TEST_CASE("every activation, loss and penalty has the gradient that finite differences find") {
  for (const KernelLevel* level : kernel_levels()) {
    for (Activation activation : kActivations) {
      for (const auto& [output, outputs] : kOutputs) {
        for (const auto& [l1, l2] : {std::pair(0.0, 0.0), std::pair(0.01, 0.0), std::pair(0.0, 0.03), std::pair(0.02, 0.01)}) {
          const auto spec = network_of(3, {5, 4}, activation, outputs, output, l1, l2);
          INFO(level->name << ", activation " << int(activation) << ", output " << int(output) << ", l1 " << l1
                           << ", l2 " << l2);
          CHECK(gradient_error(spec, 23, *level, nullptr) < 1e-6);
        }
      }
    }
  }
}

TEST_CASE("the gradient is right without hidden layers, over several blocks, and for wide layers") {
  for (const auto& [output, outputs] : kOutputs) {
    CHECK(gradient_error(network_of(4, {}, Activation::Identity, outputs, output), 40, kernel_level(), nullptr) < 1e-6);
    CHECK(gradient_error(network_of(4, {6}, Activation::Tanh, outputs, output), 2 * kBlockRows + 3, kernel_level(),
                         nullptr) < 1e-6);
  }
  CHECK(gradient_error(network_of(19, {33}, Activation::Tanh, 2, Output::Softmax), 9, kernel_level(), nullptr) < 1e-6);
}

TEST_CASE("the gradient through dropout is right for fixed masks") {
  for (Activation activation : kActivations) {
    auto spec = network_of(6, {9, 7}, activation, 3, Output::Softmax);
    spec.input_dropout = 0.2;
    spec.layers[0].dropout = 0.4;
    spec.layers[1].dropout = 0.3;
    const DropoutDraw draw = {21, 0, 3, 5};
    CHECK(gradient_error(spec, 31, kernel_level(), &draw) < 1e-6);
  }
}

TEST_CASE("an offset is added to the linear output and leaves the gradient right") {
  const auto spec = network_of(3, {4}, Activation::Tanh, 1, Output::Exponential);
  auto table = table_of<double>(20, 3, 1, Output::Exponential);
  const Layout<double> layout(spec);
  Pass<double> pass(spec, layout, kernel_of<double>(kernel_level()));
  AlignedVector<double> w(layout.size()), g(layout.size()), unused(layout.size());
  start_parameters<double>(spec, layout, {}, {3, 0, 0, Purpose::Start}, w);
  const double plain = pass.answers(table, 7, 1, w)[0];
  for (std::size_t i = 0; i < 20; ++i) table.offset.push_back(0.1 * double(i));
  CHECK(pass.answers(table, 7, 1, w)[0] == Approx(plain * std::exp(0.7)));
  const auto rows = all_rows(20);
  pass.gradient(table, rows, w, nullptr, g);
  const std::size_t at = layout.biases_at(0);
  const double step = 1e-6, kept = w[at];
  w[at] = kept + step;
  const double above = pass.gradient(table, rows, w, nullptr, unused);
  w[at] = kept - step;
  const double below = pass.gradient(table, rows, w, nullptr, unused);
  CHECK(g[at] == Approx((above - below) / (2 * step) / 20).epsilon(1e-6));
}
