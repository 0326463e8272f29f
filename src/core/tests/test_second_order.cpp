// Steps by products with the matrix of Gauss and Newton, and what the evidence says of penalties in a network.
#include <catch.h>

#include <cmath>

#include "archive.hpp"
#include "cholesky.hpp"
#include "gauss_newton.hpp"
#include "helpers.hpp"
#include "method.hpp"
#include "objective.hpp"

using namespace hylo_test;

namespace {

using Make = std::unique_ptr<WholeMethod> (*)(WholeLoss&, const Kernel<double>&, bool, double);

double sum_of_weights(const Table<double>& table) {
  double sum = 0;
  for (double weight : table.weight) sum += weight;
  return sum;
}

// A network lowered step by step from `w` on, to where it ends or for `most` steps.
struct Lowering {
  Lowering(const NetworkSpec& spec, const Table<double>& table, Make make, bool evidence, AlignedVector<double>& w,
           int most)
      : layout(spec),
        rows(all_rows(table.rows)),
        team(1),
        objective(spec, layout, kernel_of<double>(kernel_level()), table, team, table.rows),
        loss(objective, rows, sum_of_weights(table)) {
    if (w.empty()) {
      w.resize(layout.size());
      start_parameters<double>(spec, layout, {}, {3, 0, 0, Purpose::Start}, w);
    }
    const auto method = make(loss, kernel_of<double>(kernel_level()), evidence, double(table.rows));
    for (int i = 0; i < most && method->step(loss, w).moved; ++i) {}
    value = loss.value(w);
    l2 = method->penalty();
    std::vector<double> state;
    Archive archive(state);
    method->serialise(archive);
    penalties.assign(state.begin(), state.begin() + std::ptrdiff_t(layout.parameters()));
  }

  Layout<double> layout;
  std::vector<std::uint32_t> rows;
  Team team;
  Objective<double> objective;
  WholeLoss loss;
  double value = 0, l2 = 0;
  std::vector<double> penalties;  // by weight, as a state begins
};

// y of x: a bend in the first of two inputs, a line in the second, and noise.
Table<double> bent(std::size_t rows) {
  auto table = table_of<double>(rows, 2, 1, Output::Identity);
  for (std::size_t i = 0; i < rows; ++i) {
    const double* x = table.x_row(i);
    table.weight[i] = 1;
    table.y_row(i)[0] = std::tanh(2 * x[0]) + 0.4 * x[1] + 0.1 * table.y_row(i)[0];
  }
  return table;
}

}  // namespace

TEST_CASE("by products with the matrix steps go to the minimum that equations go to") {
  for (Output output : {Output::Identity, Output::Logistic, Output::Exponential, Output::Softmax, Output::Ordinal}) {
    const std::size_t outputs = output == Output::Softmax ? 3 : 1;
    auto spec = network_of(4, {}, Activation::Identity, outputs, output, 0, 0.02);
    if (output == Output::Ordinal) spec.loss.classes = 4;
    const auto table = table_of<double>(300, 4, outputs, output);
    AlignedVector<double> by_equations, by_products;
    const Lowering one(spec, table, levenberg, false, by_equations, 200);
    const Lowering other(spec, table, hessian_free, false, by_products, 200);
    INFO("output " << int(output));
    CHECK(other.value == Approx(one.value).epsilon(1e-9));
  }
}

TEST_CASE("by probes the evidence comes to about the penalty that it comes to by the matrix") {
  const auto table = bent(400);
  const auto spec = network_of(2, {6}, Activation::Tanh, 1, Output::Identity, 0, 0.01);
  AlignedVector<double> by_equations, by_products;
  Lowering one(spec, table, levenberg, true, by_equations, 300);
  Lowering other(spec, table, hessian_free, true, by_products, 300);
  CHECK(std::log(other.l2 / one.l2) == Approx(0).margin(1));
  CHECK(other.loss.unpenalised(by_products) == Approx(one.loss.unpenalised(by_equations)).epsilon(0.05));
}

// The evidence of penalties by Laplace's approximation (MacKay 1992), up to what is common to all of them: for n errors
// of variance v, with the weights at the minimum of the mean loss f with penalties, and A its second derivatives there,
//   log E = -n f / (2 v) + sum of log(l2) / 2 - log det(A) / 2.
TEST_CASE("the penalties that a network ends with are a maximum of the evidence that Laplace's approximation gives") {
  const auto table = bent(400);
  const double n = double(table.rows);
  auto spec = network_of(2, {3}, Activation::Tanh, 1, Output::Identity, 0, 0.01);
  AlignedVector<double> found;
  Lowering trained(spec, table, levenberg, true, found, 1000);
  const Layout<double>& layout = trained.layout;
  std::vector<std::size_t> places;
  layout.each([&](std::size_t at, bool) { places.push_back(at); });

  // the matrix of second derivatives of the mean loss with penalties, as its factor
  const auto factor_at = [&](AlignedVector<double>& w, const std::vector<double>& l2, Lowering& own) {
    GaussNewton gauss_newton(own.objective, own.rows, kernel_of<double>(kernel_level()), true);
    AlignedVector<double> matrix(gauss_newton.side() * gauss_newton.stride());
    gauss_newton.gather(w, 1, matrix.data());
    for (std::size_t j = 0; j < l2.size(); ++j) matrix[j * gauss_newton.stride() + j] += l2[j];
    REQUIRE(cholesky(matrix.data(), l2.size(), gauss_newton.stride()));
    double logarithm = 0;
    for (std::size_t j = 0; j < l2.size(); ++j) logarithm += 2 * std::log(matrix[j * gauss_newton.stride() + j]);
    return logarithm;
  };
  // Penalties differ by input, which a spec can't say: weights and inputs of the first layer are scaled in their place.
  const auto evidence_of = [&](const std::vector<double>& l2, double variance) {
    NetworkSpec own = spec;
    own.layers[0].l2 = own.layers[1].l2 = l2.back() > 0 ? l2.back() : l2[layout.parameters() - 2];
    const double output = own.layers[1].l2;
    Table<double> scaled = bent(table.rows);
    AlignedVector<double> w = found;
    std::vector<double> penalty(l2.size());
    double priors = 0;
    for (std::size_t k = 0; k < 2; ++k) {
      const double factor = std::sqrt(output / l2[k * 3]);
      for (std::size_t i = 0; i < table.rows; ++i) scaled.x_row(i)[k] *= factor;
      for (std::size_t j = 0; j < 3; ++j) w[places[k * 3 + j]] /= factor;
    }
    for (std::size_t j = 0; j < l2.size(); ++j) {
      if (l2[j] > 0) penalty[j] = output, priors += std::log(output);
    }
    Lowering lowered(own, scaled, levenberg, false, w, 300);
    return -n * lowered.value / (2 * variance) + priors / 2 - factor_at(w, penalty, lowered) / 2;
  };

  // steps away from the penalties that were found, group by group: the first input, the second, the output layer
  const std::vector<double>& l2 = trained.penalties;
  const double error = trained.loss.unpenalised(found);
  for (const std::size_t first : {0, 3, 9}) {
    const auto moved = [&](double factor) {
      auto other = l2;
      for (std::size_t j = first; j < first + 3; ++j) other[j] *= factor;
      return evidence_of(other, error);
    };
    // How far below its top the parabola through three of them is, which stand half a unit of the logarithm apart.
    // MacKay's steps leave out that the matrix moves with the weights, so that they end near it.
    const double below = moved(std::exp(-0.5)), here = moved(1), above = moved(std::exp(0.5));
    const double bend = 2 * here - above - below, slope = (above - below) / 2;
    REQUIRE(bend > 0);
    INFO("weights from " << first);
    CHECK(here > std::max(moved(8), moved(1.0 / 8)));
    CHECK(slope * slope / (2 * bend) < 0.5);
  }
}
