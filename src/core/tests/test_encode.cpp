#include <catch.h>

#include <atomic>
#include <cmath>
#include <stdexcept>

#include "encode.hpp"
#include "helpers.hpp"
#include "parallel.hpp"
#include "summary.hpp"

using namespace hylo_test;

namespace {

std::vector<double> encoded(const ColumnPlan& plan, const SourceColumn& column, std::size_t rows) {
  const Encoder encoder({plan});
  std::vector<double> out(rows * encoder.inputs(), -99);
  encoder.encode<double>(Span<const SourceColumn>(&column, 1), {}, 0, rows, out.data(), encoder.inputs());
  return out;
}

const double kNaN = std::numeric_limits<double>::quiet_NaN();

}  // namespace

TEST_CASE("the time of a day that is too far for a double to tell it is one of the day's") {
  ColumnPlan plan;
  plan.encoding = Encoding::Date;
  plan.parts = kHour | kSeason;
  plan.clock = true;
  const Encoder encoder({plan});
  for (const double scale : {1e10, 1e13, 1.2e13, 1e15, 1e17, 1e20, 1e30}) {
    std::vector<double> cells(200);
    for (std::size_t i = 0; i < cells.size(); ++i) cells[i] = (i % 2 ? 1 : -1) * scale * (1 + double(i) / 7);
    std::vector<SourceColumn> columns(1);
    columns[0].real = cells.data();
    std::vector<double> out(cells.size() * encoder.inputs());
    encoder.encode<double>(columns, {}, 0, cells.size(), out.data(), encoder.inputs());
    for (const double x : out) CHECK(std::fabs(x) <= 1);
  }
}

TEST_CASE("numbers are filled, clipped, scaled and flagged") {
  const std::vector<double> x = {1, kNaN, 100, -100};
  ColumnPlan plan;
  plan.fill = 2;
  plan.shift = 1;
  plan.scale = 4;
  plan.low = -3;
  plan.high = 9;
  plan.flag = true;
  CHECK(encoded(plan, {x.data(), nullptr}, 4) == (std::vector<double>{0, 0, 0.25, 1, 2, 0, -1, 0}));
  const std::vector<std::int32_t> whole = {5, kMissingWhole};
  plan.flag = false;
  CHECK(encoded(plan, {nullptr, whole.data()}, 2) == (std::vector<double>{1, 0.25}));
}

TEST_CASE("knots map linearly between them and level outside") {
  const std::vector<double> x = {-5, 0, 1, 3, 10};
  ColumnPlan plan;
  plan.knots = {0, 2, 4};
  plan.heights = {-1, 0, 3};
  CHECK(encoded(plan, {x.data(), nullptr}, 5) == (std::vector<double>{-1, -1, -0.5, 1.5, 3}));
}

TEST_CASE("pieces go from 0 to 1 one after another, and waves turn behind the value") {
  const std::vector<double> x = {-5, 0, 1, 3, 10, kNaN};
  ColumnPlan plan;
  plan.edges = {0, 2, 4};
  plan.fill = 1;
  plan.flag = true;
  CHECK(encoded(plan, {x.data(), nullptr}, 6) ==
        (std::vector<double>{0, 0, 0, 0, 0, 0, 0.5, 0, 0, 1, 0.5, 0, 1, 1, 0, 0.5, 0, 1}));
  ColumnPlan waves;
  waves.scale = 2;
  waves.waves = {0.25, 1};
  const auto row = encoded(waves, {x.data() + 2, nullptr}, 1);  // half a unit
  CHECK(row.size() == 5);
  CHECK(row[0] == 0.5);
  CHECK(row[1] == Approx(std::sin(3.141592653589793 / 4)));
  CHECK(row[4] == Approx(-1));
  ColumnPlan unfilled;
  unfilled.fill = std::nan("");
  unfilled.knots = {0, 1};
  unfilled.heights = {2, 3};
  const double gap = std::nan("");
  CHECK(std::isnan(encoded(unfilled, {&gap, nullptr}, 1)[0]));
  unfilled.knots = {0, gap};
  CHECK_THROWS_AS(Encoder({unfilled}), std::invalid_argument);
  plan.edges = {0, 0, 4};
  CHECK_THROWS_AS(Encoder({plan}), std::invalid_argument);
  plan.edges = {1};
  CHECK_THROWS_AS(Encoder({plan}), std::invalid_argument);
}

TEST_CASE("levels, unseen ones and gaps have their places") {
  const std::vector<std::int32_t> codes = {2, 0, kMissingWhole};
  ColumnPlan plan;
  plan.encoding = Encoding::Level;
  plan.levels = 2;
  plan.width = 4;
  plan.unseen = 2;
  plan.missing = 3;
  CHECK(encoded(plan, {nullptr, codes.data()}, 3) == (std::vector<double>{0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1}));
  plan.unseen = plan.missing = -1;
  plan.width = 2;
  CHECK(encoded(plan, {nullptr, codes.data()}, 3) == (std::vector<double>{0, 1, 0, 0, 0, 0}));
  plan.encoding = Encoding::Score;
  plan.scores = {0.5, 0.7};
  plan.unseen = 0.1;
  plan.missing = 0.2;
  CHECK(encoded(plan, {nullptr, codes.data()}, 3) == (std::vector<double>{0.7, 0.1, 0.2}));
}

TEST_CASE("civil dates agree with the calendar, leap years and all") {
  int year = 1896, month = 1, day = 1, day_of_year = 0;
  const int lengths[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  for (std::int64_t days = -27028; days < 60000; ++days) {  // from 1896-01-01, over 1900 (no leap year) and 2000
    const CivilDate date = civil_date(days);
    REQUIRE(date.year == year);
    REQUIRE(date.month == month);
    REQUIRE(date.day == day);
    REQUIRE(date.day_of_year == day_of_year);
    const bool leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
    ++day_of_year;
    if (++day > lengths[month - 1] + (month == 2 && leap)) {
      day = 1;
      if (++month > 12) {
        month = 1;
        day_of_year = 0;
        ++year;
      }
    }
  }
  CHECK(civil_date(0).weekday == 3);   // Thursday
  CHECK(civil_date(-4).weekday == 6);  // Sunday
}

TEST_CASE("times give the place in the day") {
  const std::vector<double> at = {86400 * 3 + 6 * 3600, -3600, kNaN};  // 06:00, 23:00, missing
  ColumnPlan plan;
  plan.encoding = Encoding::Date;
  plan.clock = true;
  plan.parts = kHour;
  const auto out = encoded(plan, {at.data(), nullptr}, 3);
  CHECK(out[0] == Approx(1));
  CHECK(out[1] == Approx(0).margin(1e-12));
  CHECK(out[3] == Approx(std::cos(2 * 3.14159265358979323846 * 23 / 24)));
  CHECK((out[4] == 0 && out[5] == 0));
}

TEST_CASE("chosen rows are encoded in their order") {
  const std::vector<double> x = {0, 1, 2, 3};
  const std::vector<std::uint32_t> rows = {3, 0, 2};
  const SourceColumn column = {x.data(), nullptr};
  const Encoder encoder({ColumnPlan()});
  float out[2];
  encoder.encode<float>(Span<const SourceColumn>(&column, 1), rows, 1, 2, out, 1);
  CHECK((out[0] == 0 && out[1] == 2));
}

TEST_CASE("summaries count gaps and interpolate quantiles") {
  const std::vector<double> x = {4, kNaN, 1, 3, 2};
  const std::vector<double> shares = {0.5, 0, 1, 0.25, 0.1};
  std::vector<double> scratch;
  const NumberSummary s = summarise({x.data(), nullptr}, 5, {}, {}, shares, scratch);
  CHECK(s.gaps == 1);
  CHECK(s.mean == 2.5);
  CHECK(s.deviation == Approx(std::sqrt(5.0 / 3)));
  CHECK(s.quantiles == (std::vector<double>{2.5, 1, 4, 1.75, 1.3}));
  CHECK(s.whole);
  CHECK_FALSE(s.binary);
  const std::vector<std::uint32_t> none = {1};
  CHECK(std::isnan(summarise({x.data(), nullptr}, 5, none, {}, shares, scratch).quantiles[0]));
}

TEST_CASE("every part of a range is worked on once, on any number of threads, and a failure comes back") {
  for (std::size_t threads : {1, 2, 7}) {
    std::vector<std::atomic<int>> seen(1000);
    in_parts(1000, 64, threads, [&](std::size_t from, std::size_t to) {
      for (std::size_t i = from; i < to; ++i) ++seen[i];
    });
    for (const auto& times : seen) CHECK(times == 1);
    CHECK_THROWS_AS(in_parts(1000, 64, threads,
                             [](std::size_t from, std::size_t) {
                               if (from == 128) throw std::runtime_error("no");
                             }),
                    std::runtime_error);
  }
  in_parts(0, 64, 4, [](std::size_t, std::size_t) { FAIL("there is nothing to do"); });
}
