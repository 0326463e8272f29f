// The kernels for one element type and one instruction set. The including file defines
//   HYLO_REAL, HYLO_INT          the element type and the integer type of its size
//   HYLO_BYTES                   bytes in a vector
//   HYLO_TILE_ROWS               for each number of vectors, the rows of a tile that `multiply` holds in registers
//   HYLO_SQRT(v)                 square root of each lane
//   HYLO_MAD(a, b, c)            a * b + c, fused where the set has it
// Nothing else is fused: the including files switch contraction off, so that a result doesn't hang on the compiler.
// and stands in a namespace of its own. No header may be included from here on.

typedef HYLO_REAL real;
typedef real vec __attribute__((vector_size(HYLO_BYTES), may_alias));
typedef HYLO_INT ivec __attribute__((vector_size(HYLO_BYTES), may_alias));
constexpr std::size_t lanes = HYLO_BYTES / sizeof(real);
constexpr bool is_double = sizeof(real) == 8;

inline vec& at(real* p) { return *reinterpret_cast<vec*>(p); }
inline const vec& at(const real* p) { return *reinterpret_cast<const vec*>(p); }
inline vec mad(vec a, vec b, vec c) { return HYLO_MAD(a, b, c); }
inline vec all(real x) { return x - vec{}; }  // x - 0 is x, and folded to a mere broadcast; 0 + x is not, for -0

// ---- exponential ------------------------------------------------------------------------------------------------
// exp(x) = 2^n exp(r) with n = round(x / ln 2), |r| <= ln(2) / 2 (Cody and Waite 1980), and a Taylor polynomial of
// exp(r) - 1 that is cut where the rest is below half a unit in the last place.

struct Split {
  vec scale;  // 2^n
  vec rest;   // exp(r) - 1
};

inline Split split_exponential(vec x) {
  const real magic = is_double ? real(6755399441055744.0) : real(12582912.0);  // 1.5 * 2^(digits - 1)
  const real ln2_high = is_double ? real(6.93147180369123816490e-01) : real(0.693145751953125);
  const real ln2_low = is_double ? real(1.90821492927058770002e-10) : real(1.42860682030941723212e-6);
  const vec shifted = mad(x, all(real(1.4426950408889634)), all(magic));
  const vec n = shifted - magic;
  const vec r = mad(n, all(-ln2_low), mad(n, all(-ln2_high), x));
  vec p;
  if (is_double) {
    p = all(real(1.0 / 6227020800.0));
    p = mad(p, r, all(real(1.0 / 479001600.0)));
    p = mad(p, r, all(real(1.0 / 39916800.0)));
    p = mad(p, r, all(real(1.0 / 3628800.0)));
    p = mad(p, r, all(real(1.0 / 362880.0)));
    p = mad(p, r, all(real(1.0 / 40320.0)));
    p = mad(p, r, all(real(1.0 / 5040.0)));
  } else {
    p = all(real(1.0 / 5040.0));
  }
  p = mad(p, r, all(real(1.0 / 720.0)));
  p = mad(p, r, all(real(1.0 / 120.0)));
  p = mad(p, r, all(real(1.0 / 24.0)));
  p = mad(p, r, all(real(1.0 / 6.0)));
  p = mad(p, r, all(real(0.5)));
  p = mad(p * r, r, r);
  constexpr int mantissa = is_double ? 52 : 23;
  constexpr HYLO_INT bias = is_double ? 1023 : 127;
  ivec whole;
  std::memcpy(&whole, &shifted, sizeof whole);
  whole = (whole + bias) << mantissa;  // the low bits of `shifted` hold n
  vec scale;
  std::memcpy(&scale, &whole, sizeof scale);
  return {scale, p};
}

// A NaN fails both comparisons and passes through.
inline vec clamp(vec x, real low, real high) {
  x = x < low ? all(low) : x;
  return x > high ? all(high) : x;
}

// Up to where 1 over it, which the logistic needs, is a normal number still.
inline vec exponential(vec x) {
  const Split s = split_exponential(clamp(x, is_double ? real(-708) : real(-87), is_double ? real(708) : real(87)));
  return mad(s.scale, s.rest, s.scale);
}

// a / x for normal x above 0 whose reciprocal is normal. In single precision by Newton's iteration from an estimate in
// the exponent's bits, as for roots below: to a unit in the last place, and faster than the instruction.
inline vec over(vec a, vec x) {
  if constexpr (is_double) {
    return a / x;
  } else {
    ivec bits;
    std::memcpy(&bits, &x, sizeof bits);
    bits = HYLO_INT(0x7EF311C7) - bits;
    vec u;
    std::memcpy(&u, &bits, sizeof u);
    HYLO_UNROLL
    for (int k = 0; k < 3; ++k) u = u * mad(-x, u, all(real(2)));
    return a * u;
  }
}

inline vec logistic_of(vec x) { return over(all(real(1)), real(1) + exponential(-x)); }

// tanh(|x|) = e / (e + 2) with e = exp(2|x|) - 1, which keeps its digits near zero.
inline vec tanh_of(vec x) {
  const vec size = x < real(0) ? -x : x;
  const Split s = split_exponential(clamp(size + size, real(0), is_double ? real(44) : real(22)));
  const vec e = mad(s.scale, s.rest, s.scale - real(1));
  const vec t = over(e, e + real(2));
  return x < real(0) ? -t : t;
}

inline vec expm1_of(vec x) {
  const Split s = split_exponential(clamp(x, is_double ? real(-708) : real(-87), is_double ? real(709) : real(88)));
  return mad(s.scale, s.rest, s.scale - real(1));
}

// ---- logarithm --------------------------------------------------------------------------------------------------
// 2 atanh(s) = log((1 + s) / (1 - s)), by its series up to where the rest is below half a unit in the last place.

template <int Terms>
inline vec twice_atanh(vec s) {
  const vec t = s * s;
  vec p = all(real(1) / real(2 * Terms + 1));
  HYLO_UNROLL
  for (int k = Terms - 1; k >= 1; --k) p = mad(p, t, all(real(1) / real(2 * k + 1)));
  return mad(s + s, p * t, s + s);
}

// x above 0 and normal; 0 gives about -88 (double: -709).
inline vec logarithm(vec x) {
  constexpr int mantissa = is_double ? 52 : 23;
  constexpr HYLO_INT bias = is_double ? 1023 : 127;
  ivec bits;
  std::memcpy(&bits, &x, sizeof bits);
  ivec exponent = (bits >> mantissa) - bias;
  bits = (bits & ((HYLO_INT(1) << mantissa) - 1)) | (bias << mantissa);
  vec m;
  std::memcpy(&m, &bits, sizeof m);  // in [1, 2), brought to [0.71, 1.42)
  const ivec high = m > real(1.4142135623730951);
  m = m > real(1.4142135623730951) ? m * real(0.5) : m;
  exponent -= high;  // true is -1
  const vec f = m - real(1);
  constexpr int terms = is_double ? 11 : 5;
  const vec powers = __builtin_convertvector(exponent, vec) * real(0.6931471805599453);
  const vec result = twice_atanh<terms>(f / (f + real(2))) + powers;
  return x != x ? x : result;
}

// log(1 + u) for u in [0, 1]
inline vec log1p_of(vec u) {
  constexpr int terms = is_double ? 17 : 8;
  return twice_atanh<terms>(u / (u + real(2)));
}

// log(1 + exp(z)) = max(z, 0) + log(1 + exp(-|z|))
inline vec softplus_of(vec z) {
  const vec size = z < real(0) ? z : -z;
  return (z < real(0) ? vec{} : z) + log1p_of(exponential(size));
}

// ---- sine -------------------------------------------------------------------------------------------------------
// sin(x) = (-1)^n sin(r), r = x - n pi, and cos(x) = (-1)^n sin(r) with r = x - (n - 1/2) pi; pi in three parts (Cody
// and Waite 1980), the Taylor series of the sine on |r| <= pi / 2. For arguments up to some ten thousand.

inline vec sine_about(vec x, real half) {
  const real magic = is_double ? real(6755399441055744.0) : real(12582912.0);
  const real pi1 = is_double ? real(3.1415926218032837) : real(3.140625);
  const real pi2 = is_double ? real(3.1786509424591713e-08) : real(9.67502593994140625e-4);
  const real pi3 = is_double ? real(1.2246467864107189e-16) : real(1.509957990978376e-7);
  const vec shifted = mad(x, all(real(0.3183098861837907)), all(half)) + magic;
  const vec n = (shifted - magic) - half;
  const vec r = mad(n, all(-pi3), mad(n, all(-pi2), mad(n, all(-pi1), x)));
  const vec t = r * r;
  vec p;
  if (is_double) {
    p = all(real(-1.0 / 25852016738884976640000.0));
    p = mad(p, t, all(real(1.0 / 51090942171709440000.0)));
    p = mad(p, t, all(real(-1.0 / 121645100408832000.0)));
    p = mad(p, t, all(real(1.0 / 355687428096000.0)));
    p = mad(p, t, all(real(-1.0 / 1307674368000.0)));
    p = mad(p, t, all(real(1.0 / 6227020800.0)));
  } else {
    p = all(real(1.0 / 6227020800.0));
  }
  p = mad(p, t, all(real(-1.0 / 39916800.0)));
  p = mad(p, t, all(real(1.0 / 362880.0)));
  p = mad(p, t, all(real(-1.0 / 5040.0)));
  p = mad(p, t, all(real(1.0 / 120.0)));
  p = mad(p, t, all(real(-1.0 / 6.0)));
  const vec value = mad(r, p * t, r);
  ivec odd;
  std::memcpy(&odd, &shifted, sizeof odd);
  return (odd & 1) != 0 ? -value : value;
}

inline vec sine_of(vec x) { return sine_about(x, real(0)); }
inline vec cosine_of(vec x) { return sine_about(x, real(0.5)); }

// ---- matrix product ---------------------------------------------------------------------------------------------

// Adjacent: a's rows stand next to each other (a_row is 1), which leaves the registers free that addresses would take.
// Rows from the eighth on are reached from a second base for the same reason. What is read of `p` is read once, into
// constants: the compiler must take it that storing to c could change p.
template <int M, int V, bool Adjacent>
void tile(const Product<real>& p, std::size_t row, std::size_t column) {
  const std::size_t a_row = Adjacent ? 1 : p.left.row, a_column = p.left.column, b_row = p.right.row;
  const std::size_t c_row = p.result.row, depth = p.extent.depth;
  const real* gate = p.gate;
  const Finish finish = p.finish;
  real* c = p.result.at + row * c_row + column;
  vec sum[M][V];
  if (p.start.at != nullptr) {
    const std::size_t start_row = p.start.row;
    const real* start = p.start.at + row * start_row + column;
    HYLO_UNROLL
    for (int i = 0; i < M; ++i, start += start_row) {
      HYLO_UNROLL
      for (int v = 0; v < V; ++v) sum[i][v] = at(start + v * lanes);
    }
  } else {
    HYLO_UNROLL
    for (int i = 0; i < M; ++i) {
      HYLO_UNROLL
      for (int v = 0; v < V; ++v) sum[i][v] = vec{};
    }
  }
  const real* a = p.left.at + row * p.left.row;
  const real* beyond = a + 8 * a_row;
  const real* b = p.right.at + column;
  for (std::size_t k = 0; k < depth; ++k, a += a_column, beyond += a_column, b += b_row) {
    vec right[V];
    HYLO_UNROLL
    for (int v = 0; v < V; ++v) right[v] = at(b + v * lanes);
    HYLO_UNROLL
    for (int i = 0; i < M; ++i) {
      const vec left = all(i < 8 ? a[i * a_row] : beyond[(i - 8) * a_row]);
      HYLO_UNROLL
      for (int v = 0; v < V; ++v) sum[i][v] = mad(left, right[v], sum[i][v]);
    }
  }
  if (finish == Finish::Rectify) {
    HYLO_UNROLL
    for (int i = 0; i < M; ++i) {
      HYLO_UNROLL
      for (int v = 0; v < V; ++v) sum[i][v] = sum[i][v] < real(0) ? vec{} : sum[i][v];  // a NaN stays one
    }
  } else if (finish == Finish::RectifyBack) {
    gate += row * c_row + column;
    HYLO_UNROLL
    for (int i = 0; i < M; ++i, gate += c_row) {
      HYLO_UNROLL
      for (int v = 0; v < V; ++v) sum[i][v] = at(gate + v * lanes) > real(0) ? sum[i][v] : vec{};
    }
  }
  HYLO_UNROLL
  for (int i = 0; i < M; ++i, c += c_row) {
    HYLO_UNROLL
    for (int v = 0; v < V; ++v) at(c + v * lanes) = sum[i][v];
  }
}

constexpr int tile_rows[] = HYLO_TILE_ROWS;
constexpr int widest_tile = int(sizeof tile_rows / sizeof tile_rows[0]) - 1;

template <int V, bool Adjacent>
void column_of_tiles(const Product<real>& p, std::size_t column) {
  constexpr int M = tile_rows[V];
  std::size_t row = 0;
  for (; row + M <= p.extent.rows; row += M) tile<M, V, Adjacent>(p, row, column);
  if constexpr (M > 8) {
    if (row + 8 <= p.extent.rows) tile<8, V, Adjacent>(p, row, column), row += 8;
  }
  if constexpr (M > 4) {
    if (row + 4 <= p.extent.rows) tile<4, V, Adjacent>(p, row, column), row += 4;
  }
  if (row + 2 <= p.extent.rows) tile<2, V, Adjacent>(p, row, column), row += 2;
  if (row < p.extent.rows) tile<1, V, Adjacent>(p, row, column);
}

template <bool Adjacent>
void columns_of_tiles(const Product<real>& p) {
  const std::size_t vectors = (p.extent.columns + lanes - 1) / lanes;
  std::size_t v = 0;
  for (; v + widest_tile <= vectors; v += widest_tile) column_of_tiles<widest_tile, Adjacent>(p, v * lanes);
  if constexpr (widest_tile > 3) {
    if (v + 3 == vectors) return column_of_tiles<3, Adjacent>(p, v * lanes);
  }
  if constexpr (widest_tile > 2) {
    if (v + 2 == vectors) return column_of_tiles<2, Adjacent>(p, v * lanes);
  }
  if (v < vectors) column_of_tiles<1, Adjacent>(p, v * lanes);
}

// Columns outside, rows inside: the panel of b stays in the first-level cache while a streams past it.
void multiply(const Product<real>& p) {
  if (p.left.row == 1) return columns_of_tiles<true>(p);
  columns_of_tiles<false>(p);
}

// A square of lanes x lanes is transposed in registers: at distance 1, 2, 4, ... pairs of rows exchange the halves of
// their stretches of that length.
#if defined(__clang__)
inline vec shuffled(vec a, vec b, ivec places) {
  vec result;
  for (std::size_t e = 0; e < lanes; ++e)
    result[e] = places[e] < HYLO_INT(lanes) ? a[places[e]] : b[places[e] - HYLO_INT(lanes)];
  return result;
}
#endif

template <int Distance>
inline void exchange(vec* row) {
  if constexpr (Distance < int(lanes)) {
    ivec low{}, high{};
    HYLO_UNROLL
    for (int e = 0; e < int(lanes); ++e) {
      low[e] = (e & Distance) ? int(lanes) + e - Distance : e;
      high[e] = (e & Distance) ? int(lanes) + e : e + Distance;
    }
    HYLO_UNROLL
    for (int i = 0; i < int(lanes); ++i) {
      if (i & Distance) continue;
      const vec a = row[i], b = row[i + Distance];
      row[i] = HYLO_SHUFFLE(a, b, low);
      row[i + Distance] = HYLO_SHUFFLE(a, b, high);
    }
    exchange<2 * Distance>(row);
  }
}

void transpose(const Transposition<real>& t) {
  const std::size_t rows = t.rows, width = t.width, stride = t.stride, to_stride = t.to_stride;
  const real* from = t.from;
  real* to = t.to;
  for (std::size_t i = 0; i < rows; i += lanes) {
    for (std::size_t j = 0; j < width; j += lanes) {
      if (i + lanes <= rows && j + lanes <= width) {
        vec square[lanes];
        HYLO_UNROLL
        for (std::size_t lane = 0; lane < lanes; ++lane) square[lane] = at(from + (i + lane) * stride + j);
        exchange<1>(square);
        HYLO_UNROLL
        for (std::size_t lane = 0; lane < lanes; ++lane) at(to + (j + lane) * to_stride + i) = square[lane];
        continue;
      }
      const std::size_t last = i + lanes < rows ? i + lanes : rows, end = j + lanes < width ? j + lanes : width;
      for (std::size_t k = j; k < end; ++k) {
        for (std::size_t r = i; r < last; ++r) to[k * to_stride + r] = from[r * stride + k];
      }
    }
  }
}

constexpr std::size_t kAhead = 12;  // rows come from anywhere in the table: they are called for in advance

void gather(const Gathering<real>& g) {
  const std::size_t stride = g.stride, last = g.count - 1;
  for (std::size_t i = 0; i < g.count; ++i) {
    const real* row = g.from + std::size_t(g.rows[i]) * stride;
    const real* ahead = g.from + std::size_t(g.rows[i + kAhead < g.count ? i + kAhead : last]) * stride;
    for (std::size_t j = 0; j < stride; j += 64 / sizeof(real)) __builtin_prefetch(ahead + j);
    for (std::size_t j = 0; j < stride; j += lanes) at(g.to + i * g.to_stride + j) = at(row + j);
  }
}

// ---- activations ------------------------------------------------------------------------------------------------
// Plain loops, no lambdas: the function a lambda converts to would be compiled without the instruction set.

#define HYLO_EACH(expression)                      \
  for (std::size_t i = 0; i < count; i += lanes) { \
    const vec z = at(x + i);                       \
    at(x + i) = (expression);                      \
  }                                                \
  return

inline vec gelu_inner(vec z) { return tanh_of(real(0.7978845608028654) * (z + real(0.044715) * z * z * z)); }

void activate(Activation f, real* x, std::size_t count) {
  switch (f) {
    case Activation::Identity: return;
    case Activation::Logistic: HYLO_EACH(logistic_of(z));
    case Activation::Tanh: HYLO_EACH(tanh_of(z));
    case Activation::Relu: HYLO_EACH(z < real(0) ? vec{} : z);  // written so that a NaN stays one
    case Activation::LeakyRelu: HYLO_EACH(z < real(0) ? real(kLeak) * z : z);
    case Activation::Elu: HYLO_EACH(z < real(0) ? expm1_of(z) : z);
    case Activation::Selu: HYLO_EACH(real(kSeluScale) * (z < real(0) ? real(kSeluAlpha) * expm1_of(z) : z));
    case Activation::Gelu: HYLO_EACH(real(0.5) * z * (real(1) + gelu_inner(z)));
    case Activation::Silu: HYLO_EACH(z * logistic_of(z));
    case Activation::Softplus: HYLO_EACH(softplus_of(z));
    case Activation::Gaussian: HYLO_EACH(exponential(-z * z));
    case Activation::Sine: HYLO_EACH(sine_of(z));
  }
}

void activate_keep(Activation f, real* x, real* slope, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) {
    const vec z = at(x + i);
    vec value, s;
    if (f == Activation::Gelu) {
      const vec t = gelu_inner(z);
      value = real(0.5) * z * (real(1) + t);
      s = real(0.5) * (real(1) + t) +
          real(0.5) * z * (real(1) - t * t) * (real(0.7978845608028654) * (real(1) + real(0.134145) * z * z));
    } else if (f == Activation::Silu) {
      const vec p = logistic_of(z);
      value = z * p;
      s = p * (real(1) + z * (real(1) - p));
    } else if (f == Activation::Gaussian) {
      value = exponential(-z * z);
      s = real(-2) * z * value;
    } else {
      value = sine_of(z);
      s = cosine_of(z);
    }
    at(x + i) = value;
    at(slope + i) = s;
  }
}

#define HYLO_EACH_BACK(expression)                 \
  for (std::size_t i = 0; i < count; i += lanes) { \
    const vec v = at(value + i);                   \
    at(d + i) *= (expression);                     \
  }                                                \
  return

// The activations whose slope can be had from their value (activation.hpp).
void activate_back(Activation f, const real* value, real* d, std::size_t count) {
  switch (f) {
    case Activation::Logistic: HYLO_EACH_BACK(v * (real(1) - v));
    case Activation::Tanh: HYLO_EACH_BACK(real(1) - v * v);
    case Activation::Relu: HYLO_EACH_BACK(v > real(0) ? all(1) : vec{});
    case Activation::LeakyRelu: HYLO_EACH_BACK(v > real(0) ? all(1) : all(real(kLeak)));
    case Activation::Elu: HYLO_EACH_BACK(v > real(0) ? all(1) : v + real(1));
    case Activation::Selu: HYLO_EACH_BACK(v > real(0) ? all(real(kSeluScale)) : v + real(kSeluScale * kSeluAlpha));
    case Activation::Softplus: HYLO_EACH_BACK(-expm1_of(-v));
    default: return;
  }
}

// ---- predictions and losses -----------------------------------------------------------------------------------------

inline vec prediction_from(Output output, vec z) {
  return output == Output::Identity      ? z
         : output == Output::Exponential ? exponential(z)
         : output == Output::Softplus    ? softplus_of(z)
                                         : logistic_of(z);
}

// Largest of the columns and the sum of exp(z - largest), which z becomes.
struct Shares {
  vec largest, sum;
};
inline Shares shares_of(std::size_t width, std::size_t lead, real* z) {
  vec largest = at(z);
  for (std::size_t c = 1; c < width; ++c) largest = at(z + c * lead) > largest ? at(z + c * lead) : largest;
  vec sum = vec{};
  for (std::size_t c = 0; c < width; ++c) {
    const vec e = exponential(at(z + c * lead) - largest);
    at(z + c * lead) = e;
    sum += e;
  }
  return {largest, sum};
}

void prediction(Output output, std::size_t rows, std::size_t width, std::size_t lead, real* z) {
  if (output == Output::Identity) return;
  for (std::size_t i = 0; i < rows; i += lanes) {
    if (output == Output::Softmax) {
      const Shares s = shares_of(width, lead, z + i);
      const vec whole = real(1) / s.sum;
      for (std::size_t c = 0; c < width; ++c) at(z + c * lead + i) *= whole;
    } else {
      for (std::size_t c = 0; c < width; ++c) at(z + c * lead + i) = prediction_from(output, at(z + c * lead + i));
    }
  }
}

// Sums over rows. Whatever the width of a vector, each of 64 bytes' worth of lanes adds up on its own and they come
// together in one order, so that levels with fused multiply-add agree to the bit.
constexpr std::size_t vectors_in_line = 64 / HYLO_BYTES;

struct Totals {
  vec part[vectors_in_line] = {};
  void add(std::size_t i, vec x) { part[i / lanes % vectors_in_line] += x; }
  double sum() const {
    double sum = 0;
    for (std::size_t v = 0; v < vectors_in_line; ++v) {
      for (std::size_t lane = 0; lane < lanes; ++lane) sum += double(part[v][lane]);
    }
    return sum;
  }
};

double softmax_loss(const LossSpec& spec, const LossBlock<real>& b) {
  const real keep = real(1 - spec.smoothing), spread = real(spec.smoothing / double(b.width));
  Totals total;
  for (std::size_t i = 0; i < b.rows; i += lanes) {
    real* z = b.z + i;
    vec largest = at(z), score = vec{}, share = vec{};
    for (std::size_t c = 1; c < b.width; ++c) largest = at(z + c * b.lead) > largest ? at(z + c * b.lead) : largest;
    for (std::size_t c = 0; c < b.width; ++c) {
      const vec y = at(b.y + c * b.lead + i) * keep + spread;
      score += y * (at(z + c * b.lead) - largest);
      share += y;  // 1, unless a target gives shares that add up to something else
    }
    const Shares s = shares_of(b.width, b.lead, z);
    const vec weight = at(b.weight + i);
    total.add(i, weight * (share * logarithm(s.sum) - score));
    const vec factor = weight * b.scale, whole = share / s.sum;
    for (std::size_t c = 0; c < b.width; ++c) {
      at(z + c * b.lead) = factor * (at(z + c * b.lead) * whole - (at(b.y + c * b.lead + i) * keep + spread));
    }
  }
  return total.sum();
}

// Labels and soft shares together.
double taught_softmax_loss(const LossSpec& spec, const LossBlock<real>& b) {
  const real keep = real(1 - spec.smoothing), spread = real(spec.smoothing / double(b.width)),
             cooler = real(1 / spec.temperature);
  Totals total;
  for (std::size_t i = 0; i < b.rows; i += lanes) {
    real* z = b.z + i;
    const real* soft = b.soft + i;
    vec largest = at(z);
    for (std::size_t c = 1; c < b.width; ++c) largest = at(z + c * b.lead) > largest ? at(z + c * b.lead) : largest;
    const vec label = at(soft);
    vec sum = vec{}, soft_sum = vec{}, score = vec{}, share = vec{}, soft_share = vec{};
    for (std::size_t c = 0; c < b.width; ++c) {
      const vec d = at(z + c * b.lead) - largest, s = at(soft + (c + 1) * b.lead);
      const vec y = label * (at(b.y + c * b.lead + i) * keep + spread);
      sum += exponential(d);
      soft_sum += exponential(d * cooler);
      score += (y + s * cooler) * d;
      share += y;
      soft_share += s;
    }
    const vec weight = at(b.weight + i);
    total.add(i, weight * (share * logarithm(sum) + soft_share * logarithm(soft_sum) - score));
    const vec factor = weight * b.scale, whole = share / sum, soft_whole = soft_share / soft_sum;
    for (std::size_t c = 0; c < b.width; ++c) {
      const vec d = at(z + c * b.lead) - largest, s = at(soft + (c + 1) * b.lead);
      const vec y = label * (at(b.y + c * b.lead + i) * keep + spread);
      at(z + c * b.lead) = factor * (exponential(d) * whole - y + cooler * (exponential(d * cooler) * soft_whole - s));
    }
  }
  return total.sum();
}

double taught_logistic_loss(const LossSpec& spec, const LossBlock<real>& b) {
  const real cooler = real(1 / spec.temperature);
  Totals total;
  for (std::size_t i = 0; i < b.rows; i += lanes) {
    const vec z = at(b.z + i), label = at(b.soft + i), positive = at(b.soft + 2 * b.lead + i),
              share = at(b.soft + b.lead + i) + positive;
    const vec t = at(b.y + i) * real(1 - spec.smoothing) + real(spec.smoothing / 2), weight = at(b.weight + i);
    total.add(i, weight * (label * (softplus_of(z) - t * z) + share * softplus_of(z * cooler) - positive * cooler * z));
    at(b.z + i) =
        b.scale * weight * (label * (logistic_of(z) - t) + cooler * (share * logistic_of(z * cooler) - positive));
  }
  return total.sum();
}

struct LossHere {
  vec loss, slope;  // and its derivative with respect to z
};

inline LossHere loss_here(const LossSpec& spec, vec z, vec y, real quantile) {
  if (spec.output == Output::Logistic) {
    const vec t = y * real(1 - spec.smoothing) + real(spec.smoothing / 2);
    return {softplus_of(z) - t * z, logistic_of(z) - t};
  }
  const vec a = prediction_from(spec.output, z);
  const vec tiny = all(is_double ? real(1e-300) : real(1e-37));
  const vec e = a - y;
  const vec size = e < real(0) ? -e : e;
  const vec sign = e > real(0) ? all(1) : (e < real(0) ? all(-1) : vec{});
  LossHere here;
  switch (spec.loss) {
    case Loss::Poisson:
    case Loss::Gamma: {
      const vec log_a = spec.output == Output::Exponential ? z : logarithm(a > tiny ? a : tiny);
      const vec log_y = logarithm(y > tiny ? y : tiny);
      if (spec.loss == Loss::Poisson) {
        const vec loss = a - y * log_a - (y > real(0) ? y - y * log_y : vec{});
        if (spec.output == Output::Exponential) return {loss, a - y};
        return {loss, (real(1) - y / (a > tiny ? a : tiny)) * -expm1_of(-a)};  // d softplus / dz = 1 - exp(-a)
      }
      const vec ratio = spec.output == Output::Exponential ? y * exponential(-z) : y / (a > tiny ? a : tiny);
      const vec loss = ratio - real(1) - log_y + log_a;
      if (spec.output == Output::Exponential) return {loss, real(1) - ratio};
      return {loss, (real(1) - ratio) / (a > tiny ? a : tiny) * -expm1_of(-a)};
    }
    case Loss::Squared: here = {e * e, e + e}; break;
    case Loss::Absolute: here = {size, sign}; break;
    case Loss::Huber: {
      const real delta = real(spec.delta);
      here.loss = size > delta ? delta * (size - real(0.5) * delta) : real(0.5) * e * e;
      here.slope = size > delta ? delta * sign : e;
      break;
    }
    case Loss::Quantile:
      here.loss = e > real(0) ? (real(1) - quantile) * e : -quantile * e;
      here.slope = e > real(0) ? all(real(1) - quantile) : (e < real(0) ? all(-quantile) : vec{});
      break;
    case Loss::CrossEntropy: break;  // above, and those of several outputs
  }
  if (spec.output == Output::Exponential) here.slope *= a;
  if (spec.output == Output::Softplus) here.slope *= -expm1_of(-a);
  return here;
}

double loss(const LossSpec& spec, const LossBlock<real>& b) {
  if (b.soft != nullptr)
    return spec.output == Output::Softmax ? taught_softmax_loss(spec, b) : taught_logistic_loss(spec, b);
  if (spec.output == Output::Softmax) return softmax_loss(spec, b);
  const bool one_target = record_of(spec.loss).one_target;
  double sum = 0;
  for (std::size_t c = 0; c < b.width; ++c) {
    real* z = b.z + c * b.lead;
    const real* y = b.y + (one_target ? 0 : c * b.lead);
    const real quantile = spec.loss == Loss::Quantile ? real(b.quantiles[c]) : real(0);
    Totals total;
    for (std::size_t i = 0; i < b.rows; i += lanes) {
      const LossHere here = loss_here(spec, at(z + i), at(y + i), quantile);
      const vec weight = at(b.weight + i);
      total.add(i, weight * here.loss);
      at(z + i) = b.scale * weight * here.slope;
    }
    sum += total.sum();
  }
  return sum;
}

// ---- steps ------------------------------------------------------------------------------------------------------

// 1 / (sqrt(q) + epsilon). In single precision by Newton's iteration from an estimate in the exponent's bits: the same
// on every processor, and several times as fast as the instructions for root and quotient.
inline vec over_root(vec q, real epsilon) {
  if constexpr (is_double) {
    return real(1) / (HYLO_SQRT(q) + epsilon);
  } else {
    ivec bits;
    std::memcpy(&bits, &q, sizeof bits);
    bits = HYLO_INT(0x5F3759DF) - (bits >> 1);
    vec r;
    std::memcpy(&r, &bits, sizeof r);
    const vec half = real(0.5) * q;
    HYLO_UNROLL
    for (int k = 0; k < 3; ++k) r = r * mad(-half * r, r, all(real(1.5)));
    const vec d = mad(q, r, all(epsilon));  // q = 0 gives epsilon, since r is finite
    return over(all(real(1)), d);
  }
}

void adam(const AdamRates<real>& s, const AdamMeans<real>& means, const Moved<real>& moved) {
  for (std::size_t i = 0; i < moved.count; i += lanes) {
    const vec g = at(moved.gradient + i);
    const vec m = mad(at(means.mean + i), all(s.decay1), g * s.share1);
    const vec q = mad(at(means.square + i), all(s.decay2), g * g * s.share2);
    at(means.mean + i) = m;
    at(means.square + i) = q;
    at(moved.parameters + i) = mad(-s.rate * m, over_root(q, s.epsilon), s.shrink * at(moved.parameters + i));
  }
}

void rmsprop(const RmspropRates<real>& s, real* square, const Moved<real>& moved) {
  for (std::size_t i = 0; i < moved.count; i += lanes) {
    const vec g = at(moved.gradient + i);
    const vec q = at(square + i) * s.decay + g * g * s.share;
    at(square + i) = q;
    at(moved.parameters + i) -= s.rate * g * over_root(q, s.epsilon);
  }
}

void momentum(const MomentumRates<real>& s, real* velocity, const Moved<real>& moved) {
  for (std::size_t i = 0; i < moved.count; i += lanes) {
    const vec g = at(moved.gradient + i) * s.rate;
    const vec v = at(velocity + i) * s.keep - g;
    at(velocity + i) = v;
    at(moved.parameters + i) += s.ahead ? v * s.keep - g : v;
  }
}

void penalise(const Penalties<real>& penalties, const real* parameters, real* gradient, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) {
    const vec w = at(parameters + i);
    const vec sign = w > real(0) ? all(1) : (w < real(0) ? all(-1) : vec{});
    at(gradient + i) += penalties.l2 * w + penalties.l1 * sign;
  }
}

void times(const Factors<real>& f) {
  for (std::size_t i = 0; i < f.count; i += lanes) at(f.x + i) *= at(f.factor + i);
}

void scale(real factor, real* x, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) at(x + i) *= factor;
}

void add(const Addend<real>& a) {
  for (std::size_t i = 0; i < a.count; i += lanes) at(a.sum + i) += at(a.x + i);
}

void add_rows(const Rows<real>& r, real* sum) {
  for (std::size_t j = 0; j < r.width; j += lanes) {
    vec even = at(sum + j), odd = vec{};
    std::size_t i = 0;
    for (; i + 2 <= r.rows; i += 2) {
      even += at(r.at + i * r.stride + j);
      odd += at(r.at + (i + 1) * r.stride + j);
    }
    if (i < r.rows) even += at(r.at + i * r.stride + j);
    at(sum + j) = even + odd;
  }
}

inline vec larger(vec a, vec b) { return a > b ? a : b; }
inline vec size_of(vec x) { return x < real(0) ? -x : x; }

void measure(const real* x, std::size_t count, double* squares, double* largest) {
  // two lines' worth of sums at once, which hide the latency of the addition
  constexpr std::size_t sums = 2 * vectors_in_line;
  vec square[sums] = {}, most[sums] = {};
  std::size_t i = 0;
  for (; i + sums * lanes <= count; i += sums * lanes) {
    HYLO_UNROLL
    for (std::size_t v = 0; v < sums; ++v) {
      const vec a = at(x + i + v * lanes);
      square[v] = mad(a, a, square[v]);
      most[v] = larger(size_of(a), most[v]);
    }
  }
  for (std::size_t v = 0; i < count; i += lanes, ++v) {
    const vec a = at(x + i);
    square[v] = mad(a, a, square[v]);
    most[v] = larger(size_of(a), most[v]);
  }
  for (std::size_t v = 0; v < vectors_in_line; ++v) {
    const vec both = square[v] + square[v + vectors_in_line];
    const vec more = larger(most[v], most[v + vectors_in_line]);
    for (std::size_t lane = 0; lane < lanes; ++lane) {
      *squares += double(both[lane]);
      *largest = double(more[lane]) > *largest ? double(more[lane]) : *largest;
    }
  }
}

// ---- dropout ----------------------------------------------------------------------------------------------------
// The value's place in the block, mixed with the block's key: the finaliser of a 32-bit hash (Appleby 2011), which
// changes each bit of what comes out with a chance of one half for each bit that went in.

typedef std::uint32_t uvec __attribute__((vector_size(4 * lanes), may_alias));

void drop(const Mask<real>& m) {
  uvec place;
  for (std::size_t lane = 0; lane < lanes; ++lane) place[lane] = std::uint32_t(lane);
  for (std::size_t i = 0; i < m.count; i += lanes) {
    uvec h = (place + std::uint32_t(i)) * 0x9E3779B9u + m.key;
    h ^= h >> 16;
    h *= 0x85EBCA6Bu;
    h ^= h >> 13;
    h *= 0xC2B2AE35u;
    h ^= (h >> 16) ^ m.key2;
    // compared as signed numbers, which every instruction set can
    typedef std::int32_t svec __attribute__((vector_size(4 * lanes), may_alias));
    const svec below = (svec)(h ^ 0x80000000u) < (std::int32_t)(m.bound ^ 0x80000000u);
    const vec kept = __builtin_convertvector(below, vec) * -m.value;
    at(m.mask + i) = kept;
  }
}

// ---- batch normalisation ----------------------------------------------------------------------------------------

void normalise(const NormRows<real>& r, const NormBlock& block, real* z, real* zhat) {
  const std::size_t rows = block.rows, stride = block.stride;
  for (std::size_t j = 0; j < block.width; j += lanes) {
    vec mean = at(r.mean + j), inverse = at(r.inverse + j);
    if (!block.given) {
      mean = vec{};
      for (std::size_t i = 0; i < rows; ++i) mean += at(z + i * stride + j);
      mean = mean / real(rows);
      vec variance = vec{};
      for (std::size_t i = 0; i < rows; ++i) {
        const vec e = at(z + i * stride + j) - mean;
        variance += e * e;
      }
      variance = variance / real(rows);
      inverse = real(1) / HYLO_SQRT(variance + real(kNormEpsilon));
      at(r.mean + j) = mean;
      at(r.variance + j) = variance;
      at(r.inverse + j) = inverse;
    }
    const vec gain = at(r.gain + j), shift = at(r.shift + j);
    for (std::size_t i = 0; i < rows; ++i) {
      const vec scaled = (at(z + i * stride + j) - mean) * inverse;
      at(zhat + i * stride + j) = scaled;
      at(z + i * stride + j) = scaled * gain + shift;
    }
  }
}

// With batch statistics dz = gain * inverse * (d - mean(d) - zhat mean(d zhat)) (Ioffe and Szegedy 2015); with given
// ones they are constants.
void normalise_back(const NormRows<real>& r, const NormBlock& block, const real* zhat, real* d,
                    const NormGradients<real>& gradients) {
  const std::size_t rows = block.rows, stride = block.stride;
  for (std::size_t j = 0; j < block.width; j += lanes) {
    vec sum = vec{}, along = vec{};
    for (std::size_t i = 0; i < rows; ++i) {
      sum += at(d + i * stride + j);
      along += at(d + i * stride + j) * at(zhat + i * stride + j);
    }
    at(gradients.gain + j) += along;
    at(gradients.shift + j) += sum;
    const real share = block.given ? real(0) : real(1) / real(rows);
    const vec factor = at(r.gain + j) * at(r.inverse + j), sum_share = sum * share, along_share = along * share;
    for (std::size_t i = 0; i < rows; ++i) {
      at(d + i * stride + j) = factor * (at(d + i * stride + j) - sum_share - at(zhat + i * stride + j) * along_share);
    }
  }
}

// Each by its name, so that none can stand in another's place.
constexpr Kernel<real> named_table() {
  Kernel<real> k{};
  k.multiply = multiply;
  k.activate = activate;
  k.activate_keep = activate_keep;
  k.activate_back = activate_back;
  k.prediction = prediction;
  k.loss = loss;
  k.adam = adam;
  k.rmsprop = rmsprop;
  k.momentum = momentum;
  k.penalise = penalise;
  k.times = times;
  k.drop = drop;
  k.scale = scale;
  k.add = add;
  k.add_rows = add_rows;
  k.measure = measure;
  k.normalise = normalise;
  k.normalise_back = normalise_back;
  k.transpose = transpose;
  k.gather = gather;
  return k;
}
constexpr Kernel<real> table = named_table();
