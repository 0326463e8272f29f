// The encoded table that fits share and only read: inputs, targets and weights of every row.
#pragma once
#include <cstddef>
#include <memory>
#include <string>

#include "aligned.hpp"
#include "mapped_file.hpp"
#include "span.hpp"

namespace hylo {

template <class T>
struct Table {
  // The inputs are left unfilled: whoever makes a table writes every row of them, the padding with zeros. With a folder
  // they lie on disk there in place of memory, see ScratchRoom.
  Table(std::size_t rows_, std::size_t inputs_, std::size_t outputs_, const std::string& folder = {})
      : rows(rows_), inputs(inputs_), outputs(outputs_), y(rows_ * outputs_), weight(rows_, T(1)) {
    const std::size_t values = rows_ * row_stride<T>(inputs_);
    if (folder.empty()) {
      memory_.resize(values);
      x = memory_;
    } else {
      disk_ = std::make_unique<ScratchRoom>(folder, values * sizeof(T));
      x = Span<T>(static_cast<T*>(disk_->data()), values);
    }
  }

  const T* x_row(std::size_t i) const { return x.data() + i * row_stride<T>(inputs); }
  const T* y_row(std::size_t i) const { return y.data() + i * outputs; }
  T* x_row(std::size_t i) { return x.data() + i * row_stride<T>(inputs); }
  T* y_row(std::size_t i) { return y.data() + i * outputs; }

  // What row i counts: its weight, times all that is said of it where a teacher speaks.
  double count_of(std::size_t i) const {
    if (soft.empty()) return double(weight[i]);
    const std::size_t width = soft.size() / rows;
    double said = 0;
    for (std::size_t k = 0; k < width; ++k) said += double(soft[i * width + k]);
    return double(weight[i]) * said;
  }

  // Advice about rows `first` to `last`: that they will be asked for in no order, or soon.
  void in_no_order(std::size_t first, std::size_t last) const {
    if (disk_) disk_->in_no_order(place(first), place(last + 1) - place(first));
  }
  void soon(std::size_t first, std::size_t last) const {
    if (disk_) disk_->soon(place(first), place(last + 1) - place(first));
  }

  std::size_t rows, inputs, outputs;
  Span<T> x;           // one padded row after another; codes of embeddings behind the numbers
  AlignedVector<T> y;  // one row after another, without padding: rows are visited in random order, and the fewer lines
                       // the better. Numbers, counts, a place among ordered classes or, for softmax, the share of each
                       // class (1 for the observed one)
  AlignedVector<T> offset;  // added to the linear output, such as a log exposure; empty for none
  AlignedVector<T>
      soft;  // one row after another of 1 + classes numbers, what a teacher says, see loss.hpp; empty for none
  AlignedVector<T> weight;  // mean 1 over the training rows, so that learning rates keep their meaning

 private:
  std::size_t place(std::size_t row) const { return row * row_stride<T>(inputs) * sizeof(T); }

  UnfilledVector<T> memory_;
  std::unique_ptr<ScratchRoom> disk_;
};

}  // namespace hylo
