#include "bind_plan.h"

#include <string>

#include "parallel.hpp"
#include "screening.hpp"
#include "summary.hpp"

namespace hylo_bind {

namespace {

using hylo::ColumnPlan;
using hylo::Encoding;

double number_in(const Rcpp::List& list, const char* name) { return Rcpp::as<double>(list[name]); }

std::size_t count_in(const Rcpp::List& list, const char* name) {
  const double x = number_in(list, name);
  if (!(x >= 0 && x <= 4e9)) Rcpp::stop("%s is no count", name);
  return std::size_t(x);
}

ColumnPlan plan_from(const Rcpp::List& list) {
  ColumnPlan plan;
  const std::string encoding = Rcpp::as<std::string>(list["encoding"]);
  if (encoding == "number") {
    plan.encoding = Encoding::Number;
    plan.fill = number_in(list, "fill");
    plan.shift = number_in(list, "shift");
    plan.scale = number_in(list, "scale");
    plan.low = number_in(list, "low");
    plan.high = number_in(list, "high");
    plan.flag = Rcpp::as<bool>(list["flag"]);
    if (list.containsElementNamed("knots")) {
      plan.knots = Rcpp::as<std::vector<double>>(list["knots"]);
      plan.heights = Rcpp::as<std::vector<double>>(list["heights"]);
    }
    if (list.containsElementNamed("edges")) plan.edges = Rcpp::as<std::vector<double>>(list["edges"]);
    if (list.containsElementNamed("waves")) plan.waves = Rcpp::as<std::vector<double>>(list["waves"]);
  } else if (encoding == "level") {
    plan.encoding = Encoding::Level;
    plan.width = count_in(list, "width");
    plan.unseen = number_in(list, "unseen");
    plan.missing = number_in(list, "missing");
  } else if (encoding == "score") {
    plan.encoding = Encoding::Score;
    plan.scores = Rcpp::as<std::vector<double>>(list["scores"]);
    plan.unseen = number_in(list, "unseen");
    plan.missing = number_in(list, "missing");
  } else if (encoding == "code") {
    plan.encoding = Encoding::Code;
    plan.unseen = number_in(list, "unseen");
    plan.missing = number_in(list, "missing");
  } else if (encoding == "date") {
    plan.encoding = Encoding::Date;
    plan.parts = unsigned(count_in(list, "part_bits"));
    plan.clock = Rcpp::as<bool>(list["clock"]);
    plan.shift = number_in(list, "shift");
    plan.scale = number_in(list, "scale");
  } else {
    Rcpp::stop("unknown encoding");
  }
  return plan;
}

}  // namespace

hylo::Encoder encoder_from(const Rcpp::List& plans) {
  std::vector<ColumnPlan> result;
  for (R_xlen_t i = 0; i < plans.size(); ++i) result.push_back(plan_from(plans[i]));
  return hylo::Encoder(std::move(result));
}

namespace {

// A source is a vector, or a list of one of labels' places and the code of each label.
SEXP values_of(SEXP source) {
  if (TYPEOF(source) != VECSXP) return source;
  if (Rf_xlength(source) != 2 || TYPEOF(VECTOR_ELT(source, 0)) != INTSXP || TYPEOF(VECTOR_ELT(source, 1)) != INTSXP)
    Rcpp::stop("labels have places and codes");
  return VECTOR_ELT(source, 0);
}

}  // namespace

std::vector<hylo::SourceColumn> columns_from(const Rcpp::List& sources) {
  std::vector<hylo::SourceColumn> result;
  const std::size_t rows = length_of(sources);
  for (R_xlen_t i = 0; i < sources.size(); ++i) {
    const SEXP x = values_of(sources[i]);
    if (std::size_t(Rf_xlength(x)) != rows) Rcpp::stop("columns of different length");
    hylo::SourceColumn column;
    if (x != sources[i]) {
      const SEXP codes = VECTOR_ELT(sources[i], 1);
      column.codes = {INTEGER(codes), std::size_t(Rf_xlength(codes))};
    }
    switch (TYPEOF(x)) {
      case REALSXP: column.real = REAL(x); break;
      case INTSXP: column.whole = INTEGER(x); break;
      case LGLSXP: column.whole = LOGICAL(x); break;
      default: Rcpp::stop("a column is neither double nor integer nor logical");
    }
    result.push_back(column);
  }
  return result;
}

std::size_t length_of(const Rcpp::List& sources) {
  return sources.size() == 0 ? 0 : std::size_t(Rf_xlength(values_of(sources[0])));
}

std::vector<std::uint32_t> zero_based(const Rcpp::IntegerVector& rows) {
  std::vector<std::uint32_t> result;
  result.reserve(std::size_t(rows.size()));
  for (const int row : rows) result.push_back(std::uint32_t(row - 1));
  return result;
}

}  // namespace hylo_bind

// The encoded rows as a matrix of inputs by rows, in double precision.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_encode(Rcpp::List plans, Rcpp::List sources, int threads) {
  const hylo::Encoder encoder = hylo_bind::encoder_from(plans);
  const auto columns = hylo_bind::columns_from(sources);
  if (columns.size() != encoder.columns()) Rcpp::stop("core_encode: shapes don't match");
  const std::size_t rows = hylo_bind::length_of(sources), inputs = encoder.inputs();
  Rcpp::NumericMatrix result{int(inputs), int(rows)};
  double* out = result.begin();
  hylo::in_parts(rows, 4096, std::size_t(threads), [&](std::size_t from, std::size_t to) {
    encoder.encode<double>(columns, {}, from, to - from, out + from * inputs, inputs);
  });
  return result;
}

// One row a column of the table, whose rows count by `weight` unless it is empty: rows, gaps, infinite, mean,
// deviation, low, high, whole, binary, then the quantiles.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_summary(Rcpp::List sources, Rcpp::IntegerVector rows, Rcpp::NumericVector shares,
                                 Rcpp::NumericVector weight, int threads) {
  const auto columns = hylo_bind::columns_from(sources);
  const auto chosen = hylo_bind::zero_based(rows);
  const std::vector<double> wanted(shares.begin(), shares.end()), weights(weight.begin(), weight.end());
  const std::size_t total = hylo_bind::length_of(sources);
  if (!weights.empty() && weights.size() != (chosen.empty() ? total : chosen.size()))
    Rcpp::stop("core_summary: weights don't match the rows");
  std::vector<hylo::NumberSummary> found(columns.size());
  const std::size_t share =
      std::max<std::size_t>(1, (columns.size() + std::size_t(threads) - 1) / std::size_t(threads));
  hylo::in_parts(columns.size(), share, std::size_t(threads), [&](std::size_t from, std::size_t to) {
    std::vector<double> scratch;
    for (std::size_t i = from; i < to; ++i)
      found[i] = hylo::summarise(columns[i], total, chosen, weights, wanted, scratch);
  });
  Rcpp::NumericMatrix result{int(columns.size()), int(9 + wanted.size())};
  for (std::size_t i = 0; i < found.size(); ++i) {
    const auto& s = found[i];
    const double values[] = {double(s.rows), double(s.gaps),      double(s.infinite),  s.mean, s.deviation, s.low,
                             s.high,         s.whole ? 1.0 : 0.0, s.binary ? 1.0 : 0.0};
    int at = 0;
    for (const double v : values) result(int(i), at++) = v;
    for (const double q : s.quantiles) result(int(i), at++) = std::isnan(q) ? NA_REAL : q;
  }
  return result;
}

// Encodes all rows into the matrix that training uses and returns its size in bytes: what bench/reading.R measures.
// [[Rcpp::export]]
double core_fill(Rcpp::List plans, Rcpp::List sources, int threads) {
  const hylo::Encoder encoder = hylo_bind::encoder_from(plans);
  const auto columns = hylo_bind::columns_from(sources);
  hylo::Table<float> table(hylo_bind::length_of(sources), encoder.inputs(), 1);
  hylo::fill_inputs(table, encoder, columns, {}, std::size_t(threads));
  return double(table.x.size() * sizeof(float));
}

// Of each column how much it tells of the responses, whose columns are the rows; see core/screening.hpp.
// [[Rcpp::export]]
Rcpp::NumericVector core_told_shares(Rcpp::List columns, Rcpp::NumericMatrix responses, Rcpp::NumericVector weight,
                                     Rcpp::NumericVector bins, int threads) {
  const std::size_t count = std::size_t(columns.size()), rows = std::size_t(weight.size());
  if (std::size_t(responses.ncol()) != rows || std::size_t(bins.size()) != count)
    Rcpp::stop("core_told_shares: the parts don't match");
  std::vector<Rcpp::NumericVector> held;
  for (std::size_t c = 0; c < count; ++c) {
    held.emplace_back(columns[R_xlen_t(c)]);
    if (std::size_t(held.back().size()) != rows) Rcpp::stop("core_told_shares: a column doesn't match the rows");
  }
  const hylo::Span<const double> response(responses.begin(), std::size_t(responses.size()));
  const hylo::Span<const double> weights(weight.begin(), rows);
  std::vector<hylo::Span<const double>> values;
  for (const auto& column : held) values.emplace_back(column.begin(), rows);
  const std::vector<double> of_column(bins.begin(), bins.end());
  std::vector<double> found(count);
  const std::size_t share = std::max<std::size_t>(1, (count + std::size_t(threads) - 1) / std::size_t(threads));
  hylo::in_parts(count, share, std::size_t(threads), [&](std::size_t from, std::size_t to) {
    std::vector<std::size_t> places;
    for (std::size_t c = from; c < to; ++c)
      found[c] = hylo::told_share(values[c], response, weights, std::size_t(of_column[c]), places);
  });
  return Rcpp::NumericVector(found.begin(), found.end());
}
