#include "contraction.hpp"

#include "pass.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace hylo {

namespace {
constexpr std::size_t kNarrow = 8;

bool consecutive(Span<const std::uint32_t> rows) {
  if (rows[rows.size() - 1] - rows[0] != rows.size() - 1) return false;
  for (std::size_t i = 1; i < rows.size(); ++i) {
    if (rows[i] != rows[i - 1] + 1) return false;
  }
  return true;
}
}  // namespace

template <class T>
Transposed<T>::Transposed(const Layout<T>& layout) : lowest_(layout.embeddings() > 0 ? 0 : 1) {
  std::size_t next = 0;
  for (std::size_t l = 0; l < layout.layers(); ++l) {
    at_.push_back(next);
    if (l >= lowest_) next += layout.units(l) * row_stride<T>(layout.inputs(l));
  }
  at_.push_back(next);
  skip_ = lowest_ == 0 && layout.has_skip();
  if (skip_) next += layout.units(layout.layers() - 1) * row_stride<T>(layout.inputs(0));
  values_.resize(next);
}

template <class T>
void Transposed<T>::update(const Layout<T>& layout, const Kernel<T>& kernel, Span<const T> parameters) {
  const auto put = [&](std::size_t from, std::size_t inputs, std::size_t layer, std::size_t to) {
    Transposition<T> turn;
    turn.from = parameters.data() + from;
    turn.rows = inputs;
    turn.width = layout.units(layer);
    turn.stride = layout.stride(layer);
    turn.to = values_.data() + at_[to];
    turn.to_stride = row_stride<T>(inputs);
    kernel.transpose(turn);
  };
  for (std::size_t l = lowest_; l < layout.layers(); ++l) put(layout.weights_at(l), layout.inputs(l), l, l);
  if (skip_) put(layout.skip_at(), layout.inputs(0), layout.layers() - 1, layout.layers());
}

template <class T>
Pass<T>::Pass(const NetworkSpec& spec, const Layout<T>& layout, const Kernel<T>& kernel)
    : spec_(spec), layout_(layout), kernel_(kernel) {
  const std::size_t layers = layout.layers();
  std::size_t next = 0;
  bool any_drop = false, any_slope = false;
  for (std::size_t l = 0; l <= layers; ++l) {
    const std::size_t stride = row_stride<T>(l < layers ? layout.inputs(l) : layout.units(l - 1));
    value_at_.push_back(next);
    next += kBlockRows * stride;
    widest_ = std::max(widest_, stride);
    any_drop = any_drop || (l < layers && share_kept(l) < 1);
    any_slope = any_slope || (l + 1 < layers && keeps_slope(l));
  }
  values_.resize(next);
  if (any_drop) masks_.resize(next);
  if (any_slope) slopes_.resize(next);
  if (spec.normalises()) {
    scaled_.resize(next);
    for (auto* rows : {&means_, &variances_, &inverses_}) rows->resize(layers * widest_);
  }
  for (auto& buffer : back_) buffer.resize(kBlockRows * widest_);
  if (layout.has_skip() && layout.embeddings() > 0) skip_back_.resize(kBlockRows * layout.stride(layers - 1));
  z_.resize(kBlockRows * std::max(spec.predictions(), layout.units(layers - 1)));
  y_.resize(kBlockRows * layout.units(layers - 1));
  soft_.resize(kBlockRows * (1 + std::max<std::size_t>(2, layout.units(layers - 1))));
  weight_.resize(kBlockRows);
  offset_.resize(kBlockRows);
  unused_gaps_.resize(layout.gaps());
  next = 0;
  for (std::size_t e = 0; e < layout.embeddings(); ++e) {
    dense_at_.push_back(next);
    next += (spec.embeddings[e].levels + 1) * layout.embedding_width(e);
  }
  for (std::size_t l = 0; l < layers; ++l) {
    dense_at_.push_back(next);
    next += (layout.inputs(l) + (layout.norm(l) ? 4 : 1)) * layout.units(l);
  }
  dense_at_.push_back(next);  // of a skip connection
}

// The share of layer `layer`'s inputs that dropout keeps.
template <class T>
double Pass<T>::share_kept(std::size_t layer) const {
  return 1 - (layer == 0 ? spec_.input_dropout : spec_.layers[layer - 1].dropout);
}

// Rows that follow each other in the table are read where they stand, unless the inputs are to be changed.
template <class T>
void Pass<T>::gather_inputs(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                            bool changes) {
  const std::size_t from_stride = row_stride<T>(table.inputs), stride = row_stride<T>(layout_.inputs(0));
  const bool in_place = !changes && layout_.embeddings() == 0 && consecutive(rows);
  input_ = in_place ? table.x_row(rows[0]) : into(0);
  if (!in_place) kernel_.gather(Gathering<T>{table.x.data(), rows.data(), rows.size(), from_stride, into(0), stride});
  offsetting_ = !table.offset.empty();
  if (offsetting_) {
    for (std::size_t i = 0; i < rows.size(); ++i) offset_[i] = table.offset[rows[i]];
  }
  gather_embeddings(table, rows, parameters, into(0));
}

template <class T>
void Pass<T>::gather_embeddings(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                                T* inputs) const {
  const std::size_t stride = row_stride<T>(layout_.inputs(0));
  for (std::size_t i = 0; i < rows.size() && layout_.embeddings() > 0; ++i) {
    const T* codes = table.x_row(rows[i]) + spec_.inputs;
    T* to = inputs + i * stride + spec_.inputs;
    for (std::size_t e = 0; e < layout_.embeddings(); ++e) {
      const T* row = parameters.data() + layout_.embedding_at(e) + code_of(codes[e], e) * layout_.embedding_stride(e);
      to = std::copy_n(row, layout_.embedding_width(e), to);
    }
  }
}

// Rows up to the next whole vector repeat the last one with weight 0.
template <class T>
void Pass<T>::gather_targets(const Table<T>& table, Span<const std::uint32_t> rows) {
  const std::size_t n = rows.size(), padded = row_stride<T>(n), end = std::min(padded, kBlockRows);
  for (std::size_t i = 0; i < n; ++i) {
    const T* y = table.y_row(rows[i]);
    __builtin_prefetch(table.y_row(rows[std::min(i + 12, n - 1)]));
    for (std::size_t c = 0; c < table.outputs; ++c) y_[c * kBlockRows + i] = y[c];
    weight_[i] = table.weight[rows[i]];
  }
  for (std::size_t i = n; i < end; ++i) {
    for (std::size_t c = 0; c < table.outputs; ++c) y_[c * kBlockRows + i] = y_[c * kBlockRows + n - 1];
    weight_[i] = 0;
  }
  taught_ = !table.soft.empty();
  const std::size_t width = table.soft.size() / table.rows;
  for (std::size_t i = 0; i < end && taught_; ++i) {
    const T* soft = table.soft.data() + rows[std::min(i, n - 1)] * width;
    for (std::size_t c = 0; c < width; ++c) soft_[c * kBlockRows + i] = soft[c];
  }
}

template <class T>
LossBlock<T> Pass<T>::loss_block(std::size_t rows, T scale) {
  return {rows,
          layout_.units(layout_.layers() - 1),
          kBlockRows,
          y_.data(),
          weight_.data(),
          scale,
          z_.data(),
          spec_.loss.quantiles.data(),
          taught_ ? soft_.data() : nullptr};
}

template <class T>
void Pass<T>::to_columns(std::size_t rows) {
  const std::size_t width = layout_.units(layout_.layers() - 1), stride = layout_.stride(layout_.layers() - 1);
  const std::size_t end = std::min(row_stride<T>(rows), kBlockRows);
  for (std::size_t i = 0; i < end; ++i) {
    const std::size_t row = std::min(i, rows - 1);
    const T* z = linear_output() + row * stride;
    const T offset = offsetting_ ? offset_[row] : T(0);
    for (std::size_t c = 0; c < width; ++c) z_[c * kBlockRows + i] = z[c] + offset;
  }
}

template <class T>
void Pass<T>::from_columns(std::size_t rows) {
  const std::size_t width = layout_.units(layout_.layers() - 1), stride = layout_.stride(layout_.layers() - 1);
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t c = 0; c < width; ++c) linear_output()[i * stride + c] = z_[c * kBlockRows + i];
  }
}

template <class T>
void Pass<T>::forward(std::size_t rows, Span<const T> parameters, bool training) {
  if (drops(0))
    kernel_.times(Factors<T>{masks_.data() + value_at_[0], into(0), rows * row_stride<T>(layout_.inputs(0))});
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    const std::size_t stride = layout_.stride(l), count = rows * stride;
    const Activation f = spec_.layers[l].activation;
    const bool hidden = l + 1 < layout_.layers(), norm = training && layout_.norm(l);
    const bool rectify = hidden && !norm && f == Activation::Relu;
    T* out = into(l + 1);
    const Origin<T> biases = {norm ? nullptr : parameters.data() + layout_.biases_at(l), 0};
    kernel_.multiply(Product<T>{Extent{rows, layout_.units(l), layout_.inputs(l)},
                                Left<T>{taken(l), row_stride<T>(layout_.inputs(l)), 1},
                                Right<T>{parameters.data() + layout_.weights_at(l), stride}, Result<T>{out, stride},
                                biases, rectify ? Finish::Rectify : Finish::None});
    if (norm) {
      // A block of one row has no variance of its own; it is normalised by the running statistics.
      const NormRows<T> r = {means_.data() + l * widest_, variances_.data() + l * widest_,
                             inverses_.data() + l * widest_, parameters.data() + layout_.gains_at(l),
                             parameters.data() + layout_.biases_at(l)};
      given_norms_ = rows == 1;
      for (std::size_t j = 0; j < stride && given_norms_; ++j) {
        r.mean[j] = parameters[layout_.means_at(l) + j];
        r.variance[j] = parameters[layout_.variances_at(l) + j];
        r.inverse[j] = T(1 / std::sqrt(double(r.variance[j]) + kNormEpsilon));
      }
      kernel_.normalise(r, NormBlock{given_norms_, rows, layout_.units(l), stride}, out,
                        scaled_.data() + value_at_[l + 1]);
    }
    if (!hidden) {
      if (!layout_.has_skip()) break;
      kernel_.multiply(Product<T>{
          Extent{rows, layout_.units(l), layout_.inputs(0)}, Left<T>{taken(0), row_stride<T>(layout_.inputs(0)), 1},
          Right<T>{parameters.data() + layout_.skip_at(), stride}, Result<T>{out, stride}, Origin<T>{out, stride}});
      break;
    }
    if (training && keeps_slope(l)) {
      kernel_.activate_keep(f, out, slopes_.data() + value_at_[l + 1], count);
    } else if (!rectify) {
      kernel_.activate(f, out, count);
    }
    if (drops(l + 1)) kernel_.times(Factors<T>{masks_.data() + value_at_[l + 1], out, count});
  }
}

// From `d`, the gradient with respect to the output's linear values. Calls on_layer(l, d) from the last layer to the
// first, d being the gradient with respect to layer l's weighted sums, and on_layer(layers, d) at last with that with
// respect to the inputs if there are embeddings. `gradient` takes what belongs to batch normalisation.
template <class T>
template <class OnLayer>
void Pass<T>::backward(std::size_t rows, Span<const T> parameters, const Transposed<T>& transposed, const T* d,
                       Span<T> gradient, OnLayer on_layer) {
  std::copy_n(d, skip_back_.empty() ? 0 : rows * layout_.stride(layout_.layers() - 1), skip_back_.data());
  for (std::size_t l = layout_.layers(); l-- > 0;) {
    on_layer(l, d);
    if (l == 0 && layout_.embeddings() == 0) return;
    const std::size_t stride = layout_.stride(l), in = layout_.inputs(l), in_stride = row_stride<T>(in),
                      count = rows * in_stride;
    const Activation f = l == 0 ? Activation::Identity : spec_.layers[l - 1].activation;
    T* below = back_[l % 2].data();
    kernel_.multiply(Product<T>{Extent{rows, in, layout_.units(l)}, Left<T>{d, stride, 1},
                                Right<T>{transposed.of(l), in_stride}, Result<T>{below, in_stride}, Origin<T>{},
                                f == Activation::Relu ? Finish::RectifyBack : Finish::None, taken(l)});
    if (l == 0 && layout_.has_skip()) {
      const std::size_t last = layout_.layers() - 1;
      kernel_.multiply(Product<T>{
          Extent{rows, in, layout_.units(last)}, Left<T>{skip_back_.data(), layout_.stride(last), 1},
          Right<T>{transposed.of(last + 1), in_stride}, Result<T>{below, in_stride}, Origin<T>{below, in_stride}});
    }
    d = below;
    if (drops(l)) kernel_.times(Factors<T>{masks_.data() + value_at_[l], below, count});
    if (l == 0) return on_layer(layout_.layers(), d);
    if (keeps_slope(l - 1)) {
      kernel_.times(Factors<T>{slopes_.data() + value_at_[l], below, count});
    } else if (f != Activation::Relu) {
      // values were multiplied by mask / kept; undone, so that the derivative is had from the activation's own value
      if (drops(l)) kernel_.scale(T(share_kept(l)), into(l), count);
      kernel_.activate_back(f, into(l), below, count);
    }
    if (layout_.norm(l - 1)) {
      const std::size_t k = l - 1;
      const NormRows<T> r = {means_.data() + k * widest_, variances_.data() + k * widest_,
                             inverses_.data() + k * widest_, parameters.data() + layout_.gains_at(k),
                             parameters.data() + layout_.biases_at(k)};
      const NormGradients<T> into_gradient = {gradient.data() + layout_.gains_at(k),
                                              gradient.data() + layout_.biases_at(k)};
      kernel_.normalise_back(r, NormBlock{given_norms_, rows, in, in_stride}, scaled_.data() + value_at_[l], below,
                             into_gradient);
    }
  }
}

// Inverted dropout: kept values are divided by the share kept (Srivastava et al. 2014), so that nothing changes when
// predicting. A stream for each (batch, block, layer), so that blocks can be drawn in any order.
template <class T>
void Pass<T>::draw_masks(std::size_t rows, const Draw& draw, std::size_t block) {
  const std::size_t layers = layout_.layers();
  for (std::size_t l = 0; l < layers; ++l) {
    const double kept = share_kept(l);
    if (kept >= 1) continue;
    const std::uint64_t place = (std::uint64_t(draw.batch) * 4096 + block) * layers + l;
    Stream stream({draw.seed ^ (place * 0x9E3779B97F4A7C15ull), draw.job, draw.epoch, Purpose::Dropout});
    Mask<T> mask;
    mask.key = stream.bits();
    mask.key2 = stream.bits();
    mask.bound = std::uint32_t(std::min(kept * 4294967296.0, 4294967295.0));
    mask.value = T(1 / kept);
    mask.mask = masks_.data() + value_at_[l];
    mask.count = rows * row_stride<T>(layout_.inputs(l));
    kernel_.drop(mask);
  }
}

template <class T>
void Pass<T>::add_noise(std::size_t rows, const Draw& draw, std::size_t block) {
  const std::uint64_t place = std::uint64_t(draw.batch) * 4096 + block;
  Stream stream({draw.seed ^ (place * 0x9E3779B97F4A7C15ull), draw.job, draw.epoch, Purpose::Noise});
  const std::size_t stride = row_stride<T>(layout_.inputs(0));
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t j = 0; j < spec_.inputs; ++j) into(0)[i * stride + j] += T(spec_.input_noise * stream.normal());
  }
}

// weights, of `in` inputs for `units` units, += values' d over n rows, or becomes it if `fresh`. `free` may be used.
template <class T>
void Pass<T>::add_products(std::size_t in, std::size_t n, const T* values, std::size_t units, const T* d, T* free,
                           bool fresh, T* weights) {
  const std::size_t stride = row_stride<T>(units), in_stride = row_stride<T>(in);
  if (units > kNarrow || in <= units) {
    return kernel_.multiply(Product<T>{Extent{in, units, n}, Left<T>{values, 1, in_stride}, Right<T>{d, stride},
                                       Result<T>{weights, stride}, Origin<T>{fresh ? nullptr : weights, stride}});
  }
  // As its own transpose the product is wide: a few rows of many columns instead of vectors that are mostly padding.
  kernel_.multiply(
      Product<T>{Extent{units, in, n}, Left<T>{d, 1, stride}, Right<T>{values, in_stride}, Result<T>{free, in_stride}});
  for (std::size_t i = 0; i < in; ++i) {
    for (std::size_t j = 0; j < units; ++j)
      weights[i * stride + j] = (fresh ? T(0) : weights[i * stride + j]) + free[j * in_stride + i];
  }
}

// The weights' gradients are products, which can be written over what was there; everything else is added up.
template <class T>
void Pass<T>::clear_all_but_weights(Span<T> gradient) const {
  const auto clear = [&](std::size_t from, std::size_t to) {
    std::fill(gradient.begin() + from, gradient.begin() + to, T(0));
  };
  clear(0, layout_.weights_at(0));
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    clear(layout_.biases_at(l), l + 1 < layout_.layers() ? layout_.weights_at(l + 1) : layout_.skip_at());
  }
  clear(layout_.gaps_at(), layout_.size());
}

// The gradient from `slopes`, that with respect to the output's linear values.
template <class T>
void Pass<T>::collect(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                      const Transposed<T>& transposed, const T* slopes, bool fresh, Span<T> gradient) {
  const std::size_t n = rows.size();
  backward(n, parameters, transposed, slopes, gradient, [&](std::size_t l, const T* d) {
    if (l == layout_.layers()) {
      const std::size_t in_stride = row_stride<T>(layout_.inputs(0));
      for (std::size_t i = 0; i < n; ++i) {
        const T* codes = table.x_row(rows[i]) + spec_.inputs;
        const T* from = d + i * in_stride + spec_.inputs;
        for (std::size_t e = 0; e < layout_.embeddings(); ++e) {
          T* to = gradient.data() + layout_.embedding_at(e) + code_of(codes[e], e) * layout_.embedding_stride(e);
          for (std::size_t j = 0; j < layout_.embedding_width(e); ++j) to[j] += *from++;
        }
      }
      return;
    }
    const std::size_t stride = layout_.stride(l), units = layout_.units(l);
    T* free = back_[(l + 1) % 2].data() == d ? back_[l % 2].data() : back_[(l + 1) % 2].data();
    add_products(layout_.inputs(l), n, taken(l), units, d, free, fresh, gradient.data() + layout_.weights_at(l));
    if (layout_.has_skip() && l + 1 == layout_.layers()) {
      add_products(layout_.inputs(0), n, taken(0), units, d, free, fresh, gradient.data() + layout_.skip_at());
    }
    if (!layout_.norm(l)) return kernel_.add_rows(Rows<T>{d, n, units, stride}, gradient.data() + layout_.biases_at(l));
    for (std::size_t j = 0; j < layout_.units(l); ++j) {
      gradient[layout_.means_at(l) + j] += T(n) * means_[l * widest_ + j];
      gradient[layout_.variances_at(l) + j] += T(n) * variances_[l * widest_ + j];
    }
  });
}

template <class T>
double Pass<T>::gradient(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                         const Transposed<T>& transposed, const Draw* draw, std::size_t block, T scale, bool fresh,
                         Span<T> gradient) {
  const std::size_t n = rows.size();
  if (fresh) clear_all_but_weights(gradient);
  gather_inputs(table, rows, parameters, draw != nullptr && (spec_.input_dropout > 0 || spec_.input_noise > 0));
  gather_targets(table, rows);
  dropping_ = draw != nullptr && !masks_.empty();
  if (dropping_) draw_masks(n, *draw, block);
  if (draw != nullptr && spec_.input_noise > 0) add_noise(n, *draw, block);
  forward(n, parameters, true);
  to_columns(n);
  const LossBlock<T> loss = loss_block(n, scale);
  const double sum = spec_.loss.output == Output::Ordinal
                         ? ordinal_loss(loss, spec_.loss.classes, parameters.data() + layout_.gaps_at(),
                                        gradient.data() + layout_.gaps_at())
                         : kernel_.loss(spec_.loss, loss);
  from_columns(n);
  collect(table, rows, parameters, transposed, linear_output(), fresh, gradient);
  return sum;
}

template <class T>
double Pass<T>::loss(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> folded) {
  const std::size_t n = rows.size();
  dropping_ = false;
  gather_inputs(table, rows, folded, false);
  gather_targets(table, rows);
  forward(n, folded, false);
  to_columns(n);
  const LossBlock<T> loss = loss_block(n, T(1));
  if (spec_.loss.output != Output::Ordinal) return kernel_.loss(spec_.loss, loss);
  return ordinal_loss(loss, spec_.loss.classes, folded.data() + layout_.gaps_at(), unused_gaps_.data());
}

template <class T>
void Pass<T>::predictions(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> folded, T* out) {
  const std::size_t n = rows.size(), width = spec_.predictions();
  dropping_ = false;
  gather_inputs(table, rows, folded, false);
  forward(n, folded, false);
  to_columns(n);
  if (spec_.loss.output == Output::Ordinal) {
    std::copy_n(z_.data(), n, weight_.data());  // the predictions take z's place
    ordinal_predictions(n, kBlockRows, spec_.loss.classes, folded.data() + layout_.gaps_at(), weight_.data(),
                        z_.data());
  } else {
    kernel_.prediction(spec_.loss.output, n, width, kBlockRows, z_.data());
  }
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t c = 0; c < width; ++c) out[i * width + c] = z_[c * kBlockRows + i];
  }
}

template <class T>
void Pass<T>::outputs(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> folded, std::size_t layer,
                      T* out) {
  dropping_ = false;
  gather_inputs(table, rows, folded, false);
  forward(rows.size(), folded, false);
  const std::size_t width = layout_.units(layer), stride = layout_.stride(layer);
  for (std::size_t i = 0; i < rows.size(); ++i) std::copy_n(into(layer + 1) + i * stride, width, out + i * width);
}

template <class T>
void Pass<T>::jacobian(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                       const Transposed<T>& transposed, std::size_t unit, bool first, T* out, std::size_t stride) {
  const std::size_t n = rows.size(), last = layout_.layers() - 1, z_stride = layout_.stride(last);
  dropping_ = false;
  if (first) {
    gather_inputs(table, rows, parameters, false);
    forward(n, parameters, true);
  }
  // the linear values are wanted afterwards, so the way back starts in a buffer of its own
  T* d = back_[(last + 1) % 2].data();
  std::fill_n(d, n * z_stride, T(0));
  for (std::size_t i = 0; i < n; ++i) d[i * z_stride + unit] = 1;
  const std::size_t side = dense_at_.back() + (layout_.has_skip() ? layout_.inputs(0) * layout_.units(last) : 0);
  for (std::size_t i = 0; i < n; ++i) std::fill_n(out + i * stride, row_stride<T>(side + layout_.gaps()), T(0));
  backward(n, parameters, transposed, d, {}, [&](std::size_t l, const T* slope) {
    if (l == layout_.layers()) {
      const std::size_t in_stride = row_stride<T>(layout_.inputs(0));
      for (std::size_t i = 0; i < n; ++i) {
        const T* codes = table.x_row(rows[i]) + spec_.inputs;
        const T* from = slope + i * in_stride + spec_.inputs;
        for (std::size_t e = 0; e < layout_.embeddings(); ++e) {
          const std::size_t width = layout_.embedding_width(e);
          std::copy_n(from, width, out + i * stride + dense_at_[e] + code_of(codes[e], e) * width);
          from += width;
        }
      }
      return;
    }
    // the products of each row's values, and 1 for a bias, with its slopes
    const auto put = [&](std::size_t from, std::size_t in, bool bias, const T* values) {
      const std::size_t units = layout_.units(l), in_stride = row_stride<T>(in), d_stride = layout_.stride(l);
      for (std::size_t i = 0; i < n; ++i) {
        T* to = out + i * stride + from;
        for (std::size_t a = 0; a < in + (bias ? 1 : 0); ++a) {
          const T value = a == in ? T(1) : values[i * in_stride + a];
          for (std::size_t j = 0; j < units; ++j) *to++ = value * slope[i * d_stride + j];
        }
      }
    };
    put(dense_at_[layout_.embeddings() + l], layout_.inputs(l), true, taken(l));
    if (layout_.has_skip() && l == last) put(dense_at_.back(), layout_.inputs(0), false, taken(0));
  });
}

// What the values of each layer move by along `direction`, after forward(); nothing is dropped or normalised.
template <class T>
void Pass<T>::forward_along(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                            Span<const T> direction) {
  const std::size_t n = rows.size(), last = layout_.layers() - 1;
  const bool embedded = layout_.embeddings() > 0;
  if (along_.empty()) along_.resize(values_.size());
  const auto along = [&](std::size_t layer) { return along_.data() + value_at_[layer]; };
  gather_embeddings(table, rows, direction, along(0));
  const auto add = [&](std::size_t from, std::size_t layer, const T* values, const T* weights, T* out) {
    const std::size_t stride = layout_.stride(layer), in = layout_.inputs(from);
    kernel_.multiply(Product<T>{Extent{n, layout_.units(layer), in}, Left<T>{values, row_stride<T>(in), 1},
                                Right<T>{weights, stride}, Result<T>{out, stride}, Origin<T>{out, stride}});
  };
  for (std::size_t l = 0; l <= last; ++l) {
    const std::size_t stride = layout_.stride(l);
    T* out = along(l + 1);
    for (std::size_t i = 0; i < n; ++i) std::copy_n(direction.data() + layout_.biases_at(l), stride, out + i * stride);
    add(l, l, taken(l), direction.data() + layout_.weights_at(l), out);
    if (l > 0 || embedded) add(l, l, along(l), parameters.data() + layout_.weights_at(l), out);
    if (l == last) break;
    if (keeps_slope(l)) {
      kernel_.times(Factors<T>{slopes_.data() + value_at_[l + 1], out, n * stride});
    } else {
      kernel_.activate_back(spec_.layers[l].activation, into(l + 1), out, n * stride);
    }
  }
  if (!layout_.has_skip()) return;
  add(0, last, taken(0), direction.data() + layout_.skip_at(), along(last + 1));
  if (embedded) add(0, last, along(0), parameters.data() + layout_.skip_at(), along(last + 1));
}

template <class T>
void Pass<T>::product(const Table<T>& table, Span<const std::uint32_t> rows, Span<const T> parameters,
                      Span<const T> direction, const Transposed<T>& transposed, const Curve& curve, bool fresh,
                      Span<T> gradient) {
  const std::size_t n = rows.size(), last = layout_.layers() - 1, units = layout_.units(last), gaps = layout_.gaps();
  dropping_ = false;
  if (fresh) clear_all_but_weights(gradient);
  gather_inputs(table, rows, parameters, false);
  forward(n, parameters, true);
  forward_along(table, rows, parameters, direction);
  T* moved = along_.data() + value_at_[last + 1];
  moved_.resize(units + gaps);
  for (std::size_t i = 0; i < n; ++i) {
    std::copy_n(moved + i * layout_.stride(last), units, moved_.data());
    std::copy_n(direction.data() + layout_.gaps_at(), gaps, moved_.data() + units);
    curve(i, linear_output() + i * layout_.stride(last), moved_.data());
    std::copy_n(moved_.data(), units, moved + i * layout_.stride(last));
    for (std::size_t m = 0; m < gaps; ++m) gradient[layout_.gaps_at() + m] += moved_[units + m];
  }
  collect(table, rows, parameters, transposed, moved, fresh, gradient);
}

template class Transposed<float>;
template class Transposed<double>;
template class Pass<float>;
template class Pass<double>;

}  // namespace hylo
