// The second derivatives of a row's loss with respect to the output layer's linear values, for the methods that solve
// equations in them. Where the loss is a likelihood they are expected ones (Fisher scoring), which are never negative;
// the losses without curvature have that of the parabola that lies above them and touches them (Hunter and Lange 2000).
#pragma once
#include <cstddef>
#include <vector>

#include "loss.hpp"
#include "span.hpp"

namespace hylo {

class Curvature {
 public:
  // `units` are the output layer's.
  Curvature(const LossSpec& spec, std::size_t units);

  // Of the linear values and, behind them, the gaps between ordered classes.
  std::size_t size() const { return units_ + gaps_.size(); }
  bool diagonal() const { return spec_.output != Output::Softmax && gaps_.empty(); }

  // What holds for all rows of a step: the gaps, and the mean loss, by which the parabolas keep off the corners.
  void begin(Span<const double> gaps, double mean_loss);

  // A size x size matrix, both triangles.
  void of_row(const double* z, const double* y, double* matrix);

 private:
  double plain(double z, double y) const;
  void ordered(double z, double* matrix);

  LossSpec spec_;
  std::size_t units_;
  std::vector<double> gaps_, slopes_, share_, thresholds_;
  double corner_ = 1;
};

}  // namespace hylo
