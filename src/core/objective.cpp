#include "contraction.hpp"

#include "objective.hpp"

#include <algorithm>
#include <cmath>

namespace hylo {

namespace {

constexpr std::size_t kMostLanes = 8;

// Blocks i, i + lanes, ... are added up in lane i, and the lanes in order. Their number follows from the number of
// blocks alone. A lane of its own pays from four blocks on.
std::size_t lanes_for(std::size_t blocks) { return std::min(kMostLanes, std::max<std::size_t>(1, blocks / 4)); }

// The prediction that a row's error is taken from: the first target, or the middle quantile.
std::size_t evaluated_prediction(const LossSpec& loss) {
  return loss.loss == Loss::Quantile ? middle_quantile(loss.quantiles) : 0;
}

std::size_t blocks_in(std::size_t rows) { return (rows + kBlockRows - 1) / kBlockRows; }

}  // namespace

template <class T>
Objective<T>::Objective(const NetworkSpec& spec, const Layout<T>& layout, const Kernel<T>& kernel,
                        const Table<T>& table, Team& team, std::size_t most_rows)
    : spec_(spec), layout_(layout), kernel_(kernel), table_(table), team_(team), transposed_(layout) {
  const std::size_t blocks = blocks_in(most_rows);
  for (std::size_t i = 0; i < team.size(); ++i) passes_.push_back(std::make_unique<Pass<T>>(spec, layout, kernel));
  lanes_.resize((lanes_for(blocks) - 1) * layout.size());
  if (spec.normalises()) folded_.resize(layout.size());
  predictions_.resize(team.size() * kBlockRows * spec.predictions());
  losses_.resize(blocks);
  tallies_.resize(blocks);
}

template <class T>
Span<const std::uint32_t> Objective<T>::block(Span<const std::uint32_t> rows, std::size_t i) const {
  // blocks as equal as can be, so that batch normalisation never meets a block of a few left-over rows
  const std::size_t blocks = blocks_in(rows.size());
  const std::size_t from = rows.size() * i / blocks, to = rows.size() * (i + 1) / blocks;
  return rows.part(from, to - from);
}

template <class T>
Span<const T> Objective<T>::folded(Span<const T> parameters) {
  if (!spec_.normalises()) return parameters;
  fold_norms(layout_, parameters, Span<T>(folded_));
  return Span<const T>(folded_.data(), folded_.size());
}

template <class T>
template <class Visit>
void Objective<T>::each_penalised(Visit visit) const {
  const auto in_force = [&](double l2) { return l2_ < 0 ? l2 : l2_; };
  if (layout_.embeddings() > 0)
    visit(std::size_t(0), layout_.weights_at(0), spec_.embedding_l1, in_force(spec_.embedding_l2));
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    visit(layout_.weights_at(l), layout_.biases_at(l), spec_.layers[l].l1, in_force(spec_.layers[l].l2));
  }
  if (spec_.skip) visit(layout_.skip_at(), layout_.gaps_at(), spec_.skip->l1, in_force(spec_.skip->l2));
}

// on_block(i, worker, fresh, sum) adds what belongs to block i, or puts it there if it is fresh.
template <class T>
template <class OnBlock>
void Objective<T>::add_up(std::size_t blocks, Span<T> sum, OnBlock on_block) {
  const std::size_t lanes = lanes_for(blocks);
  team_.run(lanes, [&](std::size_t lane, std::size_t worker) {
    const Span<T> own = lane == 0 ? sum : Span<T>(lanes_.data() + (lane - 1) * layout_.size(), layout_.size());
    for (std::size_t i = lane; i < blocks; i += lanes) on_block(i, worker, i == lane, own);
  });
  for (std::size_t lane = 1; lane < lanes; ++lane) {
    kernel_.add(Addend<T>{lanes_.data() + (lane - 1) * layout_.size(), sum.data(), layout_.size()});
  }
}

template <class T>
double Objective<T>::gradient(Span<const std::uint32_t> rows, Span<const T> parameters, const Draw* draw,
                              Span<T> gradient) {
  const std::size_t blocks = blocks_in(rows.size());
  transposed_.update(layout_, kernel_, parameters);
  const T scale = T(1) / T(rows.size());
  add_up(blocks, gradient, [&](std::size_t i, std::size_t worker, bool fresh, Span<T> sum) {
    losses_[i] =
        passes_[worker]->gradient(table_, block(rows, i), parameters, transposed_, draw, i, scale, fresh, sum);
  });
  for (std::size_t l = 0; l < layout_.layers(); ++l) {
    if (layout_.norm(l)) kernel_.scale(scale, gradient.data() + layout_.means_at(l), 2 * layout_.stride(l));
  }
  each_penalised([&](std::size_t from, std::size_t to, double l1, double l2) {
    if (l1 == 0 && l2 == 0) return;
    kernel_.penalise(Penalties<T>{T(l1), T(l2)}, parameters.data() + from, gradient.data() + from, to - from);
  });
  double loss = 0;
  for (std::size_t i = 0; i < blocks; ++i) loss += losses_[i];
  return loss;
}

template <class T>
double Objective<T>::loss(Span<const std::uint32_t> rows, Span<const T> parameters) {
  const Span<const T> plain = folded(parameters);
  const std::size_t blocks = blocks_in(rows.size());
  team_.run(blocks, [&](std::size_t i, std::size_t worker) {
    losses_[i] = passes_[worker]->loss(table_, block(rows, i), plain);
  });
  double loss = 0;
  for (std::size_t i = 0; i < blocks; ++i) loss += losses_[i];
  return loss;
}

template <class T>
Tally Objective<T>::tally(Span<const std::uint32_t> rows, Span<const T> parameters) {
  const Span<const T> plain = folded(parameters);
  const std::size_t blocks = blocks_in(rows.size()), width = spec_.predictions();
  const bool classes = record_of(spec_.loss.loss).classes;
  const std::size_t evaluated = evaluated_prediction(spec_.loss);
  team_.run(blocks, [&](std::size_t i, std::size_t worker) {
    const auto part = block(rows, i);
    T* predictions = predictions_.data() + worker * kBlockRows * width;
    passes_[worker]->predictions(table_, part, plain, predictions);
    Tally sum;
    for (std::size_t r = 0; r < part.size(); ++r) {
      const T* a = predictions + r * width;
      const T* y = table_.y_row(part[r]);
      const double weight = double(table_.weight[part[r]]);
      if (classes) {
        const std::size_t said =
            width == 1 ? std::size_t(a[0] > T(0.5)) : std::size_t(std::max_element(a, a + width) - a);
        const bool hit = spec_.loss.output == Output::Softmax ? y[said] > T(0.5) : std::size_t(y[0]) == said;
        sum.hits += hit ? weight : 0;
      } else {
        const double e = double(a[evaluated]) - double(y[0]);
        sum.absolute += weight * std::fabs(e);
        sum.squared += weight * e * e;
      }
    }
    tallies_[i] = sum;
  });
  Tally total;
  for (std::size_t i = 0; i < blocks; ++i) {
    total.hits += tallies_[i].hits;
    total.absolute += tallies_[i].absolute;
    total.squared += tallies_[i].squared;
  }
  return total;
}

template <class T>
double Objective<T>::penalty(Span<const T> parameters) const {
  double sum = 0;
  each_penalised([&](std::size_t from, std::size_t to, double l1, double l2) {
    double size = 0, square = 0;
    for (std::size_t i = from; i < to; ++i) {
      const double w = double(parameters[i]);
      size += std::fabs(w);
      square += w * w;
    }
    sum += l1 * size + l2 / 2 * square;
  });
  return sum;
}

template <class T>
std::size_t Objective<T>::blocks(Span<const std::uint32_t> rows) const {
  return blocks_in(rows.size());
}

template <class T>
const T* Objective<T>::jacobian(Span<const std::uint32_t> part, Span<const T> parameters, std::size_t worker,
                                std::size_t stride, std::size_t apart, T* out) {
  for (std::size_t unit = 0; unit < layout_.units(layout_.layers() - 1); ++unit) {
    passes_[worker]->jacobian(table_, part, parameters, transposed_, unit, unit == 0, out + unit * stride, apart);
  }
  return passes_[worker]->values();
}

template <class T>
void Objective<T>::product(Span<const std::uint32_t> rows, Span<const T> parameters, Span<const T> direction,
                           const Curve& curve, Span<T> result) {
  add_up(blocks_in(rows.size()), result, [&](std::size_t i, std::size_t worker, bool fresh, Span<T> sum) {
    // by one reference, so that no memory is asked for
    const struct {
      Span<const std::uint32_t> rows;
      std::size_t worker;
      const Curve& curve;
    } own{block(rows, i), worker, curve};
    const auto of_row = [&own](std::size_t r, const T* values, T* moved) {
      own.curve(own.rows[r], own.worker, values, moved);
    };
    passes_[worker]->product(table_, own.rows, parameters, direction, transposed_, of_row, fresh, sum);
  });
}

template <class T>
void Objective<T>::predictions(Span<const std::uint32_t> part, Span<const T> parameters, T* out) {
  passes_[0]->predictions(table_, part, folded(parameters), out);
}

template class Objective<float>;
template class Objective<double>;

}  // namespace hylo
