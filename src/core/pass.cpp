#include "pass.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "loss.hpp"

namespace hylo {

template <class T>
Pass<T>::Pass(const NetworkSpec& spec, const Layout<T>& layout, const Kernel<T>& kernel)
    : spec_(spec), layout_(layout), kernel_(kernel) {
  const std::size_t layers = layout.layers();
  std::size_t next = 0, widest = 0, weights = 0;
  bool drops = false;
  for (std::size_t l = 0; l <= layers; ++l) {
    const std::size_t stride = row_stride<T>(l < layers ? layout.inputs(l) : layout.units(l - 1));
    value_at_.push_back(next);
    next += kBlockRows * stride;
    widest = std::max(widest, stride);
    drops = drops || (l < layers && share_kept(l) < 1);
  }
  transposed_at_.push_back(0);
  for (std::size_t l = 1; l < layers; ++l) {
    transposed_at_.push_back(weights);
    weights += layout.units(l) * row_stride<T>(layout.inputs(l));
  }
  values_.resize(next);
  if (drops) masks_.resize(next);
  for (auto& buffer : back_) buffer.resize(kBlockRows * widest);
  transposed_.resize(weights);
  y_.resize(kBlockRows * layout.stride(layers - 1));
  weight_.resize(kBlockRows);
  offset_.resize(kBlockRows);
}

// The share of layer `layer`'s inputs that dropout keeps.
template <class T>
double Pass<T>::share_kept(std::size_t layer) const {
  return 1 - (layer == 0 ? spec_.input_dropout : spec_.layers[layer - 1].dropout);
}

template <class T>
void Pass<T>::gather(const Table<T>& table, Span<const std::uint32_t> rows) {
  const std::size_t x_stride = row_stride<T>(table.inputs), y_stride = row_stride<T>(table.outputs);
  T* x = into(0);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    std::memcpy(x + i * x_stride, table.x_row(rows[i]), x_stride * sizeof(T));
    std::memcpy(y_.data() + i * y_stride, table.y_row(rows[i]), y_stride * sizeof(T));
    weight_[i] = table.weight[rows[i]];
  }
  offsetting_ = !table.offset.empty();
  if (!offsetting_) return;
  for (std::size_t i = 0; i < rows.size(); ++i) offset_[i] = table.offset[rows[i]];
}

template <class T>
void Pass<T>::add_offset(std::size_t rows) {
  const std::size_t stride = layout_.stride(layout_.layers() - 1);
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t j = 0; j < layout_.units(layout_.layers() - 1); ++j) linear_output()[i * stride + j] += offset_[i];
  }
}

template <class T>
void Pass<T>::forward(std::size_t rows, Span<const T> parameters) {
  if (dropping_ && share_kept(0) < 1) {
    kernel_.times(masks_.data() + value_at_[0], into(0), rows * row_stride<T>(layout_.inputs(0)));
  }
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    const std::size_t stride = layout_.stride(l);
    T* out = into(l + 1);
    kernel_.multiply({rows, layout_.units(l), layout_.inputs(l), into(l), row_stride<T>(layout_.inputs(l)), 1,
                      parameters.data() + layout_.weights_at(l), stride, out, stride,
                      parameters.data() + layout_.biases_at(l), 0});
    if (l + 1 == layout_.layers()) break;
    kernel_.activate(spec_.layers[l].activation, out, rows * stride);
    if (dropping_ && share_kept(l + 1) < 1) kernel_.times(masks_.data() + value_at_[l + 1], out, rows * stride);
  }
  if (offsetting_) add_offset(rows);
}

// Expects the gradient with respect to the output's linear values in linear_output(). Adds to `gradient`.
template <class T>
void Pass<T>::backward(std::size_t rows, Span<T> gradient) {
  const T* d = linear_output();
  for (std::size_t l = layout_.layers(); l-- > 0;) {
    const std::size_t stride = layout_.stride(l), in = layout_.inputs(l), in_stride = row_stride<T>(in);
    T* weights = gradient.data() + layout_.weights_at(l);
    kernel_.multiply({in, layout_.units(l), rows, into(l), 1, in_stride, d, stride, weights, stride, weights, stride});
    kernel_.add_rows(d, rows, stride, gradient.data() + layout_.biases_at(l));
    if (l == 0) return;
    T* below = back_[l % 2].data();
    kernel_.multiply({rows, in, layout_.units(l), d, stride, 1, transposed_.data() + transposed_at_[l], in_stride,
                      below, in_stride, nullptr, 0});
    const std::size_t count = rows * in_stride;
    if (dropping_ && share_kept(l) < 1) {
      // values were multiplied by mask / kept; undone, so that the derivative is had from the activation's own value
      kernel_.times(masks_.data() + value_at_[l], below, count);
      const T kept = T(share_kept(l));
      for (std::size_t i = 0; i < count; ++i) into(l)[i] *= kept;
    }
    kernel_.activate_back(spec_.layers[l - 1].activation, into(l), below, count);
    d = below;
  }
}

template <class T>
void Pass<T>::transpose_weights(Span<const T> parameters) {
  for (std::size_t l = 1; l < layout_.layers(); ++l) {
    const T* weights = parameters.data() + layout_.weights_at(l);
    T* to = transposed_.data() + transposed_at_[l];
    const std::size_t in = layout_.inputs(l), in_stride = row_stride<T>(in), stride = layout_.stride(l);
    for (std::size_t i = 0; i < in; ++i) {
      for (std::size_t j = 0; j < layout_.units(l); ++j) to[j * in_stride + i] = weights[i * stride + j];
    }
  }
}

// Inverted dropout: kept values are divided by the share kept (Srivastava et al. 2014), so that nothing changes when
// predicting.
template <class T>
void Pass<T>::draw_masks(std::size_t rows, const DropoutDraw& draw, std::size_t block) {
  const std::size_t layers = layout_.layers();
  for (std::size_t l = 0; l < layers; ++l) {
    const double kept = share_kept(l);
    if (kept >= 1) continue;
    // A stream for each (batch, block, layer), so that blocks can be drawn in any order.
    const std::uint64_t place = (std::uint64_t(draw.batch) * 4096 + block) * layers + l;
    Stream stream({draw.seed ^ (place * 0x9E3779B97F4A7C15ull), draw.job, draw.epoch, Purpose::Dropout});
    const std::uint32_t bound = std::uint32_t(std::min(kept * 4294967296.0, 4294967295.0));
    const std::size_t width = layout_.inputs(l), stride = row_stride<T>(width);
    T* mask = masks_.data() + value_at_[l];
    for (std::size_t i = 0; i < rows; ++i) {
      for (std::size_t j = 0; j < width; ++j) mask[i * stride + j] = stream.bits() < bound ? T(1 / kept) : T(0);
    }
  }
}

template <class T>
double Pass<T>::gradient(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                         const DropoutDraw* draw, Span<T> gradient) {
  std::fill(gradient.begin(), gradient.end(), T(0));
  transpose_weights(parameters);
  dropping_ = draw != nullptr && !masks_.empty();
  const T scale = T(1) / T(rows.size());
  double loss = 0;
  for (std::size_t from = 0, block = 0; from < rows.size(); from += kBlockRows, ++block) {
    const auto part = rows.part(from, std::min(kBlockRows, rows.size() - from));
    if (dropping_) draw_masks(part.size(), *draw, block);
    gather(table, part);
    forward(part.size(), parameters);
    loss += loss_and_gradient(spec_.output, kernel_, part.size(), table.outputs, y_.data(), weight_.data(), scale,
                              linear_output());
    backward(part.size(), gradient);
  }
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    const LayerSpec& layer = spec_.layers[l];
    if (layer.l1 == 0 && layer.l2 == 0) continue;
    const std::size_t from = layout_.weights_at(l);
    kernel_.penalise(T(layer.l1), T(layer.l2), parameters.data() + from, gradient.data() + from,
                     layout_.biases_at(l) - from);
  }
  return loss;
}

template <class T>
double Pass<T>::loss(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters) {
  dropping_ = false;
  double loss = 0;
  for (std::size_t from = 0; from < rows.size(); from += kBlockRows) {
    const auto part = rows.part(from, std::min(kBlockRows, rows.size() - from));
    gather(table, part);
    forward(part.size(), parameters);
    loss += loss_and_gradient(spec_.output, kernel_, part.size(), table.outputs, y_.data(), weight_.data(), T(1),
                              linear_output());
  }
  return loss;
}

template <class T>
double Pass<T>::penalty(Span<const T> parameters) const {
  double sum = 0;
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    double size = 0, square = 0;
    for (std::size_t i = layout_.weights_at(l); i < layout_.biases_at(l); ++i) {
      const double w = double(parameters[i]);
      size += std::fabs(w);
      square += w * w;
    }
    sum += spec_.layers[l].l1 * size + spec_.layers[l].l2 / 2 * square;
  }
  return sum;
}

template <class T>
const T* Pass<T>::answers(const Table<T>& table, std::size_t from, std::size_t count, Span<const T> parameters) {
  dropping_ = false;
  std::memcpy(into(0), table.x_row(from), count * row_stride<T>(table.inputs) * sizeof(T));
  offsetting_ = !table.offset.empty();
  if (offsetting_) std::copy_n(table.offset.data() + from, count, offset_.data());
  forward(count, parameters);
  answers_of(spec_.output, kernel_, count, layout_.units(layout_.layers() - 1), linear_output());
  return linear_output();
}

template class Pass<float>;
template class Pass<double>;

}  // namespace hylo
