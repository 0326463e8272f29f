/* What follows is the same in every transcript: the program above, followed for one row. */

static double logistic(double z) { return 1 / (1 + exp(-z)); }
static double softplus(double z) { return (z > 0 ? z : 0) + log1p(exp(-fabs(z))); }
static double within(double x, double low, double high) { return x < low ? low : x > high ? high : x; }

/* ---- from cells to inputs ---------------------------------------------------------------------------------------- */

static double between_knots(int n, const double *knots, const double *heights, double x) {
  int above = 1;
  if (x <= knots[0]) return heights[0];
  if (x >= knots[n - 1]) return heights[n - 1];
  while (knots[above] <= x) ++above;
  return heights[above - 1] +
         (x - knots[above - 1]) / (knots[above] - knots[above - 1]) * (heights[above] - heights[above - 1]);
}

static double *put_number(const plan *p, const cell *c, double *to) {
  double x = within(c->missing ? p->fill : c->number, p->low, p->high);
  int i;
  if (p->n_edges > 0) {
    for (i = 0; i + 1 < p->n_edges; ++i) *to++ = within((x - p->edges[i]) / (p->edges[i + 1] - p->edges[i]), 0, 1);
  } else {
    if (p->n_knots > 0) x = between_knots(p->n_knots, p->knots, p->heights, x);
    x = (x - p->shift) / p->scale;
    *to++ = x;
    for (i = 0; i < p->n_waves; ++i) {
      *to++ = sin(2 * PI * p->waves[i] * x);
      *to++ = cos(2 * PI * p->waves[i] * x);
    }
  }
  if (p->flag) *to++ = c->missing ? 1 : 0;
  return to;
}

/* The place of a text among the levels, from 1; 0 for one that training never saw. */
static int level_of(const plan *p, const char *text) {
  int i;
  for (i = 0; i < p->n_levels; ++i) {
    if (strcmp(p->levels[i], text) == 0) return i + 1;
  }
  return 0;
}

/* A text's place among so many, by its bytes (FNV-1a and a finisher, 64 bits). */
static int hash_of(const char *text, int places) {
  unsigned long long hash = 0xCBF29CE484222325ull;
  for (; *text; ++text) hash = (hash ^ (unsigned char)*text) * 0x100000001B3ull;
  hash = (hash ^ (hash >> 33)) * 0xFF51AFD7ED558CCDull;
  hash = (hash ^ (hash >> 33)) * 0xC4CEB9FE1A85EC53ull;
  return (int)(((hash ^ (hash >> 33)) >> 32) % (unsigned long long)places);
}

static double level_place(const plan *p, const cell *c) {
  int level;
  if (c->missing) return p->missing;
  if (p->hashed) return hash_of(c->text, p->width);
  level = level_of(p, c->text);
  return level == 0 ? p->unseen : level - 1;
}

static double *put_level(const plan *p, const cell *c, double *to) {
  const double place = level_place(p, c);
  int i;
  for (i = 0; i < p->width; ++i) *to++ = place == i ? 1 : 0;
  return to;
}

static double *put_score(const plan *p, const cell *c, double *to) {
  const int level = c->missing ? 0 : level_of(p, c->text);
  *to++ = c->missing ? p->missing : level == 0 ? p->unseen : p->scores[level - 1];
  return to;
}

/* Day number to civil date (Howard Hinnant 2013). */
static void civil(long days, int *year, int *month, int *day_of_year) {
  const long z = days + 719468, era = (z >= 0 ? z : z - 146096) / 146097, doe = z - era * 146097;
  const long yoe = (doe - doe / 1460 + doe / 36524 - doe / 146096) / 365, doy = doe - (365 * yoe + yoe / 4 - yoe / 100);
  const long shifted = (5 * doy + 2) / 153;
  int leap;
  *month = (int)(shifted < 10 ? shifted + 3 : shifted - 9);
  *year = (int)(yoe + era * 400) + (*month <= 2);
  leap = (*year % 4 == 0 && *year % 100 != 0) || *year % 400 == 0;
  *day_of_year = *month > 2 ? (int)doy + 59 + leap : (int)doy - 306;
}

static double *put_place(double *to, int place, int places, int missing) {
  int i;
  for (i = 0; i < places; ++i) *to++ = !missing && i == place ? 1 : 0;
  return to;
}

static double *put_date(const plan *p, const cell *c, double *to) {
  const long days = c->missing ? 0 : (long)floor(p->clock ? c->number / 86400 : c->number);
  int year, month, day_of_year, i;
  double angle;
  civil(days, &year, &month, &day_of_year);
  angle = 2 * PI * day_of_year / 365.25;
  for (i = 0; i < p->n_levels; ++i) {  /* the parts of the date */
    const char *part = p->levels[i];
    if (strcmp(part, "season") == 0) {
      *to++ = c->missing ? 0 : sin(angle);
      *to++ = c->missing ? 0 : cos(angle);
    }
    if (strcmp(part, "weekday") == 0) to = put_place(to, (int)(((days + 3) % 7 + 7) % 7), 7, c->missing);
    if (strcmp(part, "month") == 0) to = put_place(to, month - 1, 12, c->missing);
    if (strcmp(part, "quarter") == 0) to = put_place(to, (month - 1) / 3, 4, c->missing);
    if (strcmp(part, "hour") == 0) {
      const double turn = 2 * PI * floor((c->number - 86400.0 * (double)days) / 60) / 1440;
      *to++ = c->missing ? 0 : sin(turn);
      *to++ = c->missing ? 0 : cos(turn);
    }
    if (strcmp(part, "year") == 0) *to++ = c->missing ? 0 : (year - p->shift) / p->scale;
  }
  return to;
}

/* Learned points of levels stand behind all other inputs. */
static void put_inputs(const network *n, const start *s, const cell *cells, double *to) {
  int i, j, e = 0;
  for (i = 0; i < n->n_plans; ++i) {
    const plan *p = &n->plans[i];
    const cell *c = &cells[p->column];
    if (p->encoding == NUMBER) to = put_number(p, c, to);
    if (p->encoding == LEVEL) to = put_level(p, c, to);
    if (p->encoding == SCORE) to = put_score(p, c, to);
    if (p->encoding == DATE) to = put_date(p, c, to);
  }
  for (i = 0; i < n->n_plans; ++i) {
    const plan *p = &n->plans[i];
    const cell *c = &cells[p->column];
    int level;
    if (p->encoding != CODE) continue;
    level = c->missing ? (int)p->missing : level_of(p, c->text);
    if (level == 0) level = (int)p->unseen;
    for (j = 0; j < p->width; ++j) *to++ = s->points[e][level * p->width + j];
    ++e;
  }
}

/* ---- the network ------------------------------------------------------------------------------------------------- */

static double activated(activation f, double z) {
  switch (f) {
    case RELU: return z > 0 ? z : 0;
    case LEAKY_RELU: return z < 0 ? 0.01 * z : z;
    case TANH: return tanh(z);
    case LOGISTIC: return logistic(z);
    case ELU: return z < 0 ? expm1(z) : z;
    case SELU: return 1.0507009873554805 * (z < 0 ? 1.6732632423543772 * expm1(z) : z);
    case GELU: return z / 2 * (1 + tanh(0.7978845608028654 * (z + 0.044715 * z * z * z)));
    case SILU: return z * logistic(z);
    case SOFTPLUS: return softplus(z);
    case GAUSSIAN: return exp(-z * z);
    case SINE: return sin(z);
    case IDENTITY: break;
  }
  return z;
}

static void add_products(double *sums, int units, const double *values, int n, const double *weights) {
  int i, j;
  for (i = 0; i < n; ++i) {
    for (j = 0; j < units; ++j) sums[j] += values[i] * weights[i * units + j];
  }
}

static void linear_outputs(const network *n, const start *s, const double *inputs, double *z) {
  double here[MOST_VALUES], next[MOST_VALUES];
  int l, j;
  memcpy(here, inputs, sizeof(double) * (size_t)n->inputs);
  for (l = 0; l < s->n_layers; ++l) {
    const layer *own = &s->layers[l];
    memcpy(next, own->biases, sizeof(double) * (size_t)own->units);
    add_products(next, own->units, here, own->inputs, own->weights);
    if (l + 1 == s->n_layers && s->skip != NULL) add_products(next, own->units, inputs, n->inputs, s->skip);
    for (j = 0; j < own->units; ++j) here[j] = activated(own->function, next[j]);
  }
  memcpy(z, here, sizeof(double) * (size_t)s->layers[s->n_layers - 1].units);
}

/* Returns how many outputs there are. */
static int put_outputs(const network *n, const start *s, const double *z, int width, double *to) {
  double most = z[0], sum = 0, below = 0;
  int j;
  switch (n->output) {
    case LOGISTIC_OUTPUT:
      to[1] = logistic(z[0]);
      to[0] = 1 - to[1];
      return 2;
    case SOFTMAX_OUTPUT:
      for (j = 1; j < width; ++j) most = z[j] > most ? z[j] : most;
      for (j = 0; j < width; ++j) sum += to[j] = exp(z[j] - most);
      for (j = 0; j < width; ++j) to[j] /= sum;
      return width;
    case ORDINAL_OUTPUT:
      for (j = 0; j <= s->n_thresholds; ++j) {
        const double upto = j == s->n_thresholds ? 1 : logistic(s->thresholds[j] - z[0]);
        to[j] = upto - below;
        below = upto;
      }
      return s->n_thresholds + 1;
    case EXPONENTIAL_OUTPUT:
      for (j = 0; j < width; ++j) to[j] = exp(z[j]);
      return width;
    case SOFTPLUS_OUTPUT:
      for (j = 0; j < width; ++j) to[j] = softplus(z[j]);
      return width;
    case IDENTITY_OUTPUT: break;
  }
  memcpy(to, z, sizeof(double) * (size_t)width);
  return width;
}

/* ---- from outputs to predictions ------------------------------------------------------------------------------------- */

static void rise(double *values, int n) {
  int i, j;
  for (i = 1; i < n; ++i) {
    const double x = values[i];
    for (j = i; j > 0 && values[j - 1] > x; --j) values[j] = values[j - 1];
    values[j] = x;
  }
}

/* Probabilities by class, or numbers in the target's unit; returns how many. */
static int decode(const network *n, double *raw, int width, double *to) {
  double sum = 0;
  int j;
  if (N_CLASSES > 0) {
    for (j = 0; j < width; ++j) sum += to[j] = raw[n->order[j]] / n->weights[j];
    for (j = 0; j < width; ++j) to[j] /= sum;
    return width;
  }
  for (j = 0; j < width; ++j) {
    const int at = n->n_scales == 1 ? 0 : j;
    raw[j] = raw[j] * n->scale[at] + n->shift[at];
    if (n->logarithm) raw[j] = exp(raw[j]) * n->smear[at];
  }
  if (n->middle == 0) {
    memcpy(to, raw, sizeof(double) * (size_t)width);
    return width;
  }
  rise(raw, width);
  to[0] = raw[n->middle - 1];
  memcpy(to + 1, raw, sizeof(double) * (size_t)width);
  return width + 1;
}

/* Returns how many values there are, 0 where there is no prediction. */
static int predict_of(const network *n, const cell *cells, double offset, double *to) {
  double inputs[MOST_VALUES], z[MOST_VALUES], one[MOST_VALUES], raw[MOST_VALUES] = {0};
  int i, j, width = 0;
  for (i = 0; i < n->n_needed; ++i) {
    if (cells[n->needed[i]].missing) return 0;
  }
  for (i = 0; i < n->n_starts; ++i) {
    const start *s = &n->starts[i];
    const int units = s->layers[s->n_layers - 1].units;
    put_inputs(n, s, cells, inputs);
    linear_outputs(n, s, inputs, z);
    for (j = 0; j < units; ++j) z[j] += offset;
    width = put_outputs(n, s, z, units, one);
    for (j = 0; j < width; ++j) raw[j] += one[j] / n->n_starts;
  }
  return decode(n, raw, width, to);
}

static int first_of_most(const double *values, int n) {
  int i, best = 0;
  for (i = 1; i < n; ++i) best = values[i] > values[best] ? i : best;
  return best;
}

static double on_curve(const curve *c, double p) {
  const double bounded = within(p, 1e-12, 1 - 1e-12);
  if (c->n == 0) return logistic(c->intercept + c->slope * log(bounded / (1 - bounded)));
  return c->n == 1 ? c->level[0] : between_knots(c->n, c->score, c->level, p);
}

static void recalibrate(double *p, int n) {
  double q[MOST_VALUES], most, sum = 0;
  int i;
  if (recalibration.temperature > 0) {
    for (i = 0; i < n; ++i) q[i] = log(p[i] > ldexp(1, -126) ? p[i] : ldexp(1, -126)) / recalibration.temperature;
    most = q[first_of_most(q, n)];
    for (i = 0; i < n; ++i) sum += q[i] = exp(q[i] - most);
    for (i = 0; i < n; ++i) p[i] = q[i] / sum;
    return;
  }
  if (recalibration.n == 0) return;
  for (i = 0; i < recalibration.n; ++i) q[i] = on_curve(&recalibration.curves[i], p[recalibration.place[i]]);
  if (n == 2) {
    p[recalibration.place[0]] = q[0];
    p[1 - recalibration.place[0]] = 1 - q[0];
    return;
  }
  for (i = 0; i < n; ++i) sum += q[i];
  for (i = 0; i < n; ++i) p[i] = q[i] / (sum > 0 ? sum : 1);
}

static int decide(const double *p, int n) {
  double values[MOST_VALUES];
  int i, k;
  if (decision.costs != NULL) {
    for (i = 0; i < n; ++i) {
      for (values[i] = 0, k = 0; k < n; ++k) values[i] -= p[k] * decision.costs[k * n + i];
    }
    return first_of_most(values, n);
  }
  if (decision.place < 0) {
    for (i = 0; i < n; ++i) values[i] = p[i] * class_weights[i];
    return first_of_most(values, n);
  }
  if (p[decision.place] >= decision.threshold) return decision.place;
  for (i = 0; i < n; ++i) values[i] = i == decision.place ? -1 : p[i];
  return first_of_most(values, n);
}

#if N_DERIVED > 0
static void derive_cells(cell *cells); /* puts derived columns behind the others, see below */
#endif

int transcript_predict(const cell *given, double *values) {
  double one[MOST_VALUES];
#if N_DERIVED > 0
  cell cells[N_COLUMNS + N_DERIVED];
  memcpy(cells, given, sizeof(cell) * N_COLUMNS);
  derive_cells(cells);
#else
  const cell *const cells = given;
#endif
  const cell *const exposure = EXPOSURE < 0 ? NULL : &cells[EXPOSURE < 0 ? 0 : EXPOSURE];
  const double offset = exposure == NULL ? 0 : log(exposure->number);
  int i, j, width = 0;
  if (exposure != NULL && (exposure->missing || !(exposure->number > 0))) return -1;
  for (i = 0; i < N_NETWORKS; ++i) {
    width = predict_of(&networks[i], cells, offset, one);
    if (width == 0) return -1;
    for (j = 0; j < width; ++j) values[j] = (i == 0 ? 0 : values[j]) + networks[i].share * one[j];
  }
#if N_ENDS > 0
  for (i = 0; i < N_ENDS; ++i) { /* the ends of intervals, behind the predictions */
    values[width + 2 * i] = RATIO ? values[i] * exp(-ends[i]) : values[i] - ends[i];
    values[width + 2 * i + 1] = RATIO ? values[i] * exp(ends[i]) : values[i] + ends[i];
  }
#endif
  if (N_CLASSES == 0) return 0;
  recalibrate(values, N_CLASSES);
  return decide(values, N_CLASSES);
}

/* The name of the class with this number, counted from 0, as transcript_predict() returns it. */
const char *transcript_class(int place) { return classes[place]; }

/* A decimal number with a point, whatever the program's locale has in its place. */
static int number_in(const char *text, double *number) {
  char copy[400];
  const char *point = localeconv()->decimal_point;
  size_t at = 0;
  char *end;
  while (*text == ' ') ++text;
  for (; *text != '\0'; ++text) {
    if (strchr("0123456789+-.eE", *text) == NULL || at + strlen(point) + 1 > sizeof copy) return 0;
    if (*text == '.') {
      memcpy(copy + at, point, strlen(point));
      at += strlen(point);
    } else {
      copy[at++] = *text;
    }
  }
  copy[at] = '\0';
  *number = strtod(copy, &end);
  return *end == '\0' && end != copy && isfinite(*number);
}

/* A raw cell as the network takes it; see above. */
int transcript_cell(int column, const char *text, cell *to) {
  const column_of_table *own = &columns[column];
  int year, month, day, hour = 0, minute = 0, i, shifted;
  double second = 0;
  long era, yoe, doy;
  to->missing = text[0] == '\0';
  to->number = 0;
  to->text = text;
  for (i = 0; i < own->n_missing; ++i) to->missing = to->missing || strcmp(own->missing[i], text) == 0;
  if (to->missing || own->type == TEXT) return 1;
  if (own->type == NUMBERS) {
    if (strcmp(text, "TRUE") == 0 || strcmp(text, "FALSE") == 0) {
      to->number = text[0] == 'T';
      return 1;
    }
    return number_in(text, &to->number);
  }
  if (sscanf(text, "%4d-%2d-%2d%*c%2d:%2d:%lf", &year, &month, &day, &hour, &minute, &second) < 3) return 0;
  year -= month <= 2;  /* civil date to day number (Howard Hinnant 2013) */
  era = (year >= 0 ? year : year - 399) / 400;
  yoe = year - era * 400;
  shifted = month > 2 ? month - 3 : month + 9;
  doy = (153 * shifted + 2) / 5 + day - 1;
  to->number = (double)(era * 146097 + yoe * 365 + yoe / 4 - yoe / 100 + doy - 719468);
  if (own->type == TIMES) to->number = to->number * 86400 + hour * 3600 + minute * 60 + second;
  return 1;
}

#ifdef TRANSCRIPT_MAIN
/* Without arguments: rows of the columns' texts, separated by tabs, in the columns' order, from standard input; their
   predictions to standard output. With --check: whether the made-up rows are predicted as by the model. */

static int predict_texts(const char *const *texts, double *values) {
  cell cells[N_COLUMNS];
  int i;
  for (i = 0; i < N_COLUMNS; ++i) {
    if (!transcript_cell(i, texts[i], &cells[i])) {
      fprintf(stderr, "Column %s can't be \"%s\".\n", columns[i].name, texts[i]);
      exit(1);
    }
  }
  return transcript_predict(cells, values);
}

static int predict_line(char *line, double *values) {
  const char *texts[N_COLUMNS];
  char *field = line;
  int i;
  for (i = 0; i < N_COLUMNS; ++i) {
    char *end = field + strcspn(field, "\t\r\n");
    const int more = *end == '\t';
    *end = '\0';
    texts[i] = field;
    field = more ? end + 1 : end;
  }
  return predict_texts(texts, values);
}

static int check(void) {
  double values[MOST_VALUES], most = 0;
  int i, j;
  for (i = 0; i < N_CHECKED; ++i) {
    const int place = predict_texts(checked_cells + i * N_COLUMNS, values);
    if (place != checked_places[i]) return 0;
    for (j = 0; place >= 0 && j < N_VALUES; ++j) {
      const double told = checked_values[i * N_VALUES + j];
      const double apart = fabs(values[j] - told) / (1e-5 * (fabs(told) + SPREAD));
      most = apart > most ? apart : most;
    }
  }
  return most < 1;
}

int main(int n, char **words) {
  double values[MOST_VALUES];
  char line[MOST_LINE];
  int j;
  if (n > 1 && strcmp(words[1], "--check") == 0) {
    const int well = check();
    printf("%s made-up rows are predicted as by the model.\n", well ? "All" : "Not all");
    return well ? 0 : 1;
  }
  while (fgets(line, sizeof line, stdin) != NULL) {
    int place;
    if (strchr(line, '\n') == NULL && !feof(stdin)) {
      fprintf(stderr, "A line has more than %d bytes.\n", MOST_LINE - 2);
      return 1;
    }
    place = predict_line(line, values);
    if (N_CLASSES > 0) printf("%s", place < 0 ? "" : classes[place]);
    for (j = 0; j < N_VALUES; ++j) {
      if (N_CLASSES > 0 || j > 0) putchar('\t');
      if (place >= 0) printf("%.17g", values[j]);
    }
    putchar('\n');
  }
  return 0;
}
#endif
