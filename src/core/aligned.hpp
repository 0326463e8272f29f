// Vectors whose storage starts on a cache line, and the row length that keeps every row of a matrix on one.
#pragma once
#include <cstddef>
#include <cstdlib>
#include <new>
#include <vector>

namespace hylo {

inline constexpr std::size_t kCacheLine = 64;

template <class T>
struct AlignedAllocator {
  using value_type = T;
  AlignedAllocator() = default;
  template <class U>
  AlignedAllocator(const AlignedAllocator<U>&) {}
  T* allocate(std::size_t n) { return static_cast<T*>(::operator new(n * sizeof(T), std::align_val_t(kCacheLine))); }
  void deallocate(T* p, std::size_t) { ::operator delete(p, std::align_val_t(kCacheLine)); }
  template <class U>
  bool operator==(const AlignedAllocator<U>&) const {
    return true;
  }
  template <class U>
  bool operator!=(const AlignedAllocator<U>&) const {
    return false;
  }
};

template <class T>
using AlignedVector = std::vector<T, AlignedAllocator<T>>;

// Leaves its elements alone until they are written: a large table is first touched by the threads that fill it.
template <class T>
struct UnfilledAllocator : AlignedAllocator<T> {
  using value_type = T;
  template <class U>
  struct rebind {
    using other = UnfilledAllocator<U>;
  };
  UnfilledAllocator() = default;
  template <class U>
  UnfilledAllocator(const UnfilledAllocator<U>&) {}
  template <class U>
  void construct(U* p) {
    ::new (static_cast<void*>(p)) U;
  }
};

template <class T>
using UnfilledVector = std::vector<T, UnfilledAllocator<T>>;

// The number of elements from one row to the next: the width, rounded up to whole cache lines. The elements behind
// the width are kept at zero, so that vector code may read and write them without a remainder loop. A row of a multiple
// of eight lines gets one more: at such distances, rows fall into few sets of the cache and push each other out.
template <class T>
constexpr std::size_t row_stride(std::size_t width) {
  constexpr std::size_t step = kCacheLine / sizeof(T);
  const std::size_t lines = (width + step - 1) / step;
  return (lines + (lines > 0 && lines % 8 == 0)) * step;
}

}  // namespace hylo
