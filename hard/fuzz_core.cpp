// What reaches the core from files and tables that somebody else made: record ends, joined records, encoding plans,
// shapes of networks and states of trainings, by libFuzzer. Each may be refused by an exception of std, and by nothing
// else.
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <stdexcept>
#include <string>
#include <vector>

#include "encode.hpp"
#include "network.hpp"
#include "text_scan.hpp"
#include "train.hpp"

namespace {

using namespace hylo;

// Takes values from the bytes as long as there are some, and zeros behind them.
class Source {
 public:
  Source(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}
  template <class N>
  N take() {
    N value{};
    const std::size_t count = std::min(sizeof value, size_ - at_);
    std::memcpy(&value, data_ + at_, count);
    at_ += count;
    return value;
  }
  std::size_t below(std::size_t bound) { return take<std::uint32_t>() % bound; }
  std::string rest() {
    std::string text(reinterpret_cast<const char*>(data_ + at_), size_ - at_);
    at_ = size_;
    return text;
  }
  std::vector<double> numbers(std::size_t most) {
    std::vector<double> values(below(most + 1));
    for (double& value : values) value = take<double>();
    return values;
  }

 private:
  const std::uint8_t* data_;
  std::size_t size_, at_ = 0;
};

void records(Source& source) {
  const char separator = source.take<char>();
  const std::string text = source.rest(), half = text.substr(text.size() / 2);
  const auto ends = record_ends({text.data(), text.size()}, separator);
  if (!ends.empty() && ends.back() > text.size()) __builtin_trap();
  std::string joined;
  join_records({text.data(), text.size()}, {half.data(), half.size()}, separator, 1, [&](std::size_t bytes) {
    joined.resize(bytes);
    return joined.data();
  });
}

void plans(Source& source) {
  ColumnPlan plan;
  plan.encoding = Encoding(source.below(5));
  for (double* value : {&plan.fill, &plan.shift, &plan.scale, &plan.low, &plan.high, &plan.unseen, &plan.missing}) {
    *value = source.take<double>();
  }
  for (std::vector<double>* values : {&plan.knots, &plan.heights, &plan.edges, &plan.waves, &plan.scores}) {
    *values = source.numbers(6);
  }
  plan.flag = source.below(2) == 1;
  plan.levels = source.below(8);
  plan.width = source.below(2) ? source.below(12) : source.take<std::uint32_t>();
  plan.parts = unsigned(source.below(80));
  plan.clock = source.below(2) == 1;
  const Encoder encoder({plan});
  if (encoder.inputs() > 4096) return;
  const std::vector<double> cells = source.numbers(20);
  std::vector<std::int32_t> codes(cells.size());
  for (auto& code : codes) code = source.take<std::int32_t>();
  SourceColumn column;
  const bool by_code =
      plan.encoding == Encoding::Level || plan.encoding == Encoding::Score || plan.encoding == Encoding::Code;
  if (by_code)
    column.whole = codes.data();
  else
    column.real = cells.data();
  std::vector<SourceColumn> columns = {column};
  std::vector<float> out(cells.size() * encoder.inputs());
  encoder.encode<float>(columns, {}, 0, cells.size(), out.data(), encoder.inputs());
}

NetworkSpec shape(Source& source) {
  NetworkSpec spec;
  spec.inputs = source.below(4) ? source.below(6) : source.take<std::uint32_t>();
  const std::size_t layers = source.below(4);
  for (std::size_t i = 0; i < layers; ++i) {
    LayerSpec layer;
    layer.units = source.below(4) ? source.below(6) : source.take<std::uint32_t>();
    layer.activation = Activation(source.below(12));
    layer.norm = source.below(2) == 1;
    spec.layers.push_back(layer);
  }
  spec.loss.loss = Loss(source.below(6));
  spec.loss.output = Output(source.below(6));
  return spec;
}

void networks(Source& source) {
  const NetworkSpec spec = shape(source);
  spec.validate();
  double values = 0;
  for (const LayerSpec& layer : spec.layers) values += double(layer.units) * double(spec.inputs + layer.units);
  if (values > 1e5) return;
  const Layout<float> layout(spec);
  Table<float> table(5, spec.table_inputs(), spec.layers.back().units);
  std::fill(table.x.begin(), table.x.end(), 0.5f);
  const std::vector<std::uint32_t> rows = {0, 1, 2, 3, 4};
  const std::vector<double> state = source.numbers(200);
  Regimen regimen;
  regimen.epochs = 2;
  Beginning beginning;
  beginning.state = state;
  train<float>(spec, regimen, table, rows, {}, beginning, *kernel_levels().front(), Watch{});
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  Source source(data, size);
  try {
    switch (source.below(3)) {
      case 0: records(source); break;
      case 1: plans(source); break;
      default: networks(source);
    }
  } catch (const std::invalid_argument&) {
  } catch (const std::length_error&) {
  }
  return 0;
}
