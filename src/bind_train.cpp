// Training and answering: R's lists and matrices to the core's structs and back.
#include <Rcpp.h>

#include "interrupt.h"
#include "kernel.hpp"
#include "pass.hpp"
#include "train.hpp"

namespace {

using namespace hylo;

double number_in(const Rcpp::List& list, const char* name) { return Rcpp::as<double>(list[name]); }
std::string text_in(const Rcpp::List& list, const char* name) { return Rcpp::as<std::string>(list[name]); }

NetworkSpec network_from(const Rcpp::List& list) {
  NetworkSpec spec;
  spec.inputs = std::size_t(number_in(list, "inputs"));
  spec.input_dropout = number_in(list, "input_dropout");
  spec.output = output_named(text_in(list, "output"));
  const Rcpp::List layers = list["layers"];
  for (R_xlen_t l = 0; l < layers.size(); ++l) {
    const Rcpp::List layer = layers[l];
    spec.layers.push_back({std::size_t(number_in(layer, "units")), activation_named(text_in(layer, "activation")),
                           number_in(layer, "dropout"), number_in(layer, "l1"), number_in(layer, "l2"),
                           number_in(layer, "rate")});
  }
  return spec;
}

Regimen regimen_from(const Rcpp::List& list) {
  Regimen r;
  r.optimiser.method = method_named(text_in(list, "method"));
  r.optimiser.learning_rate = number_in(list, "learning_rate");
  r.optimiser.momentum = number_in(list, "momentum");
  r.batch_size = std::size_t(number_in(list, "batch_size"));
  r.epochs = std::size_t(number_in(list, "epochs"));
  r.patience = std::size_t(number_in(list, "patience"));
  r.seed = std::uint64_t(number_in(list, "seed"));
  return r;
}

// x and y have one column a row of the table, so that R's columns are the core's rows.
void fill(Table<float>& table, std::size_t at, const Rcpp::NumericMatrix& x, std::size_t from, std::size_t count) {
  const double* source = x.begin() + from * table.inputs;
  for (std::size_t i = 0; i < count; ++i, source += table.inputs) {
    std::copy(source, source + table.inputs, table.x_row(at + i));
  }
}

std::vector<std::uint32_t> zero_based(const Rcpp::IntegerVector& rows) {
  std::vector<std::uint32_t> result;
  result.reserve(rows.size());
  for (int row : rows) result.push_back(std::uint32_t(row - 1));
  return result;
}

const char* name_of(Stopped stopped) {
  switch (stopped) {
    case Stopped::Epochs: return "epochs";
    case Stopped::Patience: return "patience";
    case Stopped::Interrupted: return "interrupted";
    case Stopped::Diverged: return "diverged";
  }
  return "";
}

Rcpp::DataFrame curves_of(const std::vector<Epoch>& epochs) {
  Rcpp::IntegerVector epoch(epochs.size());
  Rcpp::NumericVector training(epochs.size()), validation(epochs.size()), seconds(epochs.size());
  for (std::size_t i = 0; i < epochs.size(); ++i) {
    epoch[i] = int(i) + 1;
    training[i] = epochs[i].training;
    validation[i] = std::isnan(epochs[i].validation) ? NA_REAL : epochs[i].validation;
    seconds[i] = epochs[i].seconds;
  }
  return Rcpp::DataFrame::create(Rcpp::_["epoch"] = epoch, Rcpp::_["training"] = training,
                                 Rcpp::_["validation"] = validation, Rcpp::_["seconds"] = seconds);
}

}  // namespace

// [[Rcpp::export]]
Rcpp::List core_train(Rcpp::List network, Rcpp::List regimen, Rcpp::NumericMatrix x, Rcpp::NumericMatrix y,
                      Rcpp::NumericVector weight, Rcpp::IntegerVector training, Rcpp::IntegerVector validation,
                      Rcpp::NumericVector output_bias, Rcpp::Nullable<Rcpp::Function> report, bool catch_term) {
  const NetworkSpec spec = network_from(network);
  const Regimen how = regimen_from(regimen);
  if (std::size_t(x.nrow()) != spec.inputs || std::size_t(y.nrow()) != spec.layers.back().units ||
      x.ncol() != y.ncol() || x.ncol() != weight.size()) {
    Rcpp::stop("core_train: shapes don't match");
  }
  const std::size_t rows = std::size_t(x.ncol());
  Table<float> table(rows, spec.inputs, spec.layers.back().units);
  fill(table, 0, x, 0, rows);
  for (std::size_t i = 0; i < rows; ++i) {
    std::copy(y.begin() + i * table.outputs, y.begin() + (i + 1) * table.outputs, table.y_row(i));
    table.weight[i] = float(weight[i]);
  }
  const auto training_rows = zero_based(training), validation_rows = zero_based(validation);
  const std::vector<double> bias(output_bias.begin(), output_bias.end());

  const KernelLevel& level = kernel_level();
  Trained<float> trained;
  {
    hylo_bind::SignalWatch signals(catch_term);
    Watch watch;
    watch.stop_requested = [&] { return signals.stop_requested(); };
    if (report.isNotNull()) {
      const Rcpp::Function tell(report);
      watch.epoch_done = [tell](const Progress& p) {
        return Rcpp::as<bool>(tell(double(p.epoch), double(p.best), p.best_loss, double(p.rows), p.now.training,
                                   p.now.validation, p.now.seconds));
      };
    }
    trained = train<float>(spec, how, table, training_rows, validation_rows, bias, level, watch);
  }

  const Layout<float> layout(spec);
  std::vector<double> dense(layout.parameters());
  unpack_parameters<float>(layout, trained.parameters, dense);
  return Rcpp::List::create(Rcpp::_["parameters"] = dense, Rcpp::_["curves"] = curves_of(trained.epochs),
                            Rcpp::_["best"] = int(trained.best), Rcpp::_["stopped"] = name_of(trained.stopped),
                            Rcpp::_["kernel"] = level.name);
}

// Answers to all columns of x: a matrix of outputs by rows.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_answers(Rcpp::List network, Rcpp::NumericVector parameters, Rcpp::NumericMatrix x) {
  const NetworkSpec spec = network_from(network);
  const Layout<float> layout(spec);
  if (std::size_t(x.nrow()) != spec.inputs || std::size_t(parameters.size()) != layout.parameters()) {
    Rcpp::stop("core_answers: shapes don't match");
  }
  AlignedVector<float> packed(layout.size());
  const std::vector<double> dense(parameters.begin(), parameters.end());
  pack_parameters<float>(layout, dense, packed);
  Pass<float> pass(spec, layout, kernel_of<float>(kernel_level()));
  const std::size_t outputs = spec.layers.back().units, rows = std::size_t(x.ncol());
  Table<float> block(kBlockRows, spec.inputs, outputs);
  Rcpp::NumericMatrix result{int(outputs), int(rows)};
  for (std::size_t from = 0; from < rows; from += kBlockRows) {
    const std::size_t count = std::min(kBlockRows, rows - from);
    fill(block, 0, x, from, count);
    const float* answers = pass.answers(block, 0, count, Span<const float>(packed));
    for (std::size_t i = 0; i < count; ++i) {
      const float* row = answers + i * row_stride<float>(outputs);
      std::copy(row, row + outputs, result.begin() + (from + i) * outputs);
    }
    Rcpp::checkUserInterrupt();
  }
  return result;
}

// [[Rcpp::export]]
std::string core_kernel() { return hylo::kernel_level().name; }
