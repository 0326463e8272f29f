// How far a gradient is from central finite differences.
#pragma once
#include <cmath>

#include "helpers.hpp"
#include "objective.hpp"

namespace hylo_test {

struct Check {
  const KernelLevel* level = &kernel_level();
  const Draw* draw = nullptr;
};

// |g - d| / (|g| + |d|) over the whole gradient, g the gradient and d the differences. With `draw`, the same masks,
// noise and batches in every evaluation.
inline double gradient_error(const NetworkSpec& spec, const Table<double>& table, Check check = {}) {
  const Layout<double> layout(spec);
  Team team(2);
  Objective<double> objective(spec, layout, kernel_of<double>(*check.level), table, team, table.rows);
  const auto chosen = all_rows(table.rows);
  AlignedVector<double> w(layout.size()), g(layout.size()), unused(layout.size());
  start_parameters<double>(spec, layout, {}, {11, 0, 0, Purpose::Start}, w);
  std::size_t n = 0;
  layout.each([&](std::size_t at, bool trained) {
    if (trained) w[at] += 0.05 * std::sin(double(++n));  // no weight at a kink
  });
  const auto value = [&] {
    return objective.gradient(chosen, w, check.draw, unused) / double(table.rows) + objective.penalty(w);
  };
  objective.gradient(chosen, w, check.draw, g);
  double difference = 0, size = 0;
  layout.each([&](std::size_t at, bool trained) {
    if (!trained) return;
    const double step = 1e-5 * std::max(1.0, std::fabs(w[at])), kept = w[at];
    w[at] = kept + step;
    const double above = value();
    w[at] = kept - step;
    const double below = value();
    w[at] = kept;
    const double d = (above - below) / (2 * step);
    difference += (g[at] - d) * (g[at] - d);
    size += g[at] * g[at] + d * d;
  });
  return std::sqrt(difference / size);
}

inline double gradient_error(const NetworkSpec& spec, std::size_t rows, Check check = {}) {
  const std::size_t targets = spec.loss.loss == Loss::Quantile ? 1 : spec.layers.back().units;
  return gradient_error(spec, table_of<double>(rows, spec.inputs, targets, spec.loss.output), check);
}

}  // namespace hylo_test
