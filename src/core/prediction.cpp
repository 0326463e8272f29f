#include "contraction.hpp"

#include "prediction.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <stdexcept>

#include "kernel.hpp"
#include "parallel.hpp"
#include "pass.hpp"

namespace hylo {

namespace {

bool is_logistic(const NetworkSpec& spec) { return spec.loss.output == Output::Logistic; }

void check(const PredictingNetwork& network, Span<const Intake> intakes, std::size_t predictions) {
  const auto refuse = [](const char* what) {
    throw std::invalid_argument(std::string("networks can't predict together: ") + what);
  };
  if (network.intake >= intakes.size()) refuse("an intake is missing");
  const Intake& intake = intakes[network.intake];
  if (intake.encoder.inputs() != network.spec.table_inputs()) refuse("a network's inputs don't fit its intake");
  if (network.outputs() != predictions) refuse("the number of predictions");
  const Reading& reading = network.reading;
  const auto has = [&](const std::vector<double>& x) { return x.size() == predictions; };
  if (reading.classes ? !has(reading.weights) : !(has(reading.scale) && has(reading.shift) && has(reading.smear)))
    refuse("how a prediction is read");
  if (reading.turned && predictions != 2) refuse("only two classes can be turned");
  if (network.folded.empty()) refuse("a network without parameters");
  for (const auto& folded : network.folded) {
    if (folded.size() != network.layout.size()) refuse("the parameters don't fit the network");
  }
}

// Room for one network at work.
class Predicting {
 public:
  Predicting(const PredictingNetwork& network, const Kernel<float>& kernel)
      : network_(network),
        pass_(network.spec, network.layout, kernel),
        put_out_(kBlockRows * network.spec.predictions()),
        scores_(kBlockRows * network.outputs()),
        one_(network.outputs()) {}

  // Adds share * the predictions for `count` rows of the block, columns kBlockRows apart.
  void add(const Table<float>& block, Span<const std::uint32_t> rows, double share, double* sums) {
    const std::size_t width = network_.outputs();
    std::fill(scores_.begin(), scores_.end(), 0.0);
    for (const auto& folded : network_.folded) add_scores(block, rows, folded);
    const double members = double(network_.folded.size());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      for (std::size_t k = 0; k < width; ++k) one_[k] = scores_[i * width + k] / members;
      if (network_.reading.classes)
        read_classes();
      else
        read_numbers();
      for (std::size_t k = 0; k < width; ++k) sums[k * kBlockRows + i] += share * one_[k];
    }
  }

 private:
  // A logistic output has the probabilities of either class from its linear value, the one that is looked for last: 1
  // less a probability near 1 has no digits.
  void add_scores(const Table<float>& block, Span<const std::uint32_t> rows, Span<const float> folded) {
    if (!is_logistic(network_.spec)) {
      pass_.predictions(block, rows, folded, put_out_.data());
      const std::size_t values = rows.size() * network_.outputs();
      for (std::size_t i = 0; i < values; ++i) scores_[i] += put_out_[i];
      return;
    }
    pass_.outputs(block, rows, folded, network_.layout.layers() - 1, put_out_.data());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const double z = put_out_[i], e = std::exp(-std::fabs(z)), rarer = e / (1 + e), likelier = 1 / (1 + e);
      scores_[2 * i] += z > 0 ? rarer : likelier;
      scores_[2 * i + 1] += z > 0 ? likelier : rarer;
    }
  }

  void read_classes() {
    const Reading& reading = network_.reading;
    if (reading.turned) std::swap(one_[0], one_[1]);
    double sum = 0;
    for (std::size_t k = 0; k < one_.size(); ++k) sum += one_[k] /= reading.weights[k];
    for (double& p : one_) p /= sum;
  }

  void read_numbers() {
    const Reading& reading = network_.reading;
    for (std::size_t k = 0; k < one_.size(); ++k) {
      const double value = one_[k] * reading.scale[k] + reading.shift[k];
      one_[k] = reading.logarithmic ? std::exp(value) * reading.smear[k] : value;
    }
    const auto is_number = [](double x) { return !std::isnan(x); };
    if (reading.rising && std::all_of(one_.begin(), one_.end(), is_number)) std::sort(one_.begin(), one_.end());
  }

  const PredictingNetwork& network_;
  Pass<float> pass_;
  std::vector<float> put_out_;
  std::vector<double> scores_, one_;
};

}  // namespace

PredictingNetwork::PredictingNetwork(NetworkSpec spec_, Reading reading_, std::size_t intake_, double share_)
    : spec(std::move(spec_)), layout(spec), reading(std::move(reading_)), intake(intake_), share(share_) {}

std::size_t PredictingNetwork::outputs() const { return spec.predictions() + (is_logistic(spec) ? 1 : 0); }

void joint_predictions(Span<const PredictingNetwork> networks, Span<const Intake> intakes,
                       Span<const std::uint32_t> chosen, Span<const double> offset, std::size_t rows,
                       std::size_t threads, Span<double* const> predictions) {
  double shares = 0;
  for (const PredictingNetwork& network : networks) {
    check(network, intakes, predictions.size());
    shares += network.share;
  }
  if (!offset.empty() && offset.size() != rows) throw std::invalid_argument("an offset for each row is needed");
  if (!chosen.empty() && chosen.size() != rows) throw std::invalid_argument("a place for each row is needed");
  const Kernel<float>& kernel = kernel_of<float>(kernel_level());
  in_parts(rows, 64 * kBlockRows, threads, [&](std::size_t from, std::size_t to) {
    std::vector<Predicting> at_work;
    at_work.reserve(networks.size());
    for (const PredictingNetwork& network : networks) at_work.emplace_back(network, kernel);
    std::vector<Table<float>> blocks;
    blocks.reserve(intakes.size());
    for (const Intake& intake : intakes) {
      blocks.emplace_back(kBlockRows, intake.encoder.inputs(), 1);
      std::fill(blocks.back().x.begin(), blocks.back().x.end(), 0.0f);
    }
    std::vector<double> sums(predictions.size() * kBlockRows);
    std::vector<std::uint32_t> order(kBlockRows);
    std::iota(order.begin(), order.end(), 0u);
    for (std::size_t at = from; at < to; at += kBlockRows) {
      const std::size_t count = std::min(kBlockRows, to - at);
      for (std::size_t i = 0; i < intakes.size(); ++i) {
        Table<float>& block = blocks[i];
        const Encoder& encoder = intakes[i].encoder;
        const std::size_t stride = row_stride<float>(encoder.inputs());
        encoder.encode<float>(intakes[i].columns, chosen, at, count, block.x.data(), stride);
        if (!offset.empty()) block.offset.assign(offset.begin() + at, offset.begin() + at + count);
      }
      std::fill(sums.begin(), sums.end(), 0.0);
      for (std::size_t i = 0; i < networks.size(); ++i) {
        at_work[i].add(blocks[networks[i].intake], {order.data(), count}, networks[i].share / shares, sums.data());
      }
      for (std::size_t k = 0; k < predictions.size(); ++k)
        std::copy_n(&sums[k * kBlockRows], count, predictions[k] + at);
    }
  });
}

int best_class(Span<const double* const> probability, Span<const double> weights, std::size_t row) {
  double highest = -1;
  int place = -1;
  for (std::size_t k = 0; k < probability.size(); ++k) {
    const double score = probability[k][row] * weights[k];
    if (std::isnan(score)) return -1;
    if (score > highest) highest = score, place = int(k);
  }
  return place;
}

}  // namespace hylo
