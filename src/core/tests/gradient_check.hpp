// How far a gradient, and the matrix of Gauss and Newton, are from central finite differences.
#pragma once
#include <cmath>

#include "gauss_newton.hpp"
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

// |G - D| / |D|, or that of its product with a direction if this is larger; D the mean of J'HJ with J from
// differences of the linear values. The curvature H is checked elsewhere.
inline double gauss_newton_error(const NetworkSpec& spec, const Table<double>& table, std::size_t threads = 2) {
  const Layout<double> layout(spec);
  const auto& kernel = kernel_of<double>(kernel_level());
  Team team(threads);
  Objective<double> objective(spec, layout, kernel, table, team, table.rows);
  Pass<double> pass(spec, layout, kernel);
  const auto chosen = all_rows(table.rows);
  AlignedVector<double> w(layout.size());
  start_parameters<double>(spec, layout, {}, {11, 0, 0, Purpose::Start}, w);
  std::vector<std::size_t> places;
  layout.each([&](std::size_t at, bool) {
    places.push_back(at);
    w[at] += 0.05 * std::sin(double(places.size()));
  });
  GaussNewton matrix(objective, chosen, kernel);
  AlignedVector<double> found(matrix.side() * matrix.stride());
  matrix.gather(w, 1, found.data());

  const std::size_t last = layout.layers() - 1, units = layout.units(last), width = units + layout.gaps(),
                    side = places.size();
  Curvature curvature(spec.loss, units);
  curvature.begin({w.data() + layout.gaps_at(), layout.gaps()}, 1);
  std::vector<double> expected(side * side), j(side * width), h(width * width), above(units), below(units), z(units);
  for (const std::uint32_t& row : chosen) {
    pass.outputs(table, {&row, 1}, w, last, z.data());
    for (std::size_t a = 0; a < units; ++a) z[a] += table.offset.empty() ? 0 : table.offset[row];
    for (std::size_t k = 0; k < side; ++k) {
      const double kept = w[places[k]], step = 1e-5;
      w[places[k]] = kept + step;
      pass.outputs(table, {&row, 1}, w, last, above.data());
      w[places[k]] = kept - step;
      pass.outputs(table, {&row, 1}, w, last, below.data());
      w[places[k]] = kept;
      for (std::size_t a = 0; a < units; ++a) j[k * width + a] = (above[a] - below[a]) / (2 * step);
      for (std::size_t m = 0; m < layout.gaps(); ++m) j[k * width + units + m] = k == side - layout.gaps() + m;
    }
    curvature.of_row(z.data(), table.y_row(row), h.data());
    for (std::size_t k = 0; k < side; ++k) {
      for (std::size_t l = 0; l <= k; ++l) {
        for (std::size_t a = 0; a < width; ++a) {
          for (std::size_t b = 0; b < width; ++b)
            expected[k * side + l] +=
                table.weight[row] / double(table.rows) * j[k * width + a] * h[a * width + b] * j[l * width + b];
        }
      }
    }
  }
  double difference = 0, size = 0;
  for (std::size_t k = 0; k < side; ++k) {
    for (std::size_t l = 0; l <= k; ++l) {
      const double d = found[k * matrix.stride() + l] - expected[k * side + l];
      difference += d * d;
      size += expected[k * side + l] * expected[k * side + l];
    }
  }
  AlignedVector<double> direction(layout.size()), product(layout.size());
  for (std::size_t k = 0; k < side; ++k) direction[places[k]] = std::sin(double(7 * k));
  matrix.multiply(w, direction, product);
  double off = 0, length = 0;
  for (std::size_t k = 0; k < side; ++k) {
    double sum = 0;
    for (std::size_t l = 0; l < side; ++l) {
      sum += expected[std::max(k, l) * side + std::min(k, l)] * direction[places[l]];
    }
    off += (product[places[k]] - sum) * (product[places[k]] - sum);
    length += sum * sum;
  }
  return std::sqrt(std::max(difference / size, off / length));
}

}  // namespace hylo_test
