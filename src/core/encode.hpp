// From the columns of a table to the rows that a network takes in. A plan says what each column becomes; it holds what
// was learned on training rows. Encoding looks at one row at a time and learns nothing.
#pragma once
#include <cstddef>
#include <cstdint>
#include <limits>
#include <vector>

#include "span.hpp"
#include "table.hpp"

namespace hylo {

// A date or time taken apart; one that is missing, or beyond any calendar, is not `known`.
struct SplitDate {
  std::int32_t year = 0;
  std::uint16_t day_of_year = 0, minute = 0;  // both from 0
  std::uint8_t month = 0, weekday = 0;        // both from 0, for January and Monday
  bool known = false;
};

// A column as it stands in the table: doubles (missing: NaN) or 32-bit integers (missing: the smallest one). Where
// several encoders look at one column, `codes` say which code of theirs each of its labels has, the first one for the
// integer 1, and `dates` are its dates, taken apart once for all.
struct SourceColumn {
  const double* real = nullptr;
  const std::int32_t* whole = nullptr;
  Span<const std::int32_t> codes = {};
  const SplitDate* dates = nullptr;
};
inline constexpr std::int32_t kMissingWhole = std::numeric_limits<std::int32_t>::min();

enum class Encoding {
  Number,  // one value, or several with `edges` or `waves`, and an input that says whether it was missing if `flag`
  Level,   // an indicator for each level
  Score,   // one value for each level
  Code,    // the level's code itself, for a learned embedding
  Date     // parts of a date or time
};

// Parts of a date, in the order in which their inputs stand.
enum DatePart : unsigned { kSeason = 1, kWeekday = 2, kMonth = 4, kQuarter = 8, kYear = 16, kHour = 32 };

inline constexpr std::size_t kMostInputs = 1 << 24;  // of a column, and of all columns together

struct ColumnPlan {
  Encoding encoding = Encoding::Number;

  // Number: missing values become `fill`, values outside [low, high] its ends; then, if there are knots, the value is
  // looked up between them (piecewise linear, level outside); at last (value - shift) / scale. With edges it becomes in
  // the place of that an input for each piece between two of them, which goes from 0 to 1 along the piece; with waves
  // the sine and cosine of each of these frequencies, a turn a unit, stand behind it (both Gorishniy et al. 2022).
  double fill = 0, shift = 0, scale = 1;
  double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
  std::vector<double> knots, heights, edges, waves;
  bool flag = false;

  // Level, Score and Code take codes: 1 .. levels, 0 for a level that training never saw, or missing. For Level,
  // `unseen` and `missing` are the places among the column's inputs that are set then, negative for none; for Score and
  // Code they are values.
  std::size_t levels = 0;
  double unseen = -1, missing = -1;
  std::size_t width = 1;       // Level: inputs in all
  std::vector<double> scores;  // Score: the levels' values, scaled

  // Date: days since 1970-01-01, or seconds if `clock`; a missing one is zero in all inputs. `shift` and `scale` are
  // for the year.
  unsigned parts = 0;
  bool clock = false;

  std::size_t inputs() const;
};

class Encoder {
 public:
  explicit Encoder(std::vector<ColumnPlan> plans);  // throws std::invalid_argument for a plan that can't be followed
  std::size_t inputs() const { return inputs_; }
  std::size_t columns() const { return plans_.size(); }

  // Writes rows `from` .. `from + count - 1` of `rows` (numbers of table rows; all rows if it is empty) to `out`, rows
  // `stride` apart. What lies behind a row's inputs is left alone.
  template <class T>
  void encode(Span<const SourceColumn> columns, Span<const std::uint32_t> rows, std::size_t from, std::size_t count,
              T* out, std::size_t stride) const;

 private:
  std::vector<ColumnPlan> plans_;
  std::size_t inputs_ = 0;
};

// Encodes `rows` (all rows if it is empty) into the table's inputs, on several threads, each part of rows by one of
// them.
template <class T>
void fill_inputs(Table<T>& table, const Encoder& encoder, Span<const SourceColumn> columns,
                 Span<const std::uint32_t> rows, std::size_t threads);

// All dates of a column, days since 1970-01-01 or, with `clock`, seconds.
std::vector<SplitDate> split_dates(const SourceColumn& column, std::size_t rows, bool clock, std::size_t threads);

// Year, month (1 to 12), day, day of the year (from 0) and weekday (0 for Monday) of a day number, in the proleptic
// Gregorian calendar.
struct CivilDate {
  int year, month, day, day_of_year, weekday;
};
CivilDate civil_date(std::int64_t days);

}  // namespace hylo
