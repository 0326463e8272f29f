#include "contraction.hpp"

#include "schedule.hpp"

#include <cmath>

#include "names.hpp"

namespace hylo {

ScheduleKind schedule_named(std::string_view name) {
  static constexpr std::pair<std::string_view, ScheduleKind> table[] = {{"constant", ScheduleKind::Constant},
                                                                        {"step", ScheduleKind::Step},
                                                                        {"exponential", ScheduleKind::Exponential},
                                                                        {"cosine", ScheduleKind::Cosine},
                                                                        {"plateau", ScheduleKind::Plateau}};
  return named(table, name, "schedule");
}

double Schedule::rate(std::size_t epoch) const {
  const double done = double(epoch - 1);
  double rate = 1;
  switch (spec_.kind) {
    case ScheduleKind::Constant: break;
    case ScheduleKind::Step: rate = std::pow(spec_.factor, std::floor(done / double(spec_.every))); break;
    case ScheduleKind::Exponential: rate = std::pow(spec_.factor, done); break;
    case ScheduleKind::Cosine: {
      const double share = epochs_ > 1 ? done / double(epochs_ - 1) : 0;
      rate = spec_.floor + (1 - spec_.floor) * (1 + std::cos(3.141592653589793 * share)) / 2;
      break;
    }
    case ScheduleKind::Plateau: rate = plateau_; break;
  }
  return epoch <= spec_.warm_up ? rate * double(epoch) / double(spec_.warm_up + 1) : rate;
}

void Schedule::observe(double loss) {
  if (loss < lowest_) {
    lowest_ = loss;
    waited_ = 0;
  } else if (++waited_ >= spec_.every) {
    plateau_ *= spec_.factor;
    waited_ = 0;
  }
}

}  // namespace hylo
