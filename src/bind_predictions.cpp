// Predicting: rows are encoded a block at a time, so no second copy of them is made.
#include <Rcpp.h>

#include <numeric>
#include <string>

#include "bind_network.h"
#include "bind_plan.h"
#include "encode.hpp"
#include "kernel.hpp"
#include "parallel.hpp"
#include "pass.hpp"
#include "prediction.hpp"

namespace {

using namespace hylo;

std::vector<double> numbers_in(const Rcpp::List& list, const char* name) {
  return Rcpp::as<std::vector<double>>(list[name]);
}

Reading reading_from(const Rcpp::List& list) {
  Reading reading;
  reading.classes = Rcpp::as<bool>(list["classes"]);
  if (reading.classes) {
    reading.weights = numbers_in(list, "weights");
    reading.turned = Rcpp::as<bool>(list["turned"]);
  } else {
    reading.scale = numbers_in(list, "scale");
    reading.shift = numbers_in(list, "shift");
    reading.smear = numbers_in(list, "smear");
    reading.logarithmic = Rcpp::as<bool>(list["logarithmic"]);
    reading.rising = Rcpp::as<bool>(list["rising"]);
  }
  return reading;
}

PredictingNetwork member_from(const Rcpp::List& list) {
  PredictingNetwork member(hylo_bind::network_from(list["shape"]), reading_from(list["reading"]),
                           std::size_t(Rcpp::as<int>(list["intake"]) - 1), Rcpp::as<double>(list["share"]));
  const Rcpp::List parameters = list["parameters"];
  for (R_xlen_t i = 0; i < parameters.size(); ++i) {
    member.folded.push_back(hylo_bind::folded_parameters<float>(member.layout, parameters[i]));
  }
  return member;
}

// `dates` holds the dates of the shared columns that were taken apart already. The codes point into R's vectors.
Intake intake_from(const Rcpp::List& list, const std::vector<SourceColumn>& shared, std::size_t length,
                   std::size_t threads, std::vector<std::vector<SplitDate>>& dates) {
  const Rcpp::List plans = list["plans"], codes = list["codes"];
  const Rcpp::IntegerVector places = list["places"];
  if (places.size() != plans.size() || codes.size() != plans.size()) Rcpp::stop("a column for each plan is needed");
  Intake intake{hylo_bind::encoder_from(plans), {}};
  for (R_xlen_t i = 0; i < places.size(); ++i) {
    const std::size_t place = std::size_t(places[i] - 1);
    if (place >= shared.size()) Rcpp::stop("a column is missing");
    SourceColumn column = shared[place];
    const Rcpp::List plan = plans[i];
    if (Rcpp::as<std::string>(plan["encoding"]) == "date") {
      if (dates[place].empty()) dates[place] = split_dates(column, length, Rcpp::as<bool>(plan["clock"]), threads);
      column.dates = dates[place].data();
    }
    const SEXP code = codes[i];
    if (code != R_NilValue) column.codes = {INTEGER(code), std::size_t(Rf_xlength(code))};
    intake.columns.push_back(column);
  }
  return intake;
}

// From 1, NA for none.
Rcpp::IntegerVector best_places(const std::vector<double*>& probability, const Rcpp::NumericVector& weights,
                                std::size_t rows, std::size_t threads) {
  if (std::size_t(weights.size()) != probability.size()) Rcpp::stop("a weight for each class is needed");
  Rcpp::IntegerVector places(static_cast<R_xlen_t>(rows));
  int* const out = places.begin();
  const std::vector<const double*> columns(probability.begin(), probability.end());
  const std::vector<double> counts(weights.begin(), weights.end());
  in_parts(rows, 1 << 14, threads, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) {
      const int place = best_class(columns, counts, i);
      out[i] = place < 0 ? NA_INTEGER : place + 1;
    }
  });
  return places;
}

// Calls visit(pass, table, rows, parameters, first row) for blocks of rows, on several threads.
template <class Visit>
void each_block(const NetworkSpec& spec, const Layout<float>& layout, const Rcpp::NumericVector& parameters,
                const Rcpp::List& plans, const Rcpp::List& sources, std::size_t threads, Visit visit) {
  const Encoder encoder = hylo_bind::encoder_from(plans);
  const auto columns = hylo_bind::columns_from(sources);
  const std::size_t rows = hylo_bind::length_of(sources), inputs = spec.table_inputs();
  if (encoder.inputs() != inputs || encoder.columns() != columns.size()) {
    Rcpp::stop("core_outputs: shapes don't match");
  }
  const AlignedVector<float> folded = hylo_bind::folded_parameters<float>(layout, parameters);
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
      visit(pass, block, Span<const std::uint32_t>(order.data(), count),
            Span<const float>(folded.data(), folded.size()), at);
    }
  });
}

}  // namespace

// Predictions for `rows` rows that networks give together (prediction.hpp), those `chosen` of the columns, from 1, or
// all where none are. `networks` are lists of `shape`,
// `parameters` (an ensemble's are several), `reading`, `share` and `intake`, the place from 1 of their way to take rows
// in among `intakes`, which are lists of `plans`, `places` (those of their columns in `columns`, from 1) and `codes`
// (for each column of labels the code of each). Of classes, whose `weights` are given, the last one of the vectors is
// the place from 1 of the class that is predicted.
// [[Rcpp::export]]
Rcpp::List core_joint_predictions(Rcpp::List networks, Rcpp::List intakes, Rcpp::List columns,
                                  Rcpp::IntegerVector chosen, Rcpp::NumericVector offset, Rcpp::NumericVector weights,
                                  double rows, int threads) {
  const auto shared = hylo_bind::columns_from(columns);
  const auto places = hylo_bind::zero_based(chosen);
  const std::size_t count = std::size_t(rows), workers = std::size_t(threads);
  const std::size_t length = hylo_bind::length_of(columns);
  if (columns.size() != 0 && places.empty() && count != 0 && length != count) Rcpp::stop("columns of another length");
  for (const std::uint32_t place : places) {
    if (place >= length) Rcpp::stop("a row is missing");
  }
  std::vector<std::vector<SplitDate>> dates(shared.size());
  std::vector<Intake> ways;
  for (R_xlen_t i = 0; i < intakes.size(); ++i) ways.push_back(intake_from(intakes[i], shared, length, workers, dates));
  std::vector<PredictingNetwork> members;
  for (R_xlen_t i = 0; i < networks.size(); ++i) members.push_back(member_from(networks[i]));
  if (members.empty()) Rcpp::stop("no network predictions");

  Rcpp::List result;
  std::vector<double*> out;
  for (std::size_t k = 0; k < members[0].outputs(); ++k) {
    const Rcpp::NumericVector predictions(static_cast<R_xlen_t>(count));
    result.push_back(predictions);
    out.push_back(REAL(SEXP(predictions)));
  }
  joint_predictions(members, ways, places, {offset.begin(), std::size_t(offset.size())}, count, workers, out);
  if (weights.size() != 0) result.push_back(best_places(out, weights, count, workers));
  return result;
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
  each_block(spec, layout, parameters, plans, sources, std::size_t(threads),
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
