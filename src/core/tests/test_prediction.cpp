#include <catch.h>

#include <cmath>
#include <stdexcept>

#include "helpers.hpp"
#include "prediction.hpp"

using namespace hylo_test;

namespace {

const std::vector<double> kX = {-2, -0.5, 0, 1, 3};

// One number as it stands.
std::vector<Intake> plain_intake(const std::vector<double>& x) {
  return {{Encoder({ColumnPlan{}}), {{x.data(), nullptr}}}};
}

// A network without hidden layers: slope * x + level for each output; dense parameters are slopes, then levels.
PredictingNetwork straight(Output output, std::vector<double> dense, Reading reading, double share = 1) {
  PredictingNetwork network(network_of(1, {}, Activation::Identity, dense.size() / 2, output), std::move(reading), 0,
                            share);
  AlignedVector<float> packed(network.layout.size());
  pack_parameters<float>(network.layout, dense, packed);
  network.folded.push_back(packed);
  return network;
}

Reading numbers(std::size_t n) {
  Reading reading;
  reading.scale.assign(n, 1);
  reading.shift.assign(n, 0);
  reading.smear.assign(n, 1);
  return reading;
}

Reading classes(std::vector<double> weights, bool turned = false) {
  Reading reading;
  reading.classes = true;
  reading.weights = std::move(weights);
  reading.turned = turned;
  return reading;
}

// The predictions, one column after another.
std::vector<double> predicted(const std::vector<PredictingNetwork>& networks, const std::vector<double>& x = kX,
                              const std::vector<double>& offset = {}, std::size_t threads = 2) {
  const std::size_t width = networks[0].outputs();
  std::vector<double> predictions(width * x.size());
  std::vector<double*> columns;
  for (std::size_t k = 0; k < width; ++k) columns.push_back(&predictions[k * x.size()]);
  const auto intakes = plain_intake(x);
  joint_predictions(networks, intakes, {}, offset, x.size(), threads, columns);
  return predictions;
}

}  // namespace

TEST_CASE("numbers are read in their own units: scaled, exponentials of logarithms, in rising order") {
  Reading scaled = numbers(1);
  scaled.scale = {10};
  scaled.shift = {100};
  CHECK(predicted({straight(Output::Identity, {2, 1}, scaled)}) == (std::vector<double>{70, 100, 110, 130, 170}));
  Reading logarithmic = numbers(1);
  logarithmic.logarithmic = true;
  logarithmic.smear = {1.5};
  CHECK(predicted({straight(Output::Identity, {1, 0}, logarithmic)})[3] == Approx(1.5 * std::exp(1.0)));
  Reading rising = numbers(2);
  rising.rising = true;
  CHECK(predicted({straight(Output::Identity, {1, -1, 0, 0}, rising)}) ==
        (std::vector<double>{-2, -0.5, 0, -1, -3, 2, 0.5, 0, 1, 3}));
  CHECK(predicted({straight(Output::Exponential, {0, 1}, numbers(1))}, kX, {0, 1, 2, 3, 4})[2] ==
        Approx(std::exp(3.0)));
}

TEST_CASE("classes have the scores over the weights, normalised, and either of two can stand first") {
  const auto p = predicted({straight(Output::Logistic, {1, 0}, classes({1, 3}))});
  const auto turned = predicted({straight(Output::Logistic, {1, 0}, classes({3, 1}, true))});
  for (std::size_t i = 0; i < kX.size(); ++i) {
    const double odds = std::exp(kX[i]) / 3;
    CHECK(p[i] == Approx(1 / (1 + odds)));
    CHECK(p[kX.size() + i] == Approx(odds / (1 + odds)));
    CHECK(turned[i] == Approx(p[kX.size() + i]));
  }
  const auto sure = predicted({straight(Output::Logistic, {1, 0}, classes({1, 1}))}, {-90, 90});
  CHECK(sure[2] == Approx(std::exp(-90.0)));
  CHECK(sure[1] == Approx(std::exp(-90.0)));
}

TEST_CASE("networks predict together with the mean of their predictions by their shares, on any number of threads") {
  std::vector<double> x(40000);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = std::sin(double(i));
  const auto one = straight(Output::Softmax, {1, 2, 0, 0, 0, 1}, classes({1, 2, 1}), 3);
  const auto other = straight(Output::Softmax, {0, -1, 1, 0, 1, 0}, classes({1, 1, 1}), 1);
  const auto together = predicted({one, other}, x, {}, 1);
  CHECK((together == predicted({one, other}, x, {}, 5)));
  const auto first = predicted({one}, x), second = predicted({other}, x);
  double worst = 0;
  for (std::size_t i = 0; i < together.size(); ++i) {
    worst = std::max(worst, std::fabs(together[i] - 0.75 * first[i] - 0.25 * second[i]));
  }
  CHECK(worst < 1e-12);
  const std::vector<std::uint32_t> chosen = {7, 39999, 7};
  std::vector<double> few(9);
  std::vector<double*> columns = {&few[0], &few[3], &few[6]};
  const std::vector<PredictingNetwork> both = {one, other};
  const auto intakes = plain_intake(x);
  joint_predictions(both, intakes, chosen, {}, 3, 2, columns);
  for (std::size_t k = 0; k < 3; ++k) {
    for (std::size_t i = 0; i < 3; ++i) CHECK(few[3 * k + i] == together[k * x.size() + chosen[i]]);
  }
  // of an ensemble what the members put out is put together, then read
  PredictingNetwork ensemble = straight(Output::Identity, {1, 0}, numbers(1));
  ensemble.reading.logarithmic = true;
  ensemble.folded.push_back(straight(Output::Identity, {3, 2}, numbers(1)).folded[0]);
  CHECK(predicted({ensemble})[3] == Approx(std::exp((1 + 5) / 2.0)));
}

TEST_CASE("the best class is the one with the highest weighted probability, and there is none without numbers") {
  const double a[] = {0.5, 0.2, NAN}, b[] = {0.5, 0.8, 0.1}, weights[] = {1, 1}, tilted[] = {5, 1};
  const double* const columns[] = {a, b};
  const auto best = [&](const double* w, std::size_t row) { return best_class({columns, 2}, {w, 2}, row); };
  CHECK(best(weights, 0) == 0);
  CHECK(best(weights, 1) == 1);
  CHECK(best(tilted, 1) == 0);
  CHECK(best(weights, 2) == -1);
}

TEST_CASE("parts that don't fit each other are refused") {
  const auto good = straight(Output::Identity, {1, 0}, numbers(1));
  auto far = good, unread = good, two = straight(Output::Identity, {1, 1, 0, 0}, numbers(2)), empty = good;
  far.intake = 1;
  unread.reading.scale.clear();
  empty.folded.clear();
  auto turned = straight(Output::Softmax, {1, 2, 0, 0, 0, 1}, classes({1, 1, 1}, true));
  for (const auto& bad : {far, unread, two, empty}) CHECK_THROWS_AS(predicted({good, bad}), std::invalid_argument);
  CHECK_THROWS_AS(predicted({turned}), std::invalid_argument);
  CHECK_THROWS_AS(predicted({good}, kX, {1, 2}), std::invalid_argument);
}
