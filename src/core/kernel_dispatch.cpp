#include <cstdlib>
#include <stdexcept>

#include "kernel.hpp"

namespace hylo {

std::vector<const KernelLevel*> kernel_levels() {
  std::vector<const KernelLevel*> levels = {&kernel_generic()};
#if defined(__x86_64__) && !defined(_WIN32)  // the stack of 64-bit Windows isn't aligned for wider vectors
  for (const KernelLevel* level : {&kernel_avx2(), &kernel_avx512()}) {
    if (level->runs_here()) levels.push_back(level);
  }
#elif defined(__aarch64__)
  levels.push_back(&kernel_neon());
#endif
  return levels;
}

const KernelLevel& kernel_level() {
  const std::vector<const KernelLevel*> levels = kernel_levels();
  const char* wanted = std::getenv("HYLOMATH_KERNEL");
  if (wanted == nullptr || *wanted == '\0') return *levels.back();
  std::string known;
  for (const KernelLevel* level : levels) {
    if (std::string(level->name) == wanted) return *level;
    known += (known.empty() ? "" : ", ") + std::string(level->name);
  }
  throw std::invalid_argument("HYLOMATH_KERNEL is '" + std::string(wanted) + "'; this processor runs " + known);
}

template <>
const Kernel<float>& kernel_of<float>(const KernelLevel& level) {
  return level.single;
}
template <>
const Kernel<double>& kernel_of<double>(const KernelLevel& level) {
  return level.precise;
}

}  // namespace hylo
