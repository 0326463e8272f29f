// Made-up tables and networks for the tests.
#pragma once
#include <algorithm>
#include <numeric>
#include <vector>

#include "kernel.hpp"
#include "network.hpp"
#include "random.hpp"
#include "table.hpp"

namespace hylo_test {

using namespace hylo;

inline std::vector<std::uint32_t> all_rows(std::size_t n) {
  std::vector<std::uint32_t> rows(n);
  std::iota(rows.begin(), rows.end(), 0u);
  return rows;
}

inline Loss usual_loss(Output output) {
  if (output == Output::Identity) return Loss::Squared;
  return output == Output::Exponential || output == Output::Softplus ? Loss::Poisson : Loss::CrossEntropy;
}

inline NetworkSpec network_of(std::size_t inputs, std::vector<std::size_t> hidden, Activation activation,
                              std::size_t outputs, Output output, double l1 = 0, double l2 = 0) {
  NetworkSpec spec;
  spec.inputs = inputs;
  spec.loss.output = output;
  spec.loss.loss = usual_loss(output);
  for (std::size_t units : hidden) spec.layers.push_back({units, activation, 0, l1, l2, 1, false, {}});
  spec.layers.push_back({outputs, Activation::Identity, 0, l1, l2, 1, false, {}});
  return spec;
}

template <class T>
Table<T> blank_table(std::size_t rows, std::size_t inputs, std::size_t outputs) {
  Table<T> table(rows, inputs, outputs);
  std::fill(table.x.begin(), table.x.end(), T(0));
  return table;
}

// Normal inputs, targets that suit the output, uneven weights.
template <class T>
Table<T> table_of(std::size_t rows, std::size_t inputs, std::size_t outputs, Output output, std::uint64_t seed = 5) {
  Table<T> table = blank_table<T>(rows, inputs, outputs);
  Stream stream({seed, 0, 0, Purpose::Split});
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t j = 0; j < inputs; ++j) table.x_row(i)[j] = T(stream.normal());
    table.weight[i] = T(0.5 + stream.uniform());
    if (output == Output::Softmax) {
      table.y_row(i)[stream.below(std::uint32_t(outputs))] = T(1);
      continue;
    }
    for (std::size_t j = 0; j < outputs; ++j) {
      table.y_row(i)[j] = output == Output::Identity   ? T(stream.normal())
                          : output == Output::Logistic ? T(stream.below(2))
                          : output == Output::Ordinal  ? T(stream.below(4))
                                                       : T(stream.below(5));
    }
  }
  return table;
}

}  // namespace hylo_test
