// kernel_body.hpp for both element types. The including file defines HYLO_BYTES, HYLO_TILE_ROWS,
// HYLO_MAD_SINGLE, HYLO_MAD_DOUBLE,
// HYLO_SQRT_SINGLE and HYLO_SQRT_DOUBLE.
namespace {
namespace single {
#define HYLO_REAL float
#define HYLO_INT std::int32_t
#define HYLO_SQRT(v) HYLO_SQRT_SINGLE(v)
#define HYLO_MAD(a, b, c) HYLO_MAD_SINGLE(a, b, c)
#include "kernel_body.hpp"
#undef HYLO_REAL
#undef HYLO_INT
#undef HYLO_SQRT
#undef HYLO_MAD
}  // namespace single
namespace precise {
#define HYLO_REAL double
#define HYLO_INT std::int64_t
#define HYLO_SQRT(v) HYLO_SQRT_DOUBLE(v)
#define HYLO_MAD(a, b, c) HYLO_MAD_DOUBLE(a, b, c)
#include "kernel_body.hpp"
#undef HYLO_REAL
#undef HYLO_INT
#undef HYLO_SQRT
#undef HYLO_MAD
}  // namespace precise
}  // namespace
