// Gradients against central finite differences, in double precision.
#include <catch.h>

#include <cmath>

#include "gradient_check.hpp"
#include "helpers.hpp"

using namespace hylo_test;

namespace {

const Activation kActivations[] = {Activation::Identity,  Activation::Logistic, Activation::Tanh,     Activation::Relu,
                                   Activation::LeakyRelu, Activation::Elu,      Activation::Selu,     Activation::Gelu,
                                   Activation::Silu,      Activation::Softplus, Activation::Gaussian, Activation::Sine};
const std::pair<Output, std::size_t> kOutputs[] = {{Output::Identity, 2},
                                                   {Output::Logistic, 1},
                                                   {Output::Softmax, 3},
                                                   {Output::Exponential, 1},
                                                   {Output::Softplus, 1}};

}  // namespace

TEST_CASE("a network taught by labels and soft shares has the gradient of both") {
  for (const KernelLevel* level : kernel_levels()) {
    for (const auto& [output, outputs] :
         {std::pair(Output::Logistic, std::size_t(1)), std::pair(Output::Softmax, std::size_t(4))}) {
      for (const double temperature : {1.0, 3.5}) {
        auto spec = network_of(3, {5}, Activation::Tanh, outputs, output, 0, 0.01);
        spec.loss.temperature = temperature;
        spec.loss.smoothing = 0.05;
        auto table = table_of<double>(23, 3, outputs, output);
        const std::size_t width = output == Output::Softmax ? 5 : 3;
        Stream stream({8, 0, 0, Purpose::Split});
        table.soft.resize(23 * width);
        for (double& s : table.soft) s = stream.uniform();
        INFO(level->name << ", output " << int(output) << ", temperature " << temperature);
        CHECK(gradient_error(spec, table, {level}) < 1e-6);
        // with the whole share for labels and none for the rest it is the ordinary loss
        const auto plain = table_of<double>(23, 3, outputs, output);
        for (std::size_t i = 0; i < table.soft.size(); ++i) table.soft[i] = i % width == 0 ? 1 : 0;
        const Layout<double> layout(spec);
        Team team(1);
        AlignedVector<double> w(layout.size());
        start_parameters<double>(spec, layout, {}, {11, 0, 0, Purpose::Start}, w);
        const auto rows = all_rows(23);
        Objective<double> taught(spec, layout, kernel_of<double>(*level), table, team, 23),
            usual(spec, layout, kernel_of<double>(*level), plain, team, 23);
        CHECK(taught.loss(rows, w) == Approx(usual.loss(rows, w)).epsilon(1e-12));
      }
    }
  }
}

TEST_CASE("every activation, output and penalty has the gradient that finite differences find") {
  for (const KernelLevel* level : kernel_levels()) {
    for (Activation activation : kActivations) {
      for (const auto& [output, outputs] : kOutputs) {
        for (const auto& [l1, l2] :
             {std::pair(0.0, 0.0), std::pair(0.01, 0.0), std::pair(0.0, 0.03), std::pair(0.02, 0.01)}) {
          const auto spec = network_of(3, {5, 4}, activation, outputs, output, l1, l2);
          INFO(level->name << ", activation " << int(activation) << ", output " << int(output) << ", l1 " << l1
                           << ", l2 " << l2);
          CHECK(gradient_error(spec, 23, {level}) < 1e-6);
        }
      }
    }
  }
}

TEST_CASE("every loss has the gradient that finite differences find, with each output that it goes with") {
  for (const KernelLevel* level : kernel_levels()) {
    for (Output output : {Output::Identity, Output::Exponential, Output::Softplus}) {
      for (Loss loss : {Loss::Squared, Loss::Absolute, Loss::Huber, Loss::Quantile, Loss::Poisson, Loss::Gamma}) {
        if (output == Output::Identity && (loss == Loss::Poisson || loss == Loss::Gamma)) continue;
        auto spec = network_of(3, {5}, Activation::Tanh, loss == Loss::Quantile ? 3 : 2, output);
        spec.loss.loss = loss;
        spec.loss.delta = 0.7;
        if (loss == Loss::Quantile) spec.loss.quantiles = {0.1, 0.5, 0.8};
        auto table = table_of<double>(37, 3, loss == Loss::Quantile ? 1 : 2, output);
        for (double& y : table.y) y = loss == Loss::Gamma ? std::fabs(y) + 0.3 : y;
        INFO(level->name << ", output " << int(output) << ", loss " << int(loss));
        CHECK(gradient_error(spec, table, {level}) < 1e-6);
      }
    }
    for (const auto& [output, outputs] : {std::pair(Output::Logistic, 1), std::pair(Output::Softmax, 4)}) {
      auto spec = network_of(3, {5}, Activation::Tanh, std::size_t(outputs), output);
      spec.loss.smoothing = 0.15;
      CHECK(gradient_error(spec, 21, {level}) < 1e-6);
    }
  }
}

TEST_CASE(
    "every combination of activation, output, loss, penalty, normalisation and embedding has the right gradient") {
  struct Pair {
    Output output;
    Loss loss;
  };
  std::vector<Pair> pairs = {{Output::Logistic, Loss::CrossEntropy},
                             {Output::Softmax, Loss::CrossEntropy},
                             {Output::Ordinal, Loss::CrossEntropy}};
  for (Output output : {Output::Identity, Output::Exponential, Output::Softplus}) {
    for (Loss loss : {Loss::Squared, Loss::Absolute, Loss::Huber, Loss::Quantile, Loss::Poisson, Loss::Gamma}) {
      if (output != Output::Identity || (loss != Loss::Poisson && loss != Loss::Gamma)) pairs.push_back({output, loss});
    }
  }
  const Draw draw = {21, 0, 3, 5};
  double worst = 0;
  std::size_t combinations = 0;
  for (const Pair& pair : pairs) {
    const bool quantiles = pair.loss == Loss::Quantile;
    const std::size_t outputs = pair.output == Output::Softmax ? 3 : quantiles ? 2 : 1;
    for (bool embeds : {false, true}) {
      auto table = table_of<double>(13, embeds ? 3 : 2, quantiles ? 1 : outputs, pair.output, 17);
      for (std::size_t i = 0; i < table.rows; ++i) {
        if (embeds) table.x_row(i)[2] = double(i % 4);
        if (pair.loss == Loss::Gamma) table.y_row(i)[0] = std::fabs(table.y_row(i)[0]) + 0.3;
      }
      for (Activation activation : kActivations) {
        for (const auto& [l1, l2] :
             {std::pair(0.0, 0.0), std::pair(0.02, 0.0), std::pair(0.0, 0.03), std::pair(0.02, 0.01)}) {
          for (bool norm : {false, true}) {
            auto spec = network_of(2, {4}, activation, outputs, pair.output, l1, l2);
            spec.layers[0].norm = norm;
            spec.loss.loss = pair.loss;
            spec.loss.classes = 4;
            spec.loss.delta = 0.8;
            if (quantiles) spec.loss.quantiles = {0.2, 0.7};
            if (embeds) spec.embeddings = {{3, 2}}, spec.embedding_l1 = l1, spec.embedding_l2 = l2;
            const double error = gradient_error(spec, table, {&kernel_level(), &draw});
            INFO("activation " << int(activation) << ", output " << int(pair.output) << ", loss " << int(pair.loss)
                               << ", l1 " << l1 << ", l2 " << l2 << (norm ? ", norm" : "")
                               << (embeds ? ", embedding" : ""));
            CHECK(error < 1e-6);
            worst = std::max(worst, error);
            ++combinations;
          }
        }
      }
    }
  }
  CHECK(combinations == pairs.size() * 12 * 4 * 2 * 2);
  CHECK(worst > 0);
}

TEST_CASE("the losses are those of their formulas") {
  const double z = 0.4, y = 2;
  const auto loss_of = [&](Output output, Loss loss, double target, double quantile = 0.5) {
    auto spec = network_of(1, {}, Activation::Identity, 1, output);
    spec.loss.loss = loss;
    spec.loss.quantiles = {quantile};
    auto table = blank_table<double>(1, 1, 1);
    table.y_row(0)[0] = target;
    const Layout<double> layout(spec);
    Pass<double> pass(spec, layout, kernel_of<double>(kernel_level()));
    AlignedVector<double> w(layout.size());
    const double bias[] = {z};
    start_parameters<double>(spec, layout, {bias, 1}, {1, 0, 0, Purpose::Start}, w);
    const auto rows = all_rows(1);
    return pass.loss(table, rows, w);
  };
  CHECK(loss_of(Output::Identity, Loss::Squared, y) == Approx(1.6 * 1.6));
  CHECK(loss_of(Output::Identity, Loss::Absolute, y) == Approx(1.6));
  CHECK(loss_of(Output::Identity, Loss::Huber, y) == Approx(1.6 - 0.5));
  CHECK(loss_of(Output::Identity, Loss::Huber, 1) == Approx(0.5 * 0.36));
  CHECK(loss_of(Output::Identity, Loss::Quantile, y, 0.9) == Approx(0.9 * 1.6));
  CHECK(loss_of(Output::Identity, Loss::Quantile, 0, 0.9) == Approx(0.1 * 0.4));
  const double a = std::exp(z), s = std::log1p(std::exp(z));
  CHECK(loss_of(Output::Exponential, Loss::Poisson, y) == Approx(a - y * z - (y - y * std::log(y))));
  CHECK(loss_of(Output::Exponential, Loss::Poisson, 0) == Approx(a));
  CHECK(loss_of(Output::Softplus, Loss::Poisson, y) == Approx(s - y * std::log(s) - (y - y * std::log(y))));
  CHECK(loss_of(Output::Exponential, Loss::Gamma, y) == Approx(y / a - 1 - std::log(y / a)));
  CHECK(loss_of(Output::Softplus, Loss::Gamma, y) == Approx(y / s - 1 - std::log(y / s)));
  CHECK(loss_of(Output::Logistic, Loss::CrossEntropy, 1) == Approx(std::log1p(std::exp(-z))));
}

TEST_CASE("ordered classes: the gradient is right, the probabilities are those of cumulative logits and add up to 1") {
  auto spec = network_of(3, {5}, Activation::Tanh, 1, Output::Ordinal, 0, 0.01);
  spec.loss.classes = 4;
  CHECK(gradient_error(spec, 60) < 1e-6);
  const Layout<double> layout(spec);
  CHECK(layout.gaps() == 2);
  const auto table = table_of<double>(9, 3, 1, Output::Ordinal);
  Pass<double> pass(spec, layout, kernel_of<double>(kernel_level()));
  AlignedVector<double> w(layout.size());
  const double given[] = {0.3, -0.2, 0.7};  // bias, then the gaps
  start_parameters<double>(spec, layout, {given, 3}, {1, 0, 0, Purpose::Start}, w);
  const auto rows = all_rows(9);
  std::vector<double> predictions(9 * 4), linear(9);
  pass.predictions(table, rows, w, predictions.data());
  pass.outputs(table, rows, w, 1, linear.data());
  const double thresholds[] = {0, std::exp(-0.2), std::exp(-0.2) + std::exp(0.7)};
  double loss = 0;
  for (std::size_t i = 0; i < 9; ++i) {
    double upto = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      upto += predictions[i * 4 + k];
      CHECK(upto == Approx(1 / (1 + std::exp(linear[i] - thresholds[k]))));
    }
    CHECK(upto + predictions[i * 4 + 3] == Approx(1));
    loss -= table.weight[i] * std::log(predictions[i * 4 + std::size_t(table.y_row(i)[0])]);
  }
  CHECK(pass.loss(table, rows, w) == Approx(loss));
}

TEST_CASE("the gradient is right without hidden layers, over several blocks, and for wide layers") {
  for (const auto& [output, outputs] : kOutputs) {
    CHECK(gradient_error(network_of(4, {}, Activation::Identity, outputs, output), 40) < 1e-6);
    CHECK(gradient_error(network_of(4, {6}, Activation::Tanh, outputs, output), 9 * kBlockRows + 3) < 1e-6);
  }
  CHECK(gradient_error(network_of(19, {33}, Activation::Tanh, 2, Output::Softmax), 9) < 1e-6);
  CHECK(gradient_error(network_of(3, {64, 32}, Activation::Relu, 12, Output::Softmax), 9) < 1e-6);
}

TEST_CASE("the gradient through dropout and noise is right for fixed draws") {
  for (Activation activation : kActivations) {
    auto spec = network_of(6, {9, 7}, activation, 3, Output::Softmax);
    spec.input_dropout = 0.2;
    spec.input_noise = 0.3;
    spec.layers[0].dropout = 0.4;
    spec.layers[1].dropout = 0.3;
    const Draw draw = {21, 0, 3, 5};
    CHECK(gradient_error(spec, 31, {&kernel_level(), &draw}) < 1e-6);
  }
}

TEST_CASE("the gradient through batch normalisation is right at every level") {
  const Draw draw = {21, 0, 3, 5};
  for (const KernelLevel* level : kernel_levels()) {
    for (Activation activation : {Activation::Tanh, Activation::Relu, Activation::Gelu}) {
      auto spec = network_of(6, {9, 7}, activation, 3, Output::Softmax, 0, 0.01);
      spec.layers[0].norm = spec.layers[1].norm = true;
      spec.layers[1].dropout = 0.3;
      CHECK(gradient_error(spec, 31, {level, &draw}) < 1e-6);
      CHECK(gradient_error(spec, 700, {level, &draw}) < 1e-6);
    }
  }
}

TEST_CASE("folding batch normalisation into the weights changes no prediction") {
  auto spec = network_of(4, {6}, Activation::Tanh, 2, Output::Identity);
  spec.layers[0].norm = true;
  const Layout<double> layout(spec);
  const auto table = table_of<double>(5, 4, 2, Output::Identity);
  AlignedVector<double> w(layout.size()), folded(layout.size());
  start_parameters<double>(spec, layout, {}, {2, 0, 0, Purpose::Start}, w);
  for (std::size_t j = 0; j < 6; ++j) {
    w[layout.biases_at(0) + j] = 0.1 * double(j);
    w[layout.gains_at(0) + j] = 1 + 0.2 * double(j);
    w[layout.means_at(0) + j] = 0.3 - 0.1 * double(j);
    w[layout.variances_at(0) + j] = 0.5 + double(j);
  }
  fold_norms<double>(layout, w, folded);
  Pass<double> pass(spec, layout, kernel_of<double>(kernel_level()));
  std::vector<double> hidden(6);
  const std::uint32_t row[] = {3};
  pass.outputs(table, {row, 1}, folded, 0, hidden.data());
  for (std::size_t j = 0; j < 6; ++j) {
    double z = 0;
    for (std::size_t i = 0; i < 4; ++i) z += table.x_row(3)[i] * w[layout.weights_at(0) + i * layout.stride(0) + j];
    const double zhat = (z - w[layout.means_at(0) + j]) / std::sqrt(w[layout.variances_at(0) + j] + kNormEpsilon);
    CHECK(hidden[j] == Approx(std::tanh(zhat * w[layout.gains_at(0) + j] + w[layout.biases_at(0) + j])));
  }
}

TEST_CASE("embeddings: the gradient is right, and only the rows of seen levels have one") {
  auto spec = network_of(2, {5}, Activation::Tanh, 1, Output::Logistic);
  spec.embeddings = {{4, 2}, {3, 3}};
  spec.embedding_l2 = 0.02;
  auto table = table_of<double>(50, 4, 1, Output::Logistic);
  for (std::size_t i = 0; i < 50; ++i) {
    table.x_row(i)[2] = double(i % 4);          // level 4 never occurs
    table.x_row(i)[3] = double(i * 7 % 3 + 1);  // nor does the unseen level of the second
  }
  CHECK(gradient_error(spec, table) < 1e-6);
  spec.input_dropout = 0.3;
  const Draw draw = {4, 0, 1, 2};
  CHECK(gradient_error(spec, table, {&kernel_level(), &draw}) < 1e-6);
  spec.embedding_l2 = spec.input_dropout = 0;
  const Layout<double> layout(spec);
  Team team(1);
  Objective<double> objective(spec, layout, kernel_of<double>(kernel_level()), table, team, 50);
  AlignedVector<double> w(layout.size()), g(layout.size());
  start_parameters<double>(spec, layout, {}, {2, 0, 0, Purpose::Start}, w);
  const auto rows = all_rows(50);
  objective.gradient(rows, w, nullptr, g);
  CHECK(g[layout.embedding_at(0) + 3 * layout.embedding_stride(0)] != 0);
  CHECK(g[layout.embedding_at(0) + 4 * layout.embedding_stride(0)] == 0);
  CHECK(g[layout.embedding_at(1)] == 0);
}

TEST_CASE("an offset is added to the linear output and leaves the gradient right") {
  const auto spec = network_of(3, {4}, Activation::Tanh, 1, Output::Exponential);
  auto table = table_of<double>(20, 3, 1, Output::Exponential);
  const Layout<double> layout(spec);
  Pass<double> pass(spec, layout, kernel_of<double>(kernel_level()));
  AlignedVector<double> w(layout.size());
  start_parameters<double>(spec, layout, {}, {3, 0, 0, Purpose::Start}, w);
  const std::uint32_t row[] = {7};
  double plain, moved;
  pass.predictions(table, {row, 1}, w, &plain);
  for (std::size_t i = 0; i < 20; ++i) table.offset.push_back(0.1 * double(i));
  pass.predictions(table, {row, 1}, w, &moved);
  CHECK(moved == Approx(plain * std::exp(0.7)));
  CHECK(gradient_error(spec, table) < 1e-6);
}

TEST_CASE("the Gauss-Newton matrix is made of finite differences, for every output and loss") {
  struct Case {
    Output output;
    Loss loss;
    std::size_t outputs;
  };
  for (const Case& c : {Case{Output::Identity, Loss::Squared, 2}, Case{Output::Identity, Loss::Huber, 1},
                        Case{Output::Identity, Loss::Absolute, 1}, Case{Output::Exponential, Loss::Poisson, 1},
                        Case{Output::Softplus, Loss::Poisson, 1}, Case{Output::Exponential, Loss::Gamma, 1},
                        Case{Output::Logistic, Loss::CrossEntropy, 1}, Case{Output::Softmax, Loss::CrossEntropy, 3},
                        Case{Output::Ordinal, Loss::CrossEntropy, 1}}) {
    auto spec = network_of(3, {4}, Activation::Sine, c.outputs, c.output);
    spec.loss.loss = c.loss;
    if (c.output == Output::Ordinal) spec.loss.classes = 4;
    spec.embeddings = {{2, 2}};
    auto table = table_of<double>(300, 4, c.outputs, c.output);
    for (std::size_t i = 0; i < 300; ++i) {
      table.x_row(i)[3] = double(i % 3);
      table.offset.push_back(0.01 * double(i % 7));
    }
    INFO("output " << int(c.output) << ", loss " << int(c.loss));
    CHECK(gauss_newton_error(spec, table) < 1e-8);
  }
}

TEST_CASE("the Gauss-Newton matrix has the same bits for any number of threads") {
  const auto spec = network_of(5, {40}, Activation::Tanh, 3, Output::Softmax);
  const auto table = table_of<double>(5000, 5, 3, Output::Softmax);
  const Layout<double> layout(spec);
  const auto rows = all_rows(5000);
  AlignedVector<double> w(layout.size()), first, product(layout.size()), first_product;
  start_parameters<double>(spec, layout, {}, {3, 0, 0, Purpose::Start}, w);
  for (const std::size_t threads : {1, 2, 5}) {
    Team team(threads);
    Objective<double> objective(spec, layout, kernel_of<double>(kernel_level()), table, team, 5000);
    GaussNewton matrix(objective, rows, kernel_of<double>(kernel_level()));
    AlignedVector<double> found(matrix.side() * matrix.stride());
    matrix.gather(w, 1, found.data());
    matrix.multiply(w, w, product);
    if (first.empty()) first = found, first_product = product;
    CHECK(found == first);
    CHECK(product == first_product);
  }
}
