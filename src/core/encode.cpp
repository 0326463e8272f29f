#include "contraction.hpp"

#include "encode.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <stdexcept>
#include <string>

#include "parallel.hpp"

namespace hylo {

namespace {

constexpr double kTurn = 6.283185307179586;

bool has(unsigned parts, DatePart part) { return (parts & part) != 0; }

double value_at(const SourceColumn& column, std::size_t row) {
  if (column.real != nullptr) return column.real[row];
  const std::int32_t whole = column.whole[row];
  return whole == kMissingWhole ? std::numeric_limits<double>::quiet_NaN() : double(whole);
}

double between_knots(const std::vector<double>& knots, const std::vector<double>& heights, double x) {
  if (std::isnan(x)) return x;
  if (x <= knots.front()) return heights.front();
  if (x >= knots.back()) return heights.back();
  const std::size_t above = std::size_t(std::upper_bound(knots.begin(), knots.end(), x) - knots.begin());
  const double share = (x - knots[above - 1]) / (knots[above] - knots[above - 1]);
  return heights[above - 1] + share * (heights[above] - heights[above - 1]);
}

template <class T>
T* write_pieces(const std::vector<double>& edges, double x, T* out) {
  for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
    *out++ = T(std::min(std::max((x - edges[i]) / (edges[i + 1] - edges[i]), 0.0), 1.0));
  }
  return out;
}

template <class T>
void write_number(const ColumnPlan& plan, double x, T* out) {
  const bool missing = std::isnan(x);
  x = std::min(std::max(missing ? plan.fill : x, plan.low), plan.high);
  if (!plan.edges.empty()) {
    out = write_pieces(plan.edges, x, out);
  } else {
    if (!plan.knots.empty()) x = between_knots(plan.knots, plan.heights, x);
    x = (x - plan.shift) / plan.scale;
    *out++ = T(x);
    for (const double turns : plan.waves) {
      *out++ = T(std::sin(kTurn * turns * x));
      *out++ = T(std::cos(kTurn * turns * x));
    }
  }
  if (plan.flag) *out = T(missing);
}

bool is_plain(const ColumnPlan& plan) {
  return plan.edges.empty() && plan.knots.empty() && plan.waves.empty() && !plan.flag;
}

// write_number() for a plan that is_plain(), a block at a time: nothing is asked row by row.
template <class T>
void write_plain(const ColumnPlan& plan, const SourceColumn& column, Span<const std::uint32_t> rows, std::size_t from,
                 std::size_t count, T* out, std::size_t stride) {
  constexpr std::size_t block = 64;
  double values[block];
  const double fill = plan.fill, low = plan.low, high = plan.high, shift = plan.shift, scale = plan.scale;
  for (std::size_t at = 0; at < count; at += block) {
    const std::size_t n = std::min(block, count - at);
    if (column.real != nullptr && rows.empty()) {
      std::copy_n(column.real + from + at, n, values);
    } else {
      for (std::size_t i = 0; i < n; ++i) {
        values[i] = value_at(column, rows.empty() ? from + at + i : rows[from + at + i]);
      }
    }
    for (std::size_t i = 0; i < n; ++i) {
      const double x = values[i];
      values[i] = (std::min(std::max(std::isnan(x) ? fill : x, low), high) - shift) / scale;
    }
    for (std::size_t i = 0; i < n; ++i, out += stride) *out = T(values[i]);
  }
}

// A column's levels as an encoder counts them.
std::int32_t code_at(const SourceColumn& column, std::size_t row) {
  const std::int32_t whole = column.whole[row];
  if (column.codes.empty() || whole == kMissingWhole) return whole;
  const std::size_t label = std::size_t(whole) - 1;
  return label < column.codes.size() ? column.codes[label] : 0;
}

template <class T>
void write_level(const ColumnPlan& plan, std::int32_t code, T* out) {
  const double place = code == kMissingWhole ? plan.missing : code == 0 ? plan.unseen : double(code - 1);
  if (place >= 0 && place < double(plan.width)) out[std::size_t(place)] = T(1);
}

template <class T>
void write_score(const ColumnPlan& plan, std::int32_t code, T* out) {
  const bool known = code > 0 && std::size_t(code) <= plan.scores.size();
  out[0] = T(code == kMissingWhole ? plan.missing : known ? plan.scores[std::size_t(code - 1)] : plan.unseen);
}

template <class T>
void write_code(const ColumnPlan& plan, std::int32_t code, T* out) {
  out[0] = T(code == kMissingWhole ? plan.missing : code == 0 ? plan.unseen : double(code));
}

constexpr double kMostDays = 1e9;  // no calendar goes further; so does no arithmetic here

template <class T>
T* write_place(T* out, int place, int places) {
  out[place] = T(1);
  return out + places;
}

struct Angle {
  double sine, cosine;
};

// The angles of `steps` places on a circle of `turn` steps.
std::vector<Angle> angles_of(std::size_t steps, double turn) {
  std::vector<Angle> angles(steps);
  for (std::size_t i = 0; i < steps; ++i) {
    angles[i] = {std::sin(kTurn * double(i) / turn), std::cos(kTurn * double(i) / turn)};
  }
  return angles;
}

const std::vector<Angle>& season_angles() {
  static const std::vector<Angle> angles = angles_of(366, 365.25);
  return angles;
}

const std::vector<Angle>& clock_angles() {
  static const std::vector<Angle> angles = angles_of(1440, 1440);
  return angles;
}

template <class T>
T* write_angle(T* out, const Angle& angle) {
  out[0] = T(angle.sine);
  out[1] = T(angle.cosine);
  return out + 2;
}

SplitDate split_date(double x, bool clock) {
  const double days = clock ? std::floor(x / 86400) : std::floor(x);
  if (!(std::fabs(days) < kMostDays)) return {};
  const CivilDate date = civil_date(std::int64_t(days));
  SplitDate split;
  split.year = date.year;
  split.day_of_year = std::uint16_t(date.day_of_year);
  // far from 1970 a double has no seconds left, and the difference may lie outside of the day
  split.minute = std::uint16_t(clock ? std::clamp((x - 86400 * days) / 60, 0.0, 1439.0) : 0);
  split.month = std::uint8_t(date.month - 1);
  split.weekday = std::uint8_t(date.weekday);
  split.known = true;
  return split;
}

// Season and hour are points on a circle, so that December is next to January and 23 h to 0 h.
template <class T>
void write_date(const ColumnPlan& plan, const SplitDate& date, T* out) {
  if (!date.known) return;
  if (has(plan.parts, kSeason)) out = write_angle(out, season_angles()[date.day_of_year]);
  if (has(plan.parts, kWeekday)) out = write_place(out, date.weekday, 7);
  if (has(plan.parts, kMonth)) out = write_place(out, date.month, 12);
  if (has(plan.parts, kQuarter)) out = write_place(out, date.month / 3, 4);
  if (has(plan.parts, kYear)) *out++ = T((date.year - plan.shift) / plan.scale);
  if (has(plan.parts, kHour)) write_angle(out, clock_angles()[date.minute]);
}

}  // namespace

std::size_t ColumnPlan::inputs() const {
  switch (encoding) {
    case Encoding::Number: return (edges.empty() ? 1 + 2 * waves.size() : edges.size() - 1) + (flag ? 1 : 0);
    case Encoding::Level: return width;
    case Encoding::Score:
    case Encoding::Code: return 1;
    case Encoding::Date:
      return (has(parts, kSeason) ? 2 : 0) + (has(parts, kWeekday) ? 7 : 0) + (has(parts, kMonth) ? 12 : 0) +
             (has(parts, kQuarter) ? 4 : 0) + (has(parts, kYear) ? 1 : 0) + (has(parts, kHour) ? 2 : 0);
  }
  return 0;
}

// Days to civil date: Howard Hinnant (2013), "chrono-compatible low-level date algorithms".
CivilDate civil_date(std::int64_t days) {
  const std::int64_t z = days + 719468;
  const std::int64_t era = (z >= 0 ? z : z - 146096) / 146097;
  const unsigned day_of_era = unsigned(z - era * 146097);
  const unsigned year_of_era = (day_of_era - day_of_era / 1460 + day_of_era / 36524 - day_of_era / 146096) / 365;
  const unsigned from_march = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const unsigned shifted = (5 * from_march + 2) / 153;
  const int month = int(shifted < 10 ? shifted + 3 : shifted - 9);
  const int year = int(std::int64_t(year_of_era) + era * 400) + (month <= 2 ? 1 : 0);
  const bool leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  const int day_of_year = month > 2 ? int(from_march) + 59 + (leap ? 1 : 0) : int(from_march) - 306;
  const int weekday = int(((days + 3) % 7 + 7) % 7);  // 1970-01-01 was a Thursday
  return {year, month, int(from_march - (153 * shifted + 2) / 5 + 1), day_of_year, weekday};
}

namespace {

void check(const ColumnPlan& plan) {
  const auto refuse = [](const char* why) {
    throw std::invalid_argument(std::string("a column's plan is broken: ") + why);
  };
  if (plan.encoding == Encoding::Level) {
    if (plan.width < 1 || plan.width > kMostInputs) refuse("its number of inputs");
    for (const double place : {plan.unseen, plan.missing}) {
      if (!(place >= -1 && place < double(plan.width))) refuse("the place of a level");
    }
  }
  if (plan.encoding == Encoding::Code && !(plan.unseen >= 0 && plan.missing >= 0)) refuse("a code");
  if (plan.encoding == Encoding::Number) {
    if (plan.scale == 0 || std::isnan(plan.scale) || std::isnan(plan.shift)) refuse("its scale");
    if (std::isnan(plan.low) || std::isnan(plan.high) || plan.low > plan.high) refuse("its limits");
  }
  const auto finite = [](double x) { return std::isfinite(x); };
  if (plan.knots.size() != plan.heights.size() || !std::all_of(plan.knots.begin(), plan.knots.end(), finite) ||
      !std::is_sorted(plan.knots.begin(), plan.knots.end()))
    refuse("its knots");
  if (plan.edges.size() == 1 ||
      std::adjacent_find(plan.edges.begin(), plan.edges.end(), std::greater_equal<>()) != plan.edges.end() ||
      !std::all_of(plan.edges.begin(), plan.edges.end(), finite))
    refuse("its edges");
  if (!std::all_of(plan.waves.begin(), plan.waves.end(), finite)) refuse("its waves");
  if (plan.parts > 63) refuse("the parts of a date");
  if (plan.encoding == Encoding::Date && (plan.scale == 0 || std::isnan(plan.scale))) refuse("its scale");
}

}  // namespace

Encoder::Encoder(std::vector<ColumnPlan> plans) : plans_(std::move(plans)) {
  for (const ColumnPlan& plan : plans_) {
    check(plan);
    inputs_ += plan.inputs();
  }
}

template <class T>
void Encoder::encode(Span<const SourceColumn> columns, Span<const std::uint32_t> rows, std::size_t from,
                     std::size_t count, T* out, std::size_t stride) const {
  if (count == 0) return;
  for (std::size_t i = 0; i < count; ++i) std::fill_n(out + i * stride, inputs_, T(0));
  const auto each_row = [&](T* cell, auto write) {
    for (std::size_t i = 0; i < count; ++i, cell += stride) write(rows.empty() ? from + i : rows[from + i], cell);
  };
  T* first = out;
  for (std::size_t c = 0; c < plans_.size(); ++c) {
    const ColumnPlan& plan = plans_[c];
    const SourceColumn& column = columns[c];
    switch (plan.encoding) {
      case Encoding::Number:
        if (is_plain(plan)) {
          write_plain(plan, column, rows, from, count, first, stride);
        } else {
          each_row(first, [&](std::size_t row, T* cell) { write_number(plan, value_at(column, row), cell); });
        }
        break;
      case Encoding::Level:
        each_row(first, [&](std::size_t row, T* cell) { write_level(plan, code_at(column, row), cell); });
        break;
      case Encoding::Score:
        each_row(first, [&](std::size_t row, T* cell) { write_score(plan, code_at(column, row), cell); });
        break;
      case Encoding::Code:
        each_row(first, [&](std::size_t row, T* cell) { write_code(plan, code_at(column, row), cell); });
        break;
      case Encoding::Date:
        each_row(first, [&](std::size_t row, T* cell) {
          write_date(plan, column.dates ? column.dates[row] : split_date(value_at(column, row), plan.clock), cell);
        });
        break;
    }
    first += plan.inputs();
  }
}

std::vector<SplitDate> split_dates(const SourceColumn& column, std::size_t rows, bool clock, std::size_t threads) {
  std::vector<SplitDate> result(rows);
  in_parts(rows, 1 << 14, threads, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) result[i] = split_date(value_at(column, i), clock);
  });
  return result;
}

template <class T>
void fill_inputs(Table<T>& table, const Encoder& encoder, Span<const SourceColumn> columns,
                 Span<const std::uint32_t> rows, std::size_t threads) {
  const std::size_t stride = row_stride<T>(table.inputs);
  constexpr std::size_t block = 256;  // rows that stay in the cache while one column after another is written
  in_parts(table.rows, 64 * block, threads, [&](std::size_t from, std::size_t to) {
    for (std::size_t at = from; at < to; at += block) {
      const std::size_t count = std::min(block, to - at);
      T* out = table.x.data() + at * stride;
      encoder.encode<T>(columns, rows, at, count, out, stride);
      for (std::size_t i = 0; i < count; ++i) std::fill(out + i * stride + table.inputs, out + (i + 1) * stride, T(0));
    }
  });
}

template void fill_inputs<float>(Table<float>&, const Encoder&, Span<const SourceColumn>, Span<const std::uint32_t>,
                                 std::size_t);
template void fill_inputs<double>(Table<double>&, const Encoder&, Span<const SourceColumn>, Span<const std::uint32_t>,
                                  std::size_t);
template void Encoder::encode<float>(Span<const SourceColumn>, Span<const std::uint32_t>, std::size_t, std::size_t,
                                     float*, std::size_t) const;
template void Encoder::encode<double>(Span<const SourceColumn>, Span<const std::uint32_t>, std::size_t, std::size_t,
                                      double*, std::size_t) const;

}  // namespace hylo
