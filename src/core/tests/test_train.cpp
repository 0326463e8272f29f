#include <catch.h>

#include <cmath>
#include <cstring>

#include "counting_allocator.hpp"
#include "helpers.hpp"
#include "method.hpp"
#include "objective.hpp"
#include "train.hpp"

using namespace hylo_test;

namespace {

Trained<float> fit(const NetworkSpec& spec, const Table<float>& table, const Regimen& regimen, std::size_t validation,
                   const Watch& watch = {}) {
  const auto rows = all_rows(table.rows);
  const Span<const std::uint32_t> all(rows);
  return train<float>(spec, regimen, table, all.part(validation, rows.size() - validation), all.part(0, validation), {},
                      kernel_level(), watch);
}

Regimen short_regimen(std::size_t epochs, std::size_t patience = 0) {
  Regimen r;
  r.epochs = epochs;
  r.stop.patience = patience;
  r.batch_size = 32;
  return r;
}

// A network without hidden layers on 64 rows, of which `validation` choose.
Trained<float> straight_by_momentum(std::size_t epochs, double momentum, double rate, std::size_t validation) {
  auto regimen = short_regimen(epochs);
  regimen.optimiser.method = Method::Momentum;
  regimen.optimiser.momentum = momentum;
  regimen.optimiser.learning_rate = rate;
  return fit(network_of(2, {}, Activation::Identity, 1, Output::Identity), table_of<float>(64, 2, 1, Output::Identity),
             regimen, validation);
}

}  // namespace

TEST_CASE("the same seed gives the same network bit for bit, another seed another one") {
  auto spec = network_of(5, {8, 6}, Activation::Relu, 3, Output::Softmax);
  spec.layers[0].dropout = 0.2;
  const auto table = table_of<float>(300, 5, 3, Output::Softmax);
  auto regimen = short_regimen(5);
  const auto a = fit(spec, table, regimen, 60), b = fit(spec, table, regimen, 60);
  CHECK(std::memcmp(a.parameters.data(), b.parameters.data(), a.parameters.size() * sizeof(float)) == 0);
  regimen.seed = 2;
  CHECK(fit(spec, table, regimen, 60).parameters != a.parameters);
}

TEST_CASE("nothing is allocated once the first epoch is done") {
  auto spec = network_of(5, {8, 6}, Activation::Gelu, 3, Output::Softmax, 1e-4, 1e-4);
  spec.layers[0].dropout = 0.1;
  spec.layers[1].norm = true;
  spec.input_noise = 0.1;
  const auto table = table_of<float>(2500, 5, 3, Output::Softmax);
  Watch watch;
  watch.epoch_done = [](const Progress& p) {
    count_allocations = p.epoch >= 1 && p.epoch < 6;
    return true;
  };
  for (Method method : {Method::Momentum, Method::Nesterov, Method::Rmsprop, Method::Adam, Method::Adamw}) {
    auto regimen = short_regimen(6);
    regimen.optimiser.method = method;
    regimen.optimiser.gradient_clip = regimen.optimiser.max_norm = 1;
    regimen.batch_size = method == Method::Adam ? 2048 : 32;
    regimen.tally = true;
    allocations = 0;
    fit(spec, table, regimen, 100, watch);
    count_allocations = false;
    CHECK(allocations == 0);
  }
}

TEST_CASE("the number of threads changes not one bit") {
  auto spec = network_of(7, {20, 9}, Activation::Silu, 3, Output::Softmax, 0, 1e-4);
  spec.layers[0].dropout = 0.2;
  spec.layers[1].norm = true;
  const auto table = table_of<float>(6000, 7, 3, Output::Softmax);
  const auto rows = all_rows(table.rows);
  const Span<const std::uint32_t> all(rows);
  auto regimen = short_regimen(4);
  regimen.batch_size = 4096;
  const auto run = [&](std::size_t threads) {
    return train<float>(spec, regimen, table, all.part(1000, 5000), all.part(0, 1000), {}, kernel_level(), {}, threads);
  };
  const auto one = run(1), two = run(2), five = run(5);
  for (const auto* other : {&two, &five}) {
    CHECK(std::memcmp(one.parameters.data(), other->parameters.data(), one.parameters.size() * sizeof(float)) == 0);
    CHECK(one.epochs.back().validation == other->epochs.back().validation);
  }
}

TEST_CASE("the smaller last batch is used") {
  // Adam's first step moves every weight that has a gradient. The only row with a non-zero second input is the last
  // one, alone in its batch: without it that input's weight would stay at zero.
  auto table = blank_table<float>(33, 2, 1);
  for (std::size_t i = 0; i < 33; ++i) {
    table.x_row(i)[0] = 1;
    table.y_row(i)[0] = 1;
  }
  const auto spec = network_of(2, {}, Activation::Identity, 1, Output::Identity);
  auto order = all_rows(33);
  shuffle(order, {1, 0, 1, Purpose::Shuffle});
  table.x_row(order[32])[1] = 1;
  const auto trained = fit(spec, table, short_regimen(1), 0);
  CHECK(trained.parameters[row_stride<float>(1)] != 0);
}

TEST_CASE("training stops after `patience` epochs without a better validation loss and keeps the best weights") {
  const auto spec = network_of(6, {40}, Activation::Tanh, 1, Output::Identity);
  const auto table = table_of<float>(120, 6, 1, Output::Identity);  // pure noise: validation soon gets worse
  auto regimen = short_regimen(2000, 15);
  const auto trained = fit(spec, table, regimen, 50);
  REQUIRE(trained.stopped == Stopped::Patience);
  CHECK(trained.epochs.size() == trained.best + 15);
  const auto validation = all_rows(50);
  const Layout<float> layout(spec);
  Team team(1);
  Objective<float> objective(spec, layout, kernel_of<float>(kernel_level()), table, team, table.rows);
  double weight = 0, best = INFINITY;
  for (std::size_t i = 0; i < 50; ++i) weight += table.weight[i];
  for (const Epoch& epoch : trained.epochs) best = std::min(best, epoch.validation);
  CHECK(objective.loss(validation, trained.parameters) / weight == Approx(best).epsilon(1e-12));
  CHECK(trained.epochs[trained.best - 1].validation == best);
}

TEST_CASE("a request to stop ends training and keeps the best network so far") {
  const auto spec = network_of(5, {8}, Activation::Relu, 3, Output::Softmax);
  const auto table = table_of<float>(300, 5, 3, Output::Softmax);
  Watch after_three;
  after_three.epoch_done = [](const Progress& p) { return p.epoch < 3; };
  const auto three = fit(spec, table, short_regimen(50), 60, after_three);
  CHECK(three.stopped == Stopped::Interrupted);
  CHECK(three.epochs.size() == 3);

  int batches = 0;
  Watch at_once;
  at_once.stop_requested = [&] { return ++batches == 2; };
  const auto none = fit(spec, table, short_regimen(50), 60, at_once);
  CHECK(none.stopped == Stopped::Interrupted);
  CHECK(none.epochs.empty());
  CHECK(none.best == 0);
  CHECK(batches == 2);
}

TEST_CASE("a loss that is no longer finite stops training at the best network so far") {
  const auto trained = straight_by_momentum(500, 0.9, 1e6, 0);
  CHECK(trained.stopped == Stopped::Diverged);
  for (float w : trained.parameters) CHECK(std::isfinite(w));
}

TEST_CASE("a loss that grows without bounds ends training, one that comes back from its first steps doesn't") {
  const auto grown = straight_by_momentum(40, 0, 3, 32);
  CHECK(grown.stopped == Stopped::Diverged);
  for (const Epoch& e : grown.epochs) CHECK(e.validation <= kExploded * (1 + grown.epochs[0].training));
  for (float w : grown.parameters) CHECK(std::isfinite(w));
  CHECK(straight_by_momentum(40, 0, 0.05, 32).stopped == Stopped::Epochs);
}

TEST_CASE("an epoch in which nothing of the error comes to the first layer ends training") {
  const std::vector<std::size_t> deep(30, 3);
  const auto spec = network_of(4, deep, Activation::Logistic, 1, Output::Identity, 0, 1e-3);
  const auto table = table_of<float>(200, 4, 1, Output::Identity);
  const auto trained = fit(spec, table, short_regimen(50), 50);
  CHECK(trained.stopped == Stopped::Vanished);
  CHECK(trained.epochs.size() == 1);
  CHECK(trained.best == 1);
  const auto doubles = table_of<double>(200, 4, 1, Output::Identity);
  const auto rows = all_rows(200);
  for (Method method : {Method::Resilient, Method::Lbfgs, Method::Levenberg}) {
    auto regimen = short_regimen(50);
    regimen.optimiser.method = method;
    CHECK(train<double>(spec, regimen, doubles, rows, {}, {}, kernel_level(), {}).stopped == Stopped::Vanished);
  }
}

TEST_CASE("what is learned to the last digit has no error left, which is no error that vanished") {
  const auto spec = network_of(2, {4}, Activation::Tanh, 1, Output::Logistic);
  auto table = table_of<float>(64, 2, 1, Output::Logistic);
  for (std::size_t i = 0; i < table.rows; ++i) {
    table.x_row(i)[0] = i % 2 ? 3.0f : -3.0f;
    table.y_row(i)[0] = float(i % 2);
  }
  auto regimen = short_regimen(3000);
  regimen.optimiser.learning_rate = 0.2;
  const auto trained = fit(spec, table, regimen, 0);
  CHECK(trained.stopped == Stopped::Epochs);
  CHECK(trained.epochs.back().training < 1e-6);
}

TEST_CASE("multiplying every weight changes nothing but the loss's unit: a weight of 2 is a row twice") {
  const auto spec = network_of(3, {4}, Activation::Tanh, 1, Output::Logistic);
  const Layout<double> layout(spec);
  Table<double> once = table_of<double>(20, 3, 1, Output::Logistic), twice = blank_table<double>(40, 3, 1);
  for (std::size_t i = 0; i < 40; ++i) {
    std::memcpy(twice.x_row(i), once.x_row(i / 2), 3 * sizeof(double));
    twice.y_row(i)[0] = once.y_row(i / 2)[0];
    once.weight[i / 2] = 2;
    twice.weight[i] = 1;
  }
  Team team(1);
  Objective<double> first(spec, layout, kernel_of<double>(kernel_level()), once, team, 40);
  Objective<double> second(spec, layout, kernel_of<double>(kernel_level()), twice, team, 40);
  AlignedVector<double> w(layout.size()), a(layout.size()), b(layout.size());
  start_parameters<double>(spec, layout, {}, {1, 0, 0, Purpose::Start}, w);
  const auto single = all_rows(20), all = all_rows(40);
  first.gradient(single, w, nullptr, a);
  second.gradient(all, w, nullptr, b);
  for (std::size_t i = 0; i < w.size(); ++i) CHECK(a[i] / 2 == Approx(b[i]).margin(1e-15));
}

TEST_CASE("the output bias is the first prediction, and dense parameters survive packing") {
  const auto spec = network_of(4, {}, Activation::Identity, 3, Output::Softmax);
  const Layout<float> layout(spec);
  AlignedVector<float> w(layout.size());
  const std::vector<double> bias = {0.5, -0.25, 1};
  start_parameters<float>(spec, layout, Span<const double>(bias), {1, 0, 0, Purpose::Start}, w);
  std::vector<double> dense(layout.parameters());
  unpack_parameters<float>(layout, w, dense);
  CHECK(std::vector<double>(dense.end() - 3, dense.end()) == bias);
  for (std::size_t i = 0; i < dense.size(); ++i) dense[i] = double(i);
  pack_parameters<float>(layout, dense, w);
  std::vector<double> again(dense.size());
  unpack_parameters<float>(layout, w, again);
  CHECK(again == dense);
  CHECK(layout.parameters() == 15);
}

TEST_CASE("numbers too small to be normal are flushed while training, and only then") {
  // The second input is always zero, so its weight fades under the penalty and the optimiser's means of it with it.
  auto table = blank_table<float>(64, 2, 1);
  for (std::size_t i = 0; i < 64; ++i) {
    table.x_row(i)[0] = float(i) / 64;
    table.y_row(i)[0] = float(i % 2);
  }
  auto regimen = short_regimen(3000);
  regimen.optimiser.method = Method::Momentum;
  regimen.optimiser.learning_rate = 0.5;
  const auto trained = fit(network_of(2, {3}, Activation::Tanh, 1, Output::Identity, 0, 0.5), table, regimen, 0);
  for (float w : trained.parameters) CHECK((w == 0 || std::isnormal(w)));
  volatile double tiny = 1e-310;
  CHECK(tiny * 0.5 != 0);
}

namespace {

// All levels with fused multiply-add train this to the same bits; of these the hash goes on with (FNV-1a).
template <class T>
void check_same_bits(const NetworkSpec& spec, const Regimen& regimen, std::size_t inputs, std::size_t outputs,
                     std::uint64_t& hash) {
  std::vector<const KernelLevel*> fused;
  for (const KernelLevel* level : kernel_levels()) {
    if (std::string(level->name) != "generic") fused.push_back(level);
  }
  if (fused.empty()) return;  // nothing to compare on this processor
  INFO("activation " << int(spec.layers[0].activation) << ", output " << int(spec.loss.output) << ", method "
                     << int(regimen.optimiser.method));
  const auto table = table_of<T>(700, inputs, outputs, spec.loss.output);
  const auto rows = all_rows(table.rows);
  const Span<const std::uint32_t> all(rows);
  const auto run = [&](const KernelLevel& level) {
    return train<T>(spec, regimen, table, all.part(150, 550), all.part(0, 150), {}, level, {});
  };
  const auto first = run(*fused.front()), other = run(*fused.back());
  std::vector<unsigned char> bytes(first.parameters.size() * sizeof(T));
  std::memcpy(bytes.data(), first.parameters.data(), bytes.size());
  for (unsigned char byte : bytes) hash = (hash ^ byte) * 0x100000001B3u;
  CHECK(std::memcmp(first.parameters.data(), other.parameters.data(), first.parameters.size() * sizeof(T)) == 0);
  REQUIRE(first.epochs.size() == other.epochs.size());
  for (std::size_t e = 0; e < first.epochs.size(); ++e) {
    CHECK(first.epochs[e].training == other.epochs[e].training);
    CHECK(first.epochs[e].validation == other.epochs[e].validation);
    CHECK((first.epochs[e].gradient == other.epochs[e].gradient || std::isnan(first.epochs[e].gradient)));
  }
}

}  // namespace

TEST_CASE("levels with fused multiply-add train to the same bit, by every method, activation and output") {
  std::uint64_t hash = 0xCBF29CE484222325u;
  for (int a = 0; a <= int(Activation::Sine); ++a) {
    auto spec = network_of(7, {21, 9}, Activation(a), 3, Output::Softmax, 1e-4, 1e-3);
    spec.layers[0].dropout = 0.2;
    spec.layers[1].norm = true;
    spec.input_noise = 0.1;
    check_same_bits<float>(spec, short_regimen(4), 7, 3, hash);
  }
  for (Output output : {Output::Identity, Output::Logistic, Output::Exponential, Output::Softplus, Output::Softmax}) {
    const std::size_t outputs = output == Output::Softmax ? 4 : 1;
    const auto spec = network_of(5, {13}, Activation::Tanh, outputs, output, 0, 1e-3);
    for (int m = 0; m <= int(Method::Levenberg); ++m) {
      auto regimen = short_regimen(5);
      regimen.optimiser.method = Method(m);
      if (Method(m) == Method::Levenberg && output != Output::Identity) continue;
      if (takes_whole_table(Method(m))) {
        check_same_bits<double>(spec, regimen, 5, outputs, hash);
      } else {
        regimen.optimiser.gradient_clip = 1;
        check_same_bits<float>(spec, regimen, 5, outputs, hash);
      }
    }
  }
  // the bits of one machine are those of another, be it of another kind
  if (kernel_levels().size() > 1) CHECK(hash == 0xC41173BE346FF764u);
}

// Beyond kMostEquations parameters, with a skip connection.
NetworkSpec many_parameters(std::size_t outputs, Output output) {
  auto spec = network_of(4, {52, 33}, Activation::Tanh, outputs, output, 0, 1e-3);
  spec.skip = SkipSpec{0, 1e-3, 1};
  REQUIRE(Layout<double>(spec).parameters() > kMostEquations);
  return spec;
}

TEST_CASE("second-order training has the same bits at all levels, for every loss, with and without evidence") {
  std::uint64_t unused = 0;
  for (const bool evidence : {false, true}) {
    auto regimen = short_regimen(4);
    regimen.optimiser.method = Method::Levenberg;
    regimen.optimiser.evidence = evidence;
    check_same_bits<double>(many_parameters(1, Output::Identity), regimen, 4, 1, unused);
    check_same_bits<double>(many_parameters(4, Output::Softmax), regimen, 4, 4, unused);
  }
  for (Output output : {Output::Identity, Output::Logistic, Output::Exponential, Output::Softmax, Output::Ordinal}) {
    const std::size_t outputs = output == Output::Softmax ? 4 : 1;
    auto spec = network_of(5, {6}, Activation::Tanh, outputs, output, 0, 1e-3);
    if (output == Output::Ordinal) spec.loss.classes = 4;
    for (const bool evidence : {false, true}) {
      auto regimen = short_regimen(5);
      regimen.optimiser.method = Method::Levenberg;
      regimen.optimiser.evidence = evidence;
      check_same_bits<double>(spec, regimen, 5, outputs, unused);
    }
  }
}

namespace {

// A training that was cut off after the epoch whose state is kept, and its continuation.
template <class T>
void check_continues(const NetworkSpec& spec, const Table<T>& table, const Regimen& regimen, std::size_t validation) {
  const auto rows = all_rows(table.rows);
  const Span<const std::uint32_t> all(rows);
  const auto fit_from = [&](const Regimen& r, const Beginning& beginning, const Watch& watch) {
    return train<T>(spec, r, table, all.part(validation, rows.size() - validation), all.part(0, validation), beginning,
                    kernel_level(), watch);
  };
  std::vector<std::vector<double>> states;
  Watch watch;
  watch.every = 0;
  watch.keep = [&](const std::vector<double>& state) { states.push_back(state); };
  const auto whole = fit_from(regimen, {}, watch);
  REQUIRE(states.size() == whole.epochs.size());
  for (std::size_t i = 0; i < states.size(); i += 3) {
    Beginning from;
    from.state = states[i];
    const auto rest = fit_from(regimen, from, {});
    CHECK(rest.parameters == whole.parameters);
    CHECK(rest.best == whole.best);
    CHECK(rest.stopped == whole.stopped);
    REQUIRE(rest.epochs.size() == whole.epochs.size());
    CHECK(rest.epochs.back().training == whole.epochs.back().training);
    CHECK(rest.epochs.back().updates == whole.epochs.back().updates);
  }
  // a training that had ended goes on as if it had never been told to end there
  Regimen shorter = regimen;
  shorter.epochs = 4;
  states.clear();
  watch.every = std::numeric_limits<double>::infinity();
  fit_from(shorter, {}, watch);
  REQUIRE(states.size() == 1);
  Beginning from;
  from.state = states[0];
  CHECK(fit_from(regimen, from, {}).parameters == whole.parameters);
  const auto whole_state = states[0];
  const auto refused = [&](std::vector<double> state) {
    from.state = state;
    CHECK_THROWS_AS(fit_from(regimen, from, {}), std::invalid_argument);
  };
  auto longer = whole_state;
  longer.push_back(0);
  refused(longer);
  refused({whole_state.begin(), whole_state.end() - 1});
  for (std::size_t place : {0, 1, 4, 5, 6}) {  // counts, flags and the reason: nothing else than they can be
    for (double value : {-1.0, 0.5, 1e18, std::numeric_limits<double>::quiet_NaN()}) {
      auto crafted = whole_state;
      crafted[place] = value;
      refused(crafted);
    }
  }
  const std::size_t first_epoch = 8 + 2 * whole.parameters.size(), seconds = 5;  // in the order of keep_all()
  for (std::size_t place : {first_epoch, first_epoch + seconds}) {
    for (double value : {std::numeric_limits<double>::infinity(), std::numeric_limits<double>::quiet_NaN()}) {
      auto crafted = whole_state;
      crafted[place] = value;
      refused(crafted);
    }
  }
}

}  // namespace

TEST_CASE("a penalty that follows the noise is the share of it after the epoch before, for losses that tell it") {
  const struct {
    Loss loss;
    Output output;
    std::size_t outputs;
    double factor;  // of the loss in the share; 0 where all counts as noise
  } cases[] = {{Loss::Squared, Output::Identity, 1, 1},
               {Loss::Squared, Output::Identity, 3, 1 / 3.0},
               {Loss::Huber, Output::Identity, 1, 2},
               {Loss::Gamma, Output::Exponential, 1, 2},
               {Loss::Poisson, Output::Exponential, 1, 0},
               {Loss::CrossEntropy, Output::Logistic, 1, 0}};
  for (const auto& c : cases) {
    auto spec = network_of(3, {8}, Activation::Tanh, c.outputs, c.output);
    spec.loss.loss = c.loss;
    auto table = table_of<float>(3000, 3, c.outputs, c.output);
    if (c.output == Output::Identity) {
      for (std::size_t i = 0; i < table.rows; ++i) table.y_row(i)[0] = table.x_row(i)[0];
    } else if (c.loss == Loss::Gamma) {
      for (std::size_t i = 0; i < table.rows; ++i) table.y_row(i)[0] = std::exp(table.x_row(i)[0] / 2);
    }
    auto regimen = short_regimen(30);
    regimen.optimiser.by_noise = true;
    const auto trained = fit(spec, table, regimen, 1000);
    REQUIRE(trained.best > 1);
    const double before = trained.epochs[trained.best - 2].validation;
    const double share = c.factor == 0 ? 1 : std::min(1.0, std::max(1e-4, c.factor * before));
    CHECK(trained.penalty == Approx(10.0 / 2000 * share));
    // what was asked of the layers has no say
    for (LayerSpec& layer : spec.layers) layer.l2 = 5;
    CHECK((fit(spec, table, regimen, 1000).parameters == trained.parameters));
  }
}

TEST_CASE("what is kept of a training goes on to the same bits") {
  auto spec = network_of(5, {8, 6}, Activation::Tanh, 3, Output::Softmax, 1e-4, 1e-4);
  spec.layers[0].dropout = 0.2;
  spec.layers[1].norm = true;
  spec.input_noise = 0.1;
  const auto table = table_of<float>(300, 5, 3, Output::Softmax);
  for (Method method : {Method::Momentum, Method::Nesterov, Method::Rmsprop, Method::Adam, Method::Adamw}) {
    auto regimen = short_regimen(12, 5);
    regimen.optimiser.method = method;
    regimen.optimiser.weight_decay = method == Method::Adamw ? 0.01 : 0;
    regimen.schedule.kind = ScheduleKind::Plateau;
    regimen.schedule.every = 2;
    regimen.tally = true;
    regimen.optimiser.by_noise = method == Method::Rmsprop;
    check_continues<float>(spec, table, regimen, 60);
  }
  const auto plain = network_of(4, {5}, Activation::Tanh, 1, Output::Identity, 0, 1e-3);
  auto skip = plain;
  skip.skip = SkipSpec{};
  const auto linear = network_of(4, {}, Activation::Tanh, 1, Output::Logistic, 0, 1e-3);
  const auto numbers = table_of<double>(200, 4, 1, Output::Identity),
             yes = table_of<double>(200, 4, 1, Output::Logistic);
  for (Method method : {Method::Resilient, Method::ScaledConjugate, Method::Lbfgs, Method::Levenberg}) {
    for (bool evidence : {false, true}) {
      auto regimen = short_regimen(12);
      regimen.optimiser.method = method;
      regimen.optimiser.evidence = evidence && method == Method::Levenberg;
      check_continues<double>(plain, numbers, regimen, 40);
      check_continues<double>(skip, numbers, regimen, 0);
    }
  }
  for (bool evidence : {false, true}) {
    auto regimen = short_regimen(6);
    regimen.optimiser.method = Method::Levenberg;
    regimen.optimiser.evidence = evidence;
    check_continues<double>(many_parameters(1, Output::Identity), numbers, regimen, 40);
  }
  {
    auto regimen = short_regimen(12, 5);
    regimen.optimiser.by_noise = true;
    check_continues<float>(plain, table_of<float>(200, 4, 1, Output::Identity), regimen, 40);
  }
  for (bool evidence : {false, true}) {
    auto regimen = short_regimen(30);
    regimen.optimiser.method = Method::Newton;
    regimen.optimiser.evidence = evidence;
    check_continues<double>(linear, yes, regimen, 0);
  }
}

TEST_CASE("a network that learns on is evaluated first as it stands") {
  const auto spec = network_of(4, {5}, Activation::Relu, 1, Output::Identity);
  const auto table = table_of<float>(200, 4, 1, Output::Identity);
  const auto first = fit(spec, table, short_regimen(20), 50);
  const Layout<float> layout(spec);
  std::vector<double> dense(layout.parameters());
  unpack_parameters<float>(layout, first.parameters, dense);
  const auto rows = all_rows(table.rows);
  const Span<const std::uint32_t> all(rows);
  Beginning from;
  from.parameters = dense;
  const auto on =
      train<float>(spec, short_regimen(5), table, all.part(50, 150), all.part(0, 50), from, kernel_level(), {});
  CHECK(on.epochs[0].validation == first.epochs[first.best - 1].validation);
}
