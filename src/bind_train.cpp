// Training: R's lists and matrices to the core's structs and back.
#include <algorithm>
#include <Rcpp.h>

#include "bind_network.h"
#include "bind_plan.h"
#include "interrupt.h"
#include "jobs.hpp"

namespace {

using namespace hylo;

// Targets, one column each: numbers, 0 or 1, places among ordered classes from 0, or, for softmax, the codes 1 ..
// classes.
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

std::size_t target_width(const NetworkSpec& spec) {
  return record_of(spec.loss.loss).one_target ? 1 : spec.layers.back().units;
}

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
    case Stopped::Vanished: return "vanished";
  }
  return "";
}

// One row an epoch; what was not measured is NA.
Rcpp::List curves_of(const std::vector<Epoch>& epochs) {
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
  // DataFrame::create() calls R, which takes longer than small trainings do
  Rcpp::List curves = Rcpp::List::create(
      _["epoch"] = epoch, _["training"] = column([](const Epoch& e) { return e.training; }),
      _["validation"] = column([](const Epoch& e) { return e.validation; }),
      _["test"] = column([](const Epoch& e) { return e.watched; }),
      _["rate"] = column([](const Epoch& e) { return e.rate; }),
      _["gradient"] = column([](const Epoch& e) { return e.gradient; }),
      _["updates"] = column([](const Epoch& e) { return double(e.updates); }),
      _["seconds"] = column([](const Epoch& e) { return e.seconds; }),
      _["training_hits"] = column([](const Epoch& e) { return e.training_tally.hits; }),
      _["validation_hits"] = column([](const Epoch& e) { return e.validation_tally.hits; }),
      _["training_absolute"] = column([](const Epoch& e) { return e.training_tally.absolute; }),
      _["validation_absolute"] = column([](const Epoch& e) { return e.validation_tally.absolute; }),
      _["training_squared"] = column([](const Epoch& e) { return e.training_tally.squared; }),
      _["validation_squared"] = column([](const Epoch& e) { return e.validation_tally.squared; }));
  curves.attr("class") = "data.frame";
  curves.attr("row.names") = Rcpp::IntegerVector::create(NA_INTEGER, -int(epochs.size()));
  return curves;
}

// One network on one table, from so many starts: what R gives, and the table as the core takes it.
struct Given {
  NetworkSpec spec;
  Regimen regimen;
  std::size_t starts;
  Rcpp::List plans, sources;
  std::string folder;  // where the inputs are to lie; empty for memory
  std::vector<std::uint32_t> rows, training, validation, watched;
  Rcpp::NumericMatrix target, soft;
  Rcpp::NumericVector weight, offset;
  std::vector<double> output_bias, linear, parameters;
  std::vector<std::vector<double>> states;  // by start
  std::vector<double> last_epochs;          // by start the epoch after which it ends, one for all, or none
  bool further, keeps;
};

Given given_from(const Rcpp::List& fit) {
  const auto rows = [&](const char* name) { return hylo_bind::zero_based(Rcpp::as<Rcpp::IntegerVector>(fit[name])); };
  const Rcpp::NumericVector bias = fit["output_bias"];
  NetworkSpec spec = hylo_bind::network_from(fit["network"]);
  spec.loss.temperature = Rcpp::as<double>(fit["temperature"]);
  return {spec,
          hylo_bind::regimen_from(fit["regimen"]),
          std::size_t(Rcpp::as<int>(fit["starts"])),
          fit["plans"],
          fit["sources"],
          Rcpp::as<std::string>(fit["folder"]),
          rows("rows"),
          rows("training"),
          rows("validation"),
          rows("watched"),
          fit["target"],
          fit["soft"],
          fit["weight"],
          fit["offset"],
          std::vector<double>(bias.begin(), bias.end()),
          Rcpp::as<std::vector<double>>(fit["linear"]),
          Rcpp::as<std::vector<double>>(fit["parameters"]),
          Rcpp::as<std::vector<std::vector<double>>>(fit["states"]),
          Rcpp::as<std::vector<double>>(fit["last_epochs"]),
          Rcpp::as<bool>(fit["further"]),
          Rcpp::as<bool>(fit["keeps"])};
}

template <class T>
Table<T> table_of(const Given& given, std::size_t threads) {
  const Encoder encoder = hylo_bind::encoder_from(given.plans);
  const auto columns = hylo_bind::columns_from(given.sources);
  const std::size_t rows = given.rows.size();
  if (encoder.inputs() != given.spec.table_inputs() || encoder.columns() != columns.size() ||
      std::size_t(given.target.nrow()) != rows || std::size_t(given.weight.size()) != rows ||
      (given.offset.size() != 0 && std::size_t(given.offset.size()) != rows)) {
    Rcpp::stop("core_train: shapes don't match");
  }
  Table<T> table(rows, given.spec.table_inputs(),
                 given.spec.loss.output == Output::Softmax ? given.spec.layers.back().units : target_width(given.spec),
                 given.folder);
  fill_inputs<T>(table, encoder, columns, given.rows, threads);
  fill_targets(table, given.spec.loss, given.target);
  std::copy(given.weight.begin(), given.weight.end(), table.weight.begin());
  // a column a row
  if (given.soft.size() != 0 && std::size_t(given.soft.ncol()) != rows)
    Rcpp::stop("core_train: soft shares don't match the rows");
  table.soft.assign(given.soft.begin(), given.soft.end());
  table.offset.assign(given.offset.begin(), given.offset.end());
  return table;
}

template <class T>
Rcpp::List as_list(const Trained<T>& trained, const NetworkSpec& spec) {
  const Layout<T> layout(spec);
  std::vector<double> dense(layout.parameters());
  unpack_parameters<T>(layout, trained.parameters, dense);
  return Rcpp::List::create(Rcpp::_["parameters"] = dense, Rcpp::_["curves"] = curves_of(trained.epochs),
                            Rcpp::_["best"] = int(trained.best), Rcpp::_["stopped"] = name_of(trained.stopped),
                            Rcpp::_["penalty"] = std::isnan(trained.penalty) ? NA_REAL : trained.penalty);
}

// The results of all fits as they come in, and who is told of a fit whose starts have all ended.
struct Results {
  std::vector<Rcpp::List> starts;    // by fit
  std::vector<std::size_t> missing;  // starts that have not ended
  Rcpp::Function done;
  bool stopped = false;  // by what one of the functions returned

  // False when that is to be all.
  bool put(std::size_t fit, std::size_t start, const Rcpp::List& result) {
    starts[fit][R_xlen_t(start)] = result;
    return --missing[fit] > 0 || hand_over(fit);
  }
  bool hand_over(std::size_t fit) {
    const bool go_on = heed(done(double(fit + 1), starts[fit]));
    starts[fit] = Rcpp::List();
    return go_on;
  }
  bool heed(SEXP go_on) {
    stopped = stopped || !Rcpp::as<bool>(go_on);
    return !stopped;
  }
};

// Who is given what each start has come to, and how many seconds lie between two times.
struct Keeper {
  Rcpp::Function keep;
  double every;
};

// All starts of those fits whose methods work in T, as one list of jobs.
template <class T>
void fit(const std::vector<Given>& fits, bool whole, const KernelLevel& level,
         const Rcpp::Nullable<Rcpp::Function>& report, const Keeper& keeper,
         const std::function<bool()>& stop_requested, std::size_t threads, Results& results) {
  std::vector<std::size_t> chosen;
  for (std::size_t f = 0; f < fits.size(); ++f) {
    if (takes_whole_table(fits[f].regimen.optimiser.method) == whole) chosen.push_back(f);
  }
  std::vector<Table<T>> tables;
  tables.reserve(chosen.size());
  for (const std::size_t f : chosen) tables.push_back(table_of<T>(fits[f], threads));
  std::vector<Job<T>> jobs;
  std::vector<std::pair<std::size_t, std::size_t>> place;  // fit and start of each job
  for (std::size_t c = 0; c < chosen.size(); ++c) {
    const Given& given = fits[chosen[c]];
    for (std::size_t start = 0; start < given.starts; ++start) {
      Job<T> job;
      job.network = &given.spec;
      job.table = &tables[c];
      job.regimen = given.regimen;
      job.regimen.job = std::uint32_t(start);
      if (!given.last_epochs.empty())
        job.regimen.stop.epoch = std::size_t(given.last_epochs[std::min(start, given.last_epochs.size() - 1)]);
      job.training = given.training;
      job.validation = given.validation;
      job.watched = given.watched;
      job.beginning = {given.output_bias, given.linear, given.parameters, {}, given.further};
      if (start < given.states.size()) job.beginning.state = given.states[start];
      job.keeps = given.keeps;
      jobs.push_back(job);
      place.emplace_back(chosen[c], start);
    }
  }
  if (jobs.empty()) return;
  JobWatch<T> watch;
  watch.stop_requested = stop_requested;
  watch.every = keeper.every;
  watch.keep = [&](std::size_t job, const std::vector<double>& state) {
    keeper.keep(double(place[job].first + 1), double(place[job].second + 1), state);
  };
  if (report.isNotNull()) {
    const Rcpp::Function tell(report);
    watch.epoch_done = [tell, &place, &results](std::size_t job, const Progress& p) {
      return results.heed(tell(double(place[job].first + 1), double(place[job].second + 1), double(p.epoch),
                               double(p.best), p.best_loss, double(p.rows), p.now.training, p.now.validation,
                               p.now.gradient, double(p.now.updates), p.now.seconds));
    };
  }
  watch.job_done = [&](std::size_t job, const Trained<T>& trained) {
    return results.put(place[job].first, place[job].second, as_list(trained, *jobs[job].network));
  };
  train_jobs<T>(Span<const Job<T>>(jobs), level, watch, threads);
}

}  // namespace

// Several fits over tables of their own as one list of jobs. Each fit is a list of `network`, `regimen`, `plans`,
// `sources`, `rows` (the table's rows that are used), and along them `target` (a column a target), `weight` and
// `offset`; `training`, `validation` and `watched` (whose loss is measured and decides nothing) are places among them;
// `output_bias`, `linear` (see core/train.hpp) and `starts`; `soft`, a column a row or empty, and the `temperature`
// that it goes with, see core/loss.hpp. `done` is called with the number of each fit that has ended and the list of its
// starts' results, in which NULL is one that a stop left out; fits of which no start was begun are not spoken of. What
// `report` and `done` return says whether to go on; returned is whether they, or somebody else, wanted to stop. A fit
// learns on from `parameters`, or goes on from the `states` of its starts, even where they had ended by their stopping
// rules if it is to go `further`. `keep` is given the number of a fit, of a start and its state: when a start ends
// whose fit `keeps` them, and of all starts each `every` seconds if that is finite.
// [[Rcpp::export]]
bool core_train(Rcpp::List fits, Rcpp::Nullable<Rcpp::Function> report, Rcpp::Function done, Rcpp::Function keep,
                double every, bool catch_term, int threads) {
  std::vector<Given> given;
  Results results{{}, {}, done};
  for (R_xlen_t f = 0; f < fits.size(); ++f) {
    given.push_back(given_from(fits[f]));
    results.starts.emplace_back(R_xlen_t(given.back().starts));
    results.missing.push_back(given.back().starts);
  }
  const KernelLevel& level = kernel_level();
  hylo_bind::SignalWatch signals(catch_term);
  const std::function<bool()> stop_requested = [&] { return signals.stop_requested(); };
  // Whole-table methods work in double precision. Whichever are fewer come first, so that of turns, which want some of
  // both, the first is whole while others still are on their way.
  const Keeper keeper = {keep, every};
  const auto in_double = std::count_if(given.begin(), given.end(), [](const Given& one) {
    return takes_whole_table(one.regimen.optimiser.method);
  });
  const bool double_first = 2 * in_double <= std::ptrdiff_t(given.size());
  for (const bool whole : {double_first, !double_first}) {
    if (whole)
      fit<double>(given, true, level, report, keeper, stop_requested, std::size_t(threads), results);
    else
      fit<float>(given, false, level, report, keeper, stop_requested, std::size_t(threads), results);
  }
  for (std::size_t f = 0; f < given.size(); ++f) {
    if (results.missing[f] > 0 && results.missing[f] < given[f].starts) results.hand_over(f);
  }
  return results.stopped || signals.asked_to_stop();
}
