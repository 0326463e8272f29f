// Training: R's lists and matrices to the core's structs and back.
#include <Rcpp.h>

#include "bind_network.h"
#include "bind_plan.h"
#include "interrupt.h"
#include "jobs.hpp"

namespace {

using namespace hylo;

// Targets, one column each: numbers, 0 or 1, places among ordered classes from 0, or, for softmax, the codes 1 .. classes.
template <class T>
void fill_targets(Table<T>& table, const LossSpec& loss, const Rcpp::NumericMatrix& target) {
  for (std::size_t i = 0; i < table.rows; ++i) {
    if (loss.output == Output::Softmax) {
      table.y_row(i)[std::size_t(target(int(i), 0)) - 1] = 1;
      continue;
    }
    for (std::size_t j = 0; j < table.outputs; ++j) table.y_row(i)[j] = T(target(int(i), int(j)));
  }
}

std::size_t target_width(const NetworkSpec& spec) { return spec.loss.loss == Loss::Quantile ? 1 : spec.layers.back().units; }

const char* name_of(Stopped stopped) {
  switch (stopped) {
    case Stopped::Epochs: return "epochs";
    case Stopped::Patience: return "patience";
    case Stopped::GradientGoal: return "gradient";
    case Stopped::LossGoal: return "loss";
    case Stopped::Time: return "seconds";
    case Stopped::Converged: return "converged";
    case Stopped::Interrupted: return "interrupted";
    case Stopped::Diverged: return "diverged";
  }
  return "";
}

// One row an epoch; what was not measured is NA.
Rcpp::DataFrame curves_of(const std::vector<Epoch>& epochs) {
  Rcpp::IntegerVector epoch(epochs.size());
  const auto column = [&](auto value) {
    Rcpp::NumericVector result(epochs.size());
    for (std::size_t i = 0; i < epochs.size(); ++i) {
      const double x = value(epochs[i]);
      result[i] = std::isnan(x) ? NA_REAL : x;
    }
    return result;
  };
  for (std::size_t i = 0; i < epochs.size(); ++i) epoch[i] = int(i) + 1;
  using Rcpp::_;
  return Rcpp::DataFrame::create(
      _["epoch"] = epoch, _["training"] = column([](const Epoch& e) { return e.training; }),
      _["validation"] = column([](const Epoch& e) { return e.validation; }), _["test"] = column([](const Epoch& e) { return e.watched; }), _["rate"] = column([](const Epoch& e) { return e.rate; }),
      _["gradient"] = column([](const Epoch& e) { return e.gradient; }), _["updates"] = column([](const Epoch& e) { return double(e.updates); }),
      _["seconds"] = column([](const Epoch& e) { return e.seconds; }), _["training_hits"] = column([](const Epoch& e) { return e.training_tally.hits; }),
      _["validation_hits"] = column([](const Epoch& e) { return e.validation_tally.hits; }),
      _["training_absolute"] = column([](const Epoch& e) { return e.training_tally.absolute; }),
      _["validation_absolute"] = column([](const Epoch& e) { return e.validation_tally.absolute; }),
      _["training_squared"] = column([](const Epoch& e) { return e.training_tally.squared; }),
      _["validation_squared"] = column([](const Epoch& e) { return e.validation_tally.squared; }));
}

struct Given {
  NetworkSpec spec;
  Regimen regimen;
  std::size_t starts, threads;
  Rcpp::List plans, sources;
  std::vector<std::uint32_t> rows, training, validation, watched;
  Rcpp::NumericMatrix target;
  Rcpp::NumericVector weight, offset;
  std::vector<double> output_bias;
};

template <class T>
std::vector<Trained<T>> fit(const Given& given, const KernelLevel& level, const JobWatch& watch) {
  const Encoder encoder = hylo_bind::encoder_from(given.plans);
  const auto columns = hylo_bind::columns_from(given.sources);
  const std::size_t rows = given.rows.size();
  if (encoder.inputs() != given.spec.table_inputs() || encoder.columns() != columns.size() || std::size_t(given.target.nrow()) != rows ||
      std::size_t(given.weight.size()) != rows || (given.offset.size() != 0 && std::size_t(given.offset.size()) != rows)) {
    Rcpp::stop("core_train: shapes don't match");
  }
  Table<T> table(rows, given.spec.table_inputs(), given.spec.loss.output == Output::Softmax ? given.spec.layers.back().units : target_width(given.spec));
  fill_inputs<T>(table, encoder, columns, given.rows, given.threads);
  fill_targets(table, given.spec.loss, given.target);
  std::copy(given.weight.begin(), given.weight.end(), table.weight.begin());
  table.offset.assign(given.offset.begin(), given.offset.end());
  std::vector<Job<T>> jobs(given.starts);
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    jobs[i].network = &given.spec;
    jobs[i].table = &table;
    jobs[i].regimen = given.regimen;
    jobs[i].regimen.job = std::uint32_t(i);
    jobs[i].training = given.training;
    jobs[i].validation = given.validation;
    jobs[i].watched = given.watched;
    jobs[i].output_bias = given.output_bias;
  }
  return train_jobs<T>(Span<const Job<T>>(jobs), level, watch, given.threads);
}

template <class T>
Rcpp::List list_of(const std::vector<Trained<T>>& results, const NetworkSpec& spec) {
  const Layout<T> layout(spec);
  Rcpp::List list(results.size());
  for (std::size_t i = 0; i < results.size(); ++i) {
    const Trained<T>& r = results[i];
    if (r.parameters.empty()) continue;  // left out after an interrupt
    std::vector<double> dense(layout.parameters());
    unpack_parameters<T>(layout, r.parameters, dense);
    list[R_xlen_t(i)] = Rcpp::List::create(Rcpp::_["parameters"] = dense, Rcpp::_["curves"] = curves_of(r.epochs),
                                           Rcpp::_["best"] = int(r.best), Rcpp::_["stopped"] = name_of(r.stopped),
                                           Rcpp::_["l2"] = std::isnan(r.l2) ? NA_REAL : r.l2);
  }
  return list;
}

}  // namespace

// `rows` are the table's rows that are used, and `target` (a column a target), `weight` and `offset` go along them;
// `training`, `validation` and `watched` (whose loss is measured and decides nothing) are places among them. A list of the results of all starts, NULL for one that was left out.
// [[Rcpp::export]]
Rcpp::List core_train(Rcpp::List network, Rcpp::List regimen, Rcpp::List plans, Rcpp::List sources,
                      Rcpp::IntegerVector rows, Rcpp::NumericMatrix target, Rcpp::NumericVector weight,
                      Rcpp::NumericVector offset, Rcpp::IntegerVector training, Rcpp::IntegerVector validation,
                      Rcpp::IntegerVector watched, Rcpp::NumericVector output_bias, int starts, Rcpp::Nullable<Rcpp::Function> report, bool catch_term,
                      int threads) {
  const Given given = {hylo_bind::network_from(network), hylo_bind::regimen_from(regimen), std::size_t(starts), std::size_t(threads),
                       plans, sources, hylo_bind::zero_based(rows), hylo_bind::zero_based(training), hylo_bind::zero_based(validation), hylo_bind::zero_based(watched),
                       target, weight, offset, std::vector<double>(output_bias.begin(), output_bias.end())};
  const KernelLevel& level = kernel_level();
  hylo_bind::SignalWatch signals(catch_term);
  JobWatch watch;
  watch.stop_requested = [&] { return signals.stop_requested(); };
  if (report.isNotNull()) {
    const Rcpp::Function tell(report);
    watch.epoch_done = [tell](std::size_t job, const Progress& p) {
      return Rcpp::as<bool>(tell(double(job + 1), double(p.epoch), double(p.best), p.best_loss, double(p.rows), p.now.training,
                                 p.now.validation, p.now.seconds));
    };
  }
  // whole-table methods work in double precision
  const Rcpp::List fits = takes_whole_table(given.regimen.optimiser.method) ? list_of(fit<double>(given, level, watch), given.spec)
                                                                            : list_of(fit<float>(given, level, watch), given.spec);
  return Rcpp::List::create(Rcpp::_["fits"] = fits, Rcpp::_["kernel"] = level.name);
}
