// What a network looks like, and where its parameters lie in one flat vector.
#pragma once
#include <cstddef>
#include <optional>
#include <vector>

#include "activation.hpp"
#include "aligned.hpp"
#include "loss.hpp"
#include "span.hpp"
#include "init.hpp"

namespace hylo {

struct LayerSpec {
  std::size_t units = 0;
  Activation activation = Activation::Identity;
  double dropout = 0;  // share of this layer's units that are dropped while training
  double l1 = 0;       // penalties on this layer's incoming weights, biases excepted
  double l2 = 0;
  double rate = 1;    // multiple of the learning rate
  bool norm = false;  // batch normalisation before the activation
  Init init;
};

// A category that is learned as a point in a few dimensions: its code in the table (0 .. levels, 0 for unseen or
// missing) picks a row of this many values, which stand behind the other inputs.
struct EmbeddingSpec {
  std::size_t levels = 0;
  std::size_t width = 0;
};

// A skip connection: connections from the inputs to the output layer beside the hidden ones (skip-layer connections,
// Ripley 1996), with penalties and a multiple of the learning rate of their own.
struct SkipSpec {
  double l1 = 0, l2 = 0, rate = 1;
};

struct NetworkSpec {
  std::size_t inputs = 0;                 // numbers in a row of the table, the embeddings' codes excepted
  std::vector<EmbeddingSpec> embeddings;  // their codes stand behind the inputs in a row of the table
  double embedding_l1 = 0, embedding_l2 = 0;
  double input_dropout = 0;
  double input_noise = 0;         // standard deviation of normal noise that is added to the inputs while training
  std::vector<LayerSpec> layers;  // hidden layers, then the output layer (whose activation is the loss's output)
  std::optional<SkipSpec> skip;
  LossSpec loss;

  std::size_t table_inputs() const { return inputs + embeddings.size(); }
  std::size_t predictions() const { return loss.output == Output::Ordinal ? loss.classes : layers.back().units; }
  bool normalises() const;
  // Throws std::invalid_argument for what no network can be: sizes of nothing or beyond all memory, an output that
  // doesn't go with its loss or its number of units. Whatever is built on a spec that passes stays within its bounds.
  void validate() const;
};

// First the embeddings, each levels + 1 rows. Then the layers: layer l maps width[l] values to width[l+1]; its weights
// are a row-major matrix, one row an input, rows `stride(l)` apart, followed by a row of biases and, with batch
// normalisation (which takes its shifts from the biases), a row of gains and rows of running means and variances, which
// are not trained but followed. Then a skip connection's weights, one row an input, laid out like the output layer's.
// Last the gaps between ordered classes' thresholds. What lies behind a row's width is zero and stays zero.
template <class T>
class Layout {
 public:
  explicit Layout(const NetworkSpec& spec);

  std::size_t layers() const { return widths_.size() - 1; }
  std::size_t inputs(std::size_t layer) const { return widths_[layer]; }
  std::size_t units(std::size_t layer) const { return widths_[layer + 1]; }
  std::size_t stride(std::size_t layer) const { return row_stride<T>(units(layer)); }
  bool norm(std::size_t layer) const { return norms_[layer]; }
  std::size_t weights_at(std::size_t layer) const { return starts_[layer]; }
  std::size_t biases_at(std::size_t layer) const { return starts_[layer] + inputs(layer) * stride(layer); }
  std::size_t gains_at(std::size_t layer) const { return biases_at(layer) + stride(layer); }
  std::size_t means_at(std::size_t layer) const { return gains_at(layer) + stride(layer); }
  std::size_t variances_at(std::size_t layer) const { return means_at(layer) + stride(layer); }
  std::size_t trained_end(std::size_t layer) const { return gains_at(layer) + (norm(layer) ? stride(layer) : 0); }
  std::size_t embeddings() const { return embedding_starts_.size() - 1; }
  std::size_t embedding_at(std::size_t e) const { return embedding_starts_[e]; }
  std::size_t embedding_stride(std::size_t e) const { return row_stride<T>(embedding_widths_[e]); }
  std::size_t embedding_width(std::size_t e) const { return embedding_widths_[e]; }
  bool has_skip() const { return gaps_at_ > skip_at(); }
  std::size_t skip_at() const { return starts_.back(); }
  std::size_t gaps_at() const { return gaps_at_; }
  std::size_t gaps() const { return gaps_; }
  std::size_t size() const { return gaps_at() + row_stride<T>(gaps_); }  // elements, padding included
  std::size_t parameters() const;                                        // values in use, padding excluded

  // Calls visit(position, trained) for every value in use, in the order in which parameters leave the core.
  template <class Visit>
  void each(Visit visit) const {
    for (std::size_t e = 0; e < embeddings(); ++e) {
      for (std::size_t at = embedding_at(e); at < embedding_starts_[e + 1]; at += embedding_stride(e)) {
        for (std::size_t j = 0; j < embedding_width(e); ++j) visit(at + j, true);
      }
    }
    for (std::size_t l = 0; l < layers(); ++l) {
      for (std::size_t at = weights_at(l); at < starts_[l + 1]; at += stride(l)) {
        for (std::size_t j = 0; j < units(l); ++j) visit(at + j, at < trained_end(l));
      }
    }
    for (std::size_t at = skip_at(); at < gaps_at(); at += stride(layers() - 1)) {
      for (std::size_t j = 0; j < units(layers() - 1); ++j) visit(at + j, true);
    }
    for (std::size_t j = 0; j < gaps_; ++j) visit(gaps_at() + j, true);
  }

 private:
  std::vector<std::size_t> widths_, starts_;
  std::vector<bool> norms_;
  std::vector<std::size_t> embedding_widths_, embedding_starts_;
  std::size_t gaps_at_ = 0, gaps_ = 0;
};

// `output` are the output layer's first biases and then the gaps, as far as they are given: with them the first
// prediction is the baseline's.
template <class T>
void start_parameters(const NetworkSpec& spec, const Layout<T>& layout, Span<const double> output, StreamKey key,
                      Span<T> parameters);

// Of a network with a skip connection: its first prediction becomes that of `linear`, the dense parameters of the same
// network without hidden layers. To that the last hidden layer adds nothing at first: its units come in pairs that
// give the same output and are weighed with opposite signs (Chizat, Oyallon and Bach 2019, "On lazy training"), so that
// they learn from the first step on.
template <class T>
void start_from_linear(const NetworkSpec& spec, const Layout<T>& layout, Span<const double> linear, Span<T> parameters);

// Between the padded flat vector and the dense one that leaves the core, in the order of Layout::each.
template <class T>
void pack_parameters(const Layout<T>& layout, Span<const double> dense, Span<T> padded);
template <class T>
void unpack_parameters(const Layout<T>& layout, Span<const T> padded, Span<double> dense);

// Batch normalisation with its running statistics is linear: `folded` has it in the weights and biases, so that
// predictions need no more than those.
template <class T>
void fold_norms(const Layout<T>& layout, Span<const T> parameters, Span<T> folded);

}  // namespace hylo
