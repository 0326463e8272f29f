// The encoded table that fits share and only read: inputs, targets and weights of every row.
#pragma once
#include <cstddef>

#include "aligned.hpp"

namespace hylo {

template <class T>
struct Table {
  // The inputs are left unfilled: whoever makes a table writes every row of them, the padding with zeros.
  Table(std::size_t rows_, std::size_t inputs_, std::size_t outputs_)
      : rows(rows_),
        inputs(inputs_),
        outputs(outputs_),
        x(rows_ * row_stride<T>(inputs_)),
        y(rows_ * outputs_),
        weight(rows_, T(1)) {}

  const T* x_row(std::size_t i) const { return x.data() + i * row_stride<T>(inputs); }
  const T* y_row(std::size_t i) const { return y.data() + i * outputs; }
  T* x_row(std::size_t i) { return x.data() + i * row_stride<T>(inputs); }
  T* y_row(std::size_t i) { return y.data() + i * outputs; }

  std::size_t rows, inputs, outputs;
  UnfilledVector<T> x;  // one padded row after another; codes of embeddings behind the numbers
  AlignedVector<T> y;   // one row after another, without padding: rows are visited in random order, and the fewer lines
                        // the better. Numbers, counts, a place among ordered classes or, for softmax, the share of each
                        // class (1 for the observed one)
  AlignedVector<T> offset;  // added to the linear output, such as a log exposure; empty for none
  AlignedVector<T>
      soft;  // one row after another of 1 + classes numbers, what a teacher says, see loss.hpp; empty for none
  AlignedVector<T> weight;  // mean 1 over the training rows, so that learning rates keep their meaning
};

}  // namespace hylo
