#include "bind_network.h"

#include <string>

namespace hylo_bind {

namespace {

double number_in(const Rcpp::List& list, const char* name) { return Rcpp::as<double>(list[name]); }
// A whole number from 0; casting anything else is undefined.
std::size_t count_in(const Rcpp::List& list, const char* name) {
  const double x = number_in(list, name);
  if (!(x >= 0 && x < 9e15)) Rcpp::stop("%s is no count", name);
  return std::size_t(x);
}
std::string text_in(const Rcpp::List& list, const char* name) { return Rcpp::as<std::string>(list[name]); }

hylo::LayerSpec layer_from(const Rcpp::List& list) {
  hylo::LayerSpec layer;
  layer.units = count_in(list, "units");
  layer.activation = hylo::activation_named(text_in(list, "activation"));
  layer.dropout = number_in(list, "dropout");
  layer.l1 = number_in(list, "l1");
  layer.l2 = number_in(list, "l2");
  layer.rate = number_in(list, "rate");
  layer.norm = Rcpp::as<bool>(list["norm"]);
  layer.init = {hylo::init_named(text_in(list, "init")), number_in(list, "init_scale")};
  return layer;
}

}  // namespace

hylo::NetworkSpec network_from(const Rcpp::List& list) {
  hylo::NetworkSpec spec;
  spec.inputs = count_in(list, "inputs");
  spec.input_dropout = number_in(list, "input_dropout");
  spec.input_noise = number_in(list, "input_noise");
  const Rcpp::List embeddings = list["embeddings"];
  for (R_xlen_t e = 0; e < embeddings.size(); ++e) {
    const Rcpp::List embedding = embeddings[e];
    spec.embeddings.push_back({count_in(embedding, "levels"), count_in(embedding, "width")});
  }
  spec.embedding_l1 = number_in(list, "embedding_l1");
  spec.embedding_l2 = number_in(list, "embedding_l2");
  spec.loss.output = hylo::output_named(text_in(list, "output"));
  spec.loss.loss = hylo::loss_named(text_in(list, "loss"));
  spec.loss.delta = number_in(list, "delta");
  spec.loss.smoothing = number_in(list, "smoothing");
  spec.loss.quantiles = Rcpp::as<std::vector<double>>(list["quantiles"]);
  spec.loss.classes = count_in(list, "classes");
  if (list.containsElementNamed("skip")) {
    const Rcpp::List skip = list["skip"];
    spec.skip = {number_in(skip, "l1"), number_in(skip, "l2"), number_in(skip, "rate")};
  }
  const Rcpp::List layers = list["layers"];
  for (R_xlen_t l = 0; l < layers.size(); ++l) spec.layers.push_back(layer_from(layers[l]));
  spec.validate();
  return spec;
}

hylo::Regimen regimen_from(const Rcpp::List& list) {
  hylo::Regimen r;
  r.optimiser.method = hylo::method_named(text_in(list, "method"));
  r.optimiser.learning_rate = number_in(list, "learning_rate");
  r.optimiser.momentum = number_in(list, "momentum");
  if (r.optimiser.method == hylo::Method::Rmsprop) r.optimiser.decay2 = 0.9;
  r.optimiser.weight_decay = number_in(list, "weight_decay");
  r.optimiser.evidence = Rcpp::as<bool>(list["evidence"]);
  r.optimiser.by_noise = Rcpp::as<bool>(list["by_noise"]);
  r.optimiser.path = Rcpp::as<bool>(list["path"]);
  r.optimiser.cases = number_in(list, "cases");
  r.optimiser.gradient_clip = number_in(list, "gradient_clip");
  r.optimiser.max_norm = number_in(list, "max_norm");
  const Rcpp::List schedule = list["schedule"], stop = list["stop"];
  r.schedule.kind = hylo::schedule_named(text_in(schedule, "kind"));
  r.schedule.every = count_in(schedule, "every");
  r.schedule.factor = number_in(schedule, "factor");
  r.schedule.floor = number_in(schedule, "floor");
  r.schedule.warm_up = count_in(schedule, "warm_up");
  r.stop = {count_in(stop, "patience"), number_in(stop, "gradient"), number_in(stop, "loss"),
            number_in(stop, "seconds"), 0};
  r.batch_size = count_in(list, "batch_size");
  r.epochs = count_in(list, "epochs");
  r.tally = Rcpp::as<bool>(list["tally"]);
  r.seed = std::uint64_t(number_in(list, "seed"));
  return r;
}

template <class T>
hylo::AlignedVector<T> folded_parameters(const hylo::Layout<T>& layout, const Rcpp::NumericVector& parameters) {
  if (std::size_t(parameters.size()) != layout.parameters()) Rcpp::stop("the parameters don't fit the network");
  const std::vector<double> dense(parameters.begin(), parameters.end());
  hylo::AlignedVector<T> packed(layout.size()), folded(layout.size());
  hylo::pack_parameters<T>(layout, dense, packed);
  hylo::fold_norms<T>(layout, packed, folded);
  return folded;
}

template hylo::AlignedVector<float> folded_parameters<float>(const hylo::Layout<float>&, const Rcpp::NumericVector&);

}  // namespace hylo_bind

// Fails where no network can be as the list says.
// [[Rcpp::export]]
bool core_check_network(Rcpp::List network) {
  hylo_bind::network_from(network);
  return true;
}
