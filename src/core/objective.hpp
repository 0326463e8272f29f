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

  // In place of what the layers have.
  void set_l2(double l2) { l2_ = l2; }

  // sum over layers of l1 * sum |w| + l2 / 2 * sum w^2, biases excepted
  double penalty(Span<const T> parameters) const;

  // The blocks that rows are worked through in, and the derivatives of the linear values of block i's rows, for worker
  // `worker` of the team: all output units of a row one after another, each a row of parameters in the order of
  // Layout::each, `stride` apart. Their linear values stand row by row where the result points, offsets left out.
  // transpose() comes before the first.
  std::size_t blocks(Span<const std::uint32_t> rows) const;
  Span<const std::uint32_t> block(Span<const std::uint32_t> rows, std::size_t i) const;
  void transpose(Span<const T> parameters) { transposed_.update(layout_, kernel_, parameters); }
  const T* jacobian(Span<const std::uint32_t> part, Span<const T> parameters, std::size_t worker, std::size_t stride,
                    std::size_t apart, T* out);
  // Pass::product over all rows, with a `curve` of each worker's own that is told the row, after transpose().
  using Curve = std::function<void(std::uint32_t row, std::size_t worker, const T* values, T* moved)>;
  void product(Span<const std::uint32_t> rows, Span<const T> parameters, Span<const T> direction, const Curve& curve,
               Span<T> result);
  // Predictions of a block's rows, row by row.
  void predictions(Span<const std::uint32_t> part, Span<const T> parameters, T* out);

  const Layout<T>& layout() const { return layout_; }
  const NetworkSpec& spec() const { return spec_; }
  const Table<T>& table() const { return table_; }
  Team& team() { return team_; }

 private:
  Span<const T> folded(Span<const T> parameters);
  template <class OnBlock>
  void add_up(std::size_t blocks, Span<T> sum, OnBlock on_block);
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
  AlignedVector<T> folded_, predictions_;
  std::vector<double> losses_;
  std::vector<Tally> tallies_;
  double l2_ = -1;  // below 0 for that of each layer
};

}  // namespace hylo
