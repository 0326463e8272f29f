#include "contraction.hpp"

#include "relevance.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

Relevance::Relevance(const Objective<double>& objective, double cases)
    : evidence_(objective.spec().loss, objective.spec().layers.back().units, share_out(objective), cases) {}

// Says who shares a penalty, and how many weights have one.
std::size_t Relevance::share_out(const Objective<double>& objective) {
  const auto& spec = objective.spec();
  const auto& layout = objective.layout();
  const std::size_t inputs = inputs_ = layout.layers() > 1 ? layout.inputs(0) : 0;
  shared_.resize(inputs + layout.layers() + 2);  // embeddings and a skip connection are the last two
  std::size_t count = 0;
  layout.each([&](std::size_t at, bool) {
    double own = 0;
    std::size_t group = 0;
    if (at < layout.weights_at(0)) own = spec.embedding_l2, group = inputs + layout.layers();
    for (std::size_t l = 0; l < layout.layers(); ++l) {
      if (at < layout.weights_at(l) || at >= layout.biases_at(l)) continue;
      own = spec.layers[l].l2;
      group = l == 0 && inputs > 0 ? (at - layout.weights_at(0)) / layout.stride(0) : inputs + l;
    }
    if (layout.has_skip() && at >= layout.skip_at() && at < layout.gaps_at()) {
      own = spec.skip->l2, group = inputs + layout.layers() + 1;
    }
    at_.push_back(at), specified_.push_back(own), group_.push_back(group);
    count += own > 0;
  });
  l2_ = specified_;
  return count;
}

double Relevance::penalty(Span<const double> w) const {
  double sum = 0;
  for (std::size_t j = 0; j < side(); ++j) sum += l2_[j] * w[at_[j]] * w[at_[j]];
  return sum / 2;
}

double Relevance::mean_l2() const {
  double logarithms = 0, weights = 0;
  for (const double d : l2_) {
    if (d > 0) logarithms += std::log(d), ++weights;
  }
  return std::exp(logarithms / weights);
}

void Relevance::weigh(Span<const double> inverse, Span<const double> w, double error) {
  std::fill(shared_.begin(), shared_.end(), Shared{});
  const auto group_of = [&](std::size_t j) { return one_for_inputs_ && group_[j] < inputs_ ? 0 : group_[j]; };
  double spent = 0;
  for (std::size_t j = 0; j < side(); ++j) {
    if (l2_[j] == 0) continue;
    Shared& own = shared_[group_of(j)];
    const double taken = l2_[j] * inverse[j];
    spent += taken;
    own.determined += 1 - taken;
    own.squares += w[at_[j]] * w[at_[j]];
    ++own.weights;
  }
  const double all = evidence_.determined(spent);
  for (std::size_t j = 0; j < side(); ++j) {
    if (l2_[j] == 0) continue;
    const Shared& own = shared_[group_of(j)];
    const double determined = std::min(std::max(own.determined, kLeastShare * own.weights), own.weights);
    const double next = evidence_.l2(determined, own.squares, error, all);
    l2_[j] = std::min(std::max(next, l2_[j] / kMostChange), l2_[j] * kMostChange);
  }
}

}  // namespace hylo
