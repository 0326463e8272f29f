// Answering: rows are encoded a block at a time, so no second copy of them is made.
#include <Rcpp.h>

#include <cmath>
#include <numeric>

#include "bind_network.h"
#include "bind_plan.h"
#include "encode.hpp"
#include "kernel.hpp"
#include "parallel.hpp"
#include "pass.hpp"

namespace {

using namespace hylo;

// Calls visit(pass, table, rows, parameters, first row) for blocks of rows, on several threads.
template <class Visit>
void each_block(const NetworkSpec& spec, const Layout<float>& layout, const Rcpp::NumericVector& parameters,
                const Rcpp::List& plans, const Rcpp::List& sources, const Rcpp::NumericVector& offset,
                std::size_t threads, Visit visit) {
  const Encoder encoder = hylo_bind::encoder_from(plans);
  const auto columns = hylo_bind::columns_from(sources);
  const std::size_t rows = hylo_bind::length_of(sources), inputs = spec.table_inputs();
  if (encoder.inputs() != inputs || encoder.columns() != columns.size() ||
      (offset.size() != 0 && std::size_t(offset.size()) != rows)) {
    Rcpp::stop("core_answers: shapes don't match");
  }
  const AlignedVector<float> folded = hylo_bind::folded_parameters<float>(layout, parameters);
  const double* offsets = offset.size() == 0 ? nullptr : offset.begin();
  const KernelLevel& level = kernel_level();
  in_parts(rows, 64 * kBlockRows, threads, [&](std::size_t from, std::size_t to) {
    Pass<float> pass(spec, layout, kernel_of<float>(level));
    Table<float> block(kBlockRows, inputs, 1);
    std::fill(block.x.begin(), block.x.end(), 0.0f);
    std::vector<std::uint32_t> order(kBlockRows);
    std::iota(order.begin(), order.end(), 0u);
    for (std::size_t at = from; at < to; at += kBlockRows) {
      const std::size_t count = std::min(kBlockRows, to - at);
      encoder.encode<float>(columns, {}, at, count, block.x.data(), row_stride<float>(inputs));
      if (offsets != nullptr) block.offset.assign(offsets + at, offsets + at + count);
      visit(pass, block, Span<const std::uint32_t>(order.data(), count),
            Span<const float>(folded.data(), folded.size()), at);
    }
  });
}

}  // namespace

// Answers to all rows of the table, a matrix of answers by rows; for a logistic output the probabilities of either
// class, the one that is looked for last, both from the score: 1 less a probability near 1 has no digits.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_answers(Rcpp::List network, Rcpp::NumericVector parameters, Rcpp::List plans,
                                 Rcpp::List sources, Rcpp::NumericVector offset, int threads) {
  const NetworkSpec spec = hylo_bind::network_from(network);
  const Layout<float> layout(spec);
  const bool logistic = spec.loss.output == Output::Logistic;
  const std::size_t width = spec.answers() + (logistic ? 1 : 0), last = layout.layers() - 1;
  if (logistic && width != 2) Rcpp::stop("core_answers: a logistic output has one unit");
  Rcpp::NumericMatrix result{int(width), int(hylo_bind::length_of(sources))};
  double* out = result.begin();
  each_block(spec, layout, parameters, plans, sources, offset, std::size_t(threads),
             [&](Pass<float>& pass, const Table<float>& table, Span<const std::uint32_t> rows, Span<const float> folded,
                 std::size_t at) {
               std::vector<float> answers(rows.size() * width);
               if (logistic) {
                 pass.outputs(table, rows, folded, last, answers.data());
                 for (std::size_t i = 0; i < rows.size(); ++i) {
                   const double z = answers[i];
                   out[(at + i) * 2] = 1 / (1 + std::exp(z));
                   out[(at + i) * 2 + 1] = 1 / (1 + std::exp(-z));
                 }
                 return;
               }
               pass.answers(table, rows, folded, answers.data());
               std::copy(answers.begin(), answers.end(), out + at * width);
             });
  return result;
}

// Of answers as core_answers() gives them, by classes: `probability`, a matrix of rows by classes, each class's score
// over its weight, normalised, and `best`, the place of the highest score, the first one of several; NA where a score
// is not a number. With `turned` the two classes stand the other way round.
// [[Rcpp::export]]
Rcpp::List core_class_answers(Rcpp::NumericMatrix scores, Rcpp::NumericVector weights, bool turned) {
  const std::size_t classes = std::size_t(scores.nrow()), rows = std::size_t(scores.ncol());
  if (std::size_t(weights.size()) != classes || (turned && classes != 2)) {
    Rcpp::stop("core_class_answers: shapes don't match");
  }
  Rcpp::NumericMatrix probability{int(rows), int(classes)};
  Rcpp::IntegerVector best(static_cast<R_xlen_t>(rows));
  double* const out = probability.begin();
  for (std::size_t i = 0; i < rows; ++i) {
    const double* row = scores.begin() + i * classes;
    double sum = 0, highest = -1;
    int place = NA_INTEGER;
    bool known = true;
    for (std::size_t k = 0; k < classes; ++k) {
      const double score = row[turned ? classes - 1 - k : k];
      known = known && !std::isnan(score);
      if (score > highest) highest = score, place = int(k) + 1;
      sum += out[k * rows + i] = score / weights[R_xlen_t(k)];
    }
    for (std::size_t k = 0; k < classes; ++k) out[k * rows + i] /= sum;
    best[R_xlen_t(i)] = known ? place : NA_INTEGER;
  }
  return Rcpp::List::create(Rcpp::_["probability"] = probability, Rcpp::_["best"] = best);
}

// What layer `layer` (1, 2, ...) puts out, a matrix of units by rows; the linear values for the last one.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_outputs(Rcpp::List network, Rcpp::NumericVector parameters, Rcpp::List plans,
                                 Rcpp::List sources, int layer, int threads) {
  const NetworkSpec spec = hylo_bind::network_from(network);
  const Layout<float> layout(spec);
  const std::size_t index = std::size_t(layer - 1), width = layout.units(index);
  Rcpp::NumericMatrix result{int(width), int(hylo_bind::length_of(sources))};
  double* out = result.begin();
  each_block(spec, layout, parameters, plans, sources, Rcpp::NumericVector(0), std::size_t(threads),
             [&](Pass<float>& pass, const Table<float>& table, Span<const std::uint32_t> rows, Span<const float> folded,
                 std::size_t at) {
               std::vector<float> outputs(rows.size() * width);
               pass.outputs(table, rows, folded, index, outputs.data());
               std::copy(outputs.begin(), outputs.end(), out + at * width);
             });
  return result;
}

// [[Rcpp::export]]
std::string core_kernel() { return hylo::kernel_level().name; }
