// Counts the calls of `new` while asked to; the operators are replaced for the whole test program.
#pragma once

namespace hylo_test {
extern bool count_allocations;
extern long allocations;
}  // namespace hylo_test
