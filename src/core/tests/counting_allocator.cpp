#include "counting_allocator.hpp"

#include <cstdlib>
#include <new>

namespace hylo_test {
bool count_allocations = false;
long allocations = 0;
}  // namespace hylo_test

namespace {

#ifdef _WIN32
void* aligned(std::size_t align, std::size_t n) { return _aligned_malloc(n, align); }
void free_aligned(void* p) { _aligned_free(p); }
#else
void* aligned(std::size_t align, std::size_t n) { return std::aligned_alloc(align, n); }
void free_aligned(void* p) { std::free(p); }
#endif

}  // namespace

void* operator new(std::size_t n) {
  if (hylo_test::count_allocations) ++hylo_test::allocations;
  if (void* p = std::malloc(n)) return p;
  throw std::bad_alloc();
}
void* operator new(std::size_t n, std::align_val_t a) {
  if (hylo_test::count_allocations) ++hylo_test::allocations;
  const std::size_t align = std::size_t(a);
  if (void* p = aligned(align, (n + align - 1) / align * align)) return p;
  throw std::bad_alloc();
}
void operator delete(void* p) noexcept { std::free(p); }
void operator delete(void* p, std::size_t) noexcept { std::free(p); }
void operator delete(void* p, std::align_val_t) noexcept { free_aligned(p); }
void operator delete(void* p, std::size_t, std::align_val_t) noexcept { free_aligned(p); }
