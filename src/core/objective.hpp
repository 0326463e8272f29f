// What training lowers, over any number of rows: blocks of rows on the threads of a team, added up in a fixed order, so
// that their number and timing can't change a bit of the result.
#pragma once
#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <vector>

#include "pass.hpp"
#include "team.hpp"

namespace hylo {

// Weighted sums over rows, each over the sum of weights when it is told.
struct Tally {
  double hits = 0;      // of rows whose most probable class is the observed one
  double absolute = 0;  // of |prediction - observed|: the first target, the middle quantile
  double squared = 0;   // of its square
};

template <class T>
class Objective {
 public:
  // `most_rows` is the largest number of rows that will be asked for at once.
  Objective(const NetworkSpec& spec, const Layout<T>& layout, const Kernel<T>& kernel, const Table<T>& table,
            Team& team, std::size_t most_rows);

  // The rows' weighted loss, without penalties; `gradient` becomes the gradient of the loss over the number of rows,
  // plus that of the penalties; where running means and variances lie it holds the rows' own. With dropout, noise and
  // batch statistics when `draw` is given.
  double gradient(Span<const std::uint32_t> rows, Span<const T> parameters, const Draw* draw, Span<T> gradient);

  double loss(Span<const std::uint32_t> rows, Span<const T> parameters);  // the rows' weighted loss
  Tally tally(Span<const std::uint32_t> rows, Span<const T> parameters);

  // sum over layers of l1 * sum |w| + l2 / 2 * sum w^2, biases excepted
  double penalty(Span<const T> parameters) const;

  // The squared error's first-order model, block by block and output by output: derivatives of the prediction, one row
  // a row of the table in the order of Layout::each, and the errors; both times sqrt(weight / number of rows), so that
  // the sum of squared errors is the mean loss. For one thread, from block 0 on; valid until the next call.
  struct Jacobian {
    const T* rows;
    const T* errors;
    std::size_t count, stride;
  };
  std::size_t jacobian_blocks(Span<const std::uint32_t> rows) const;
  Jacobian jacobian(Span<const std::uint32_t> rows, Span<const T> parameters, std::size_t i);

  const Layout<T>& layout() const { return layout_; }
  const NetworkSpec& spec() const { return spec_; }
  const Table<T>& table() const { return table_; }

 private:
  Span<const std::uint32_t> block(Span<const std::uint32_t> rows, std::size_t i) const;
  Span<const T> folded(Span<const T> parameters);
  template <class Visit>
  void each_penalised(Visit visit) const;

  NetworkSpec spec_;
  Layout<T> layout_;
  const Kernel<T>& kernel_;
  const Table<T>& table_;
  Team& team_;
  std::vector<std::unique_ptr<Pass<T>>> passes_;  // one a worker
  Transposed<T> transposed_;
  AlignedVector<T> lanes_;  // gradients of the lanes but the first
  AlignedVector<T> folded_, predictions_, jacobian_, errors_;
  std::vector<double> losses_;
  std::vector<Tally> tallies_;
};

}  // namespace hylo
