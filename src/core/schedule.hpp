// How the learning rate changes from epoch to epoch, as a multiple of the one that was set.
//
//   Constant     1
//   Step         factor^floor((epoch - 1) / every)
//   Exponential  factor^(epoch - 1)
//   Cosine       floor + (1 - floor) (1 + cos(pi (epoch - 1) / (epochs - 1))) / 2      (Loshchilov and Hutter 2017)
//   Plateau      times factor whenever the loss has not reached a new low for `every` epochs
//
// In the first `warm_up` epochs it is epoch / (warm_up + 1) of that, as in Goyal et al. (2017).
#pragma once
#include <cstddef>
#include <limits>
#include <string_view>

#include "archive.hpp"

namespace hylo {

enum class ScheduleKind { Constant, Step, Exponential, Cosine, Plateau };
ScheduleKind schedule_named(std::string_view name);

struct ScheduleSpec {
  ScheduleKind kind = ScheduleKind::Constant;
  std::size_t every = 10;
  double factor = 0.5;
  double floor = 0;
  std::size_t warm_up = 0;
};

class Schedule {
 public:
  Schedule(const ScheduleSpec& spec, std::size_t epochs) : spec_(spec), epochs_(epochs) {}
  double rate(std::size_t epoch) const;  // epochs count from 1
  void observe(double loss);             // after each epoch
  void serialise(Archive& archive) { archive(plateau_, lowest_, waited_); }

 private:
  ScheduleSpec spec_;
  std::size_t epochs_;
  double plateau_ = 1, lowest_ = std::numeric_limits<double>::infinity();
  std::size_t waited_ = 0;
};

}  // namespace hylo
