// The kernels for one element type and one instruction set. The including file defines
//   HYLO_REAL, HYLO_INT          the element type and the integer type of its size
//   HYLO_BYTES                   bytes in a vector
//   HYLO_ROWS, HYLO_VECTORS      the tile of `multiply`: rows by vectors held in registers
//   HYLO_SQRT(v)                 square root of each lane
// and stands in a namespace of its own. No header may be included from here on.

typedef HYLO_REAL real;
typedef real vec __attribute__((vector_size(HYLO_BYTES), may_alias));
typedef HYLO_INT ivec __attribute__((vector_size(HYLO_BYTES), may_alias));
constexpr std::size_t lanes = HYLO_BYTES / sizeof(real);
constexpr bool is_double = sizeof(real) == 8;

inline vec& at(real* p) { return *reinterpret_cast<vec*>(p); }
inline const vec& at(const real* p) { return *reinterpret_cast<const vec*>(p); }
inline vec all(real x) { return vec{} + x; }

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
  const vec shifted = x * real(1.4426950408889634) + magic;
  const vec n = shifted - magic;
  const vec r = (x - n * ln2_high) - n * ln2_low;
  vec p;
  if (is_double) {
    p = all(real(1.0 / 6227020800.0));
    p = p * r + real(1.0 / 479001600.0);
    p = p * r + real(1.0 / 39916800.0);
    p = p * r + real(1.0 / 3628800.0);
    p = p * r + real(1.0 / 362880.0);
    p = p * r + real(1.0 / 40320.0);
    p = p * r + real(1.0 / 5040.0);
  } else {
    p = all(real(1.0 / 5040.0));
  }
  p = p * r + real(1.0 / 720.0);
  p = p * r + real(1.0 / 120.0);
  p = p * r + real(1.0 / 24.0);
  p = p * r + real(1.0 / 6.0);
  p = p * r + real(0.5);
  p = p * r * r + r;
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

inline vec exponential(vec x) {
  const Split s = split_exponential(clamp(x, is_double ? real(-708) : real(-87), is_double ? real(709) : real(88)));
  return s.scale * s.rest + s.scale;
}

inline vec logistic_of(vec x) { return real(1) / (real(1) + exponential(-x)); }

// tanh(|x|) = e / (e + 2) with e = exp(2|x|) - 1, which keeps its digits near zero.
inline vec tanh_of(vec x) {
  const vec size = x < real(0) ? -x : x;
  const Split s = split_exponential(clamp(size + size, real(0), is_double ? real(44) : real(22)));
  const vec e = s.scale * s.rest + (s.scale - real(1));
  const vec t = e / (e + real(2));
  return x < real(0) ? -t : t;
}

// ---- matrix product ---------------------------------------------------------------------------------------------

template <int M, int V>
void tile(const Product<real>& p, std::size_t row, std::size_t column) {
  vec sum[M][V];
  const real* start = p.start ? p.start + row * p.start_row + column : nullptr;
  HYLO_UNROLL
  for (int i = 0; i < M; ++i) {
    HYLO_UNROLL
    for (int v = 0; v < V; ++v) sum[i][v] = start ? at(start + i * p.start_row + v * lanes) : vec{};
  }
  const real* a = p.a + row * p.a_row;
  const real* b = p.b + column;
  const std::size_t a_row = p.a_row;
  for (std::size_t k = 0; k < p.k; ++k, a += p.a_column, b += p.b_row) {
    vec right[V];
    HYLO_UNROLL
    for (int v = 0; v < V; ++v) right[v] = at(b + v * lanes);
    HYLO_UNROLL
    for (int i = 0; i < M; ++i) {
      const vec left = all(a[i * a_row]);
      HYLO_UNROLL
      for (int v = 0; v < V; ++v) sum[i][v] += left * right[v];
    }
  }
  real* c = p.c + row * p.c_row + column;
  HYLO_UNROLL
  for (int i = 0; i < M; ++i) {
    HYLO_UNROLL
    for (int v = 0; v < V; ++v) at(c + i * p.c_row + v * lanes) = sum[i][v];
  }
}

template <int V>
void column_of_tiles(const Product<real>& p, std::size_t column) {
  std::size_t row = 0;
  for (; row + HYLO_ROWS <= p.m; row += HYLO_ROWS) tile<HYLO_ROWS, V>(p, row, column);
  for (; row + 2 <= p.m; row += 2) tile<2, V>(p, row, column);
  if (row < p.m) tile<1, V>(p, row, column);
}

// Columns outside, rows inside: the panel of b stays in the first-level cache while a streams past it.
void multiply(const Product<real>& p) {
  const std::size_t vectors = (p.n + lanes - 1) / lanes;
  std::size_t v = 0;
  for (; v + HYLO_VECTORS <= vectors; v += HYLO_VECTORS) column_of_tiles<HYLO_VECTORS>(p, v * lanes);
  for (; v + 2 <= vectors; v += 2) column_of_tiles<2>(p, v * lanes);
  if (v < vectors) column_of_tiles<1>(p, v * lanes);
}

// ---- elementwise ------------------------------------------------------------------------------------------------

// Plain loops, no lambdas: the function a lambda converts to would be compiled without the instruction set.
void exponentiate(real* x, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) at(x + i) = exponential(at(x + i));
}

void logistic(real* x, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) at(x + i) = logistic_of(at(x + i));
}

void activate(Activation f, real* z, std::size_t count) {
  switch (f) {
    case Activation::Identity: return;
    case Activation::Logistic: return logistic(z, count);
    case Activation::Tanh:
      for (std::size_t i = 0; i < count; i += lanes) at(z + i) = tanh_of(at(z + i));
      return;
    case Activation::Relu:  // written so that a NaN stays one
      for (std::size_t i = 0; i < count; i += lanes) at(z + i) = at(z + i) < real(0) ? vec{} : at(z + i);
      return;
  }
}

void activate_back(Activation f, const real* value, real* d, std::size_t count) {
  switch (f) {
    case Activation::Identity: return;
    case Activation::Logistic:
      for (std::size_t i = 0; i < count; i += lanes) at(d + i) *= at(value + i) * (real(1) - at(value + i));
      return;
    case Activation::Tanh:
      for (std::size_t i = 0; i < count; i += lanes) at(d + i) *= real(1) - at(value + i) * at(value + i);
      return;
    case Activation::Relu:
      for (std::size_t i = 0; i < count; i += lanes) at(d + i) = at(value + i) > real(0) ? at(d + i) : vec{};
      return;
  }
}

void adam(const AdamStep<real>& s, const real* gradient, real* mean, real* square, real* parameters,
          std::size_t count) {
  const real new1 = real(1) - s.decay1, new2 = real(1) - s.decay2;
  for (std::size_t i = 0; i < count; i += lanes) {
    const vec g = at(gradient + i);
    const vec m = at(mean + i) * s.decay1 + g * new1;
    const vec q = at(square + i) * s.decay2 + g * g * new2;
    at(mean + i) = m;
    at(square + i) = q;
    at(parameters + i) -= s.rate * m / (HYLO_SQRT(q) + s.epsilon);
  }
}

void momentum(real rate, real keep, const real* gradient, real* velocity, real* parameters, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) {
    const vec v = at(velocity + i) * keep - at(gradient + i) * rate;
    at(velocity + i) = v;
    at(parameters + i) += v;
  }
}

void penalise(real l1, real l2, const real* parameters, real* gradient, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) {
    const vec w = at(parameters + i);
    const vec sign = w > real(0) ? all(1) : (w < real(0) ? all(-1) : vec{});
    at(gradient + i) += l2 * w + l1 * sign;
  }
}

void times(const real* factor, real* x, std::size_t count) {
  for (std::size_t i = 0; i < count; i += lanes) at(x + i) *= at(factor + i);
}

void add_rows(const real* x, std::size_t rows, std::size_t stride, real* sum) {
  for (std::size_t j = 0; j < stride; j += lanes) {
    vec total = at(sum + j);
    for (std::size_t i = 0; i < rows; ++i) total += at(x + i * stride + j);
    at(sum + j) = total;
  }
}

constexpr Kernel<real> table = {multiply, activate, activate_back, exponentiate, logistic,
                                adam,     momentum, penalise,      times,        add_rows};
