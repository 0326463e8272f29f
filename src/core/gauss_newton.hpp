// The generalised Gauss-Newton matrix of a loss over rows (Schraudolph 2002): the mean of J'HJ, J a row's derivatives
// of the network's linear values and H the loss's curvature in these (curvature.hpp). Blocks of rows on the threads of
// a team, added up in an order of their own, so that the number of threads can't change a bit of it. Where there are
// far more rows than parameters it is that of some of them, evenly spaced: steps and evidence need no more (Byrd, Chin,
// Neveitt and Nocedal 2011, "On the use of stochastic Hessian information").
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

#include "curvature.hpp"
#include "objective.hpp"

namespace hylo {

class GaussNewton {
 public:
  GaussNewton(Objective<double>& objective, Span<const std::uint32_t> rows, const Kernel<double>& kernel,
              bool every_row = false);

  std::size_t side() const { return side_; }      // parameters in use, in the order of Layout::each
  std::size_t stride() const { return stride_; }  // from one row of the matrix to the next

  // The matrix at these parameters, its lower triangle. `mean_loss` keeps parabolas off corners.
  void gather(Span<const double> parameters, double mean_loss, double* matrix);

  // Its products with directions, padded as the parameters are, that look() has been told of: without the matrix
  // (Martens 2010, "Deep learning via Hessian-free optimization").
  void look(Span<const double> parameters, double mean_loss);
  void multiply(Span<const double> parameters, Span<const double> direction, Span<double> result);

  // Rows of which the matrix is the square: as many as there are rows, of all of them, times roots().
  std::size_t roots() const { return width_; }
  void gather_roots(Span<const double> parameters, double mean_loss, double* roots);

 private:
  void roots_of_block(Span<const double> parameters, std::size_t i, std::size_t worker, double* to);
  double* curvature_of_row(std::uint32_t row, const double* z, std::size_t worker);
  const double* root_of_row(std::uint32_t row, const double* z, std::size_t worker);

  Objective<double>& objective_;
  std::vector<std::uint32_t> some_;  // of far more rows than parameters
  Span<const std::uint32_t> rows_;
  const Kernel<double>& kernel_;
  std::size_t units_, width_, side_, stride_, slab_, at_once_;
  std::vector<Curvature> curvatures_;  // one a worker
  AlignedVector<double> slabs_;        // of each block its rows' roots, row by row
  std::vector<double> roots_;          // of a row's curvature, one a worker
};

}  // namespace hylo
