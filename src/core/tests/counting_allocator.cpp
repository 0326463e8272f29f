#include "counting_allocator.hpp"

#include <cstdlib>
#include <new>

namespace hylo_test {
bool count_allocations = false;
long allocations = 0;
}  // namespace hylo_test

void* operator new(std::size_t n) {
  if (hylo_test::count_allocations) ++hylo_test::allocations;
  if (void* p = std::malloc(n)) return p;
  throw std::bad_alloc();
}
void* operator new(std::size_t n, std::align_val_t a) {
  if (hylo_test::count_allocations) ++hylo_test::allocations;
  const std::size_t align = std::size_t(a);
  if (void* p = std::aligned_alloc(align, (n + align - 1) / align * align)) return p;
  throw std::bad_alloc();
}
void operator delete(void* p) noexcept { std::free(p); }
void operator delete(void* p, std::size_t) noexcept { std::free(p); }
void operator delete(void* p, std::align_val_t) noexcept { std::free(p); }
void operator delete(void* p, std::size_t, std::align_val_t) noexcept { std::free(p); }
