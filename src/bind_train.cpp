// Training and answering: R's lists and matrices to the core's structs and back.
#include <Rcpp.h>

#include "bind_plan.h"
#include "encode.hpp"
#include "interrupt.h"
#include "kernel.hpp"
#include "parallel.hpp"
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

// The target: numbers, 0 or 1, or the codes 1 .. classes for softmax.
void fill_targets(Table<float>& table, Output output, const Rcpp::NumericVector& target) {
  for (std::size_t i = 0; i < table.rows; ++i) {
    if (output == Output::Softmax) {
      table.y_row(i)[std::size_t(target[R_xlen_t(i)]) - 1] = 1;
    } else {
      table.y_row(i)[0] = float(target[R_xlen_t(i)]);
    }
  }
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

// `rows` are the table's rows that are used, and `target`, `weight` and `offset` go along them; `training` and
// `validation` are places among them.
// [[Rcpp::export]]
Rcpp::List core_train(Rcpp::List network, Rcpp::List regimen, Rcpp::List plans, Rcpp::List sources,
                      Rcpp::IntegerVector rows, Rcpp::NumericVector target, Rcpp::NumericVector weight,
                      Rcpp::NumericVector offset, Rcpp::IntegerVector training, Rcpp::IntegerVector validation,
                      Rcpp::NumericVector output_bias, Rcpp::Nullable<Rcpp::Function> report, bool catch_term,
                      int threads) {
  const NetworkSpec spec = network_from(network);
  const Regimen how = regimen_from(regimen);
  const Encoder encoder = hylo_bind::encoder_from(plans);
  const auto columns = hylo_bind::columns_from(sources);
  const auto used = hylo_bind::zero_based(rows);
  if (encoder.inputs() != spec.inputs || encoder.columns() != columns.size() || target.size() != rows.size() ||
      weight.size() != rows.size() || (offset.size() != 0 && offset.size() != rows.size())) {
    Rcpp::stop("core_train: shapes don't match");
  }
  Table<float> table(used.size(), spec.inputs, spec.layers.back().units);
  fill_inputs(table, encoder, columns, used, std::size_t(threads));
  fill_targets(table, spec.output, target);
  std::copy(weight.begin(), weight.end(), table.weight.begin());
  table.offset.assign(offset.begin(), offset.end());
  const auto training_rows = hylo_bind::zero_based(training), validation_rows = hylo_bind::zero_based(validation);
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

// Answers to all rows of the table, a matrix of outputs by rows. Rows are encoded a block at a time, so no second copy
// of them is made.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_answers(Rcpp::List network, Rcpp::NumericVector parameters, Rcpp::List plans,
                                 Rcpp::List sources, Rcpp::NumericVector offset, int threads) {
  const NetworkSpec spec = network_from(network);
  const Layout<float> layout(spec);
  const Encoder encoder = hylo_bind::encoder_from(plans);
  const auto columns = hylo_bind::columns_from(sources);
  const std::size_t outputs = spec.layers.back().units, rows = hylo_bind::length_of(sources);
  if (encoder.inputs() != spec.inputs || encoder.columns() != columns.size() ||
      std::size_t(parameters.size()) != layout.parameters() || (offset.size() != 0 && std::size_t(offset.size()) != rows)) {
    Rcpp::stop("core_answers: shapes don't match");
  }
  AlignedVector<float> packed(layout.size());
  const std::vector<double> dense(parameters.begin(), parameters.end());
  pack_parameters<float>(layout, dense, packed);
  const KernelLevel& level = kernel_level();
  Rcpp::NumericMatrix result{int(outputs), int(rows)};
  double* out = result.begin();
  const double* offsets = offset.size() == 0 ? nullptr : offset.begin();
  in_parts(rows, 64 * kBlockRows, std::size_t(threads), [&](std::size_t from, std::size_t to) {
    Pass<float> pass(spec, layout, kernel_of<float>(level));
    Table<float> block(kBlockRows, spec.inputs, outputs);
    std::fill(block.x.begin(), block.x.end(), 0.0f);
    for (std::size_t at = from; at < to; at += kBlockRows) {
      const std::size_t count = std::min(kBlockRows, to - at);
      encoder.encode<float>(columns, {}, at, count, block.x.data(), row_stride<float>(spec.inputs));
      if (offsets != nullptr) block.offset.assign(offsets + at, offsets + at + count);
      const float* answers = pass.answers(block, 0, count, Span<const float>(packed));
      for (std::size_t i = 0; i < count; ++i) {
        const float* row = answers + i * row_stride<float>(outputs);
        std::copy(row, row + outputs, out + (at + i) * outputs);
      }
    }
  });
  return result;
}

// [[Rcpp::export]]
std::string core_kernel() { return hylo::kernel_level().name; }
