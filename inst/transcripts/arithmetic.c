/* Column arithmetic: what is missing makes missing what is reckoned with it, unless it is said otherwise. */

static cell number_of(double x) {
  cell c = {0, 0, ""};
  c.number = x;
  return c;
}
static cell text_of(const char *text) {
  cell c = {0, 0, ""};
  c.text = text;
  return c;
}
static cell missing_cell(void) {
  cell c = {1, 0, ""};
  return c;
}

/* Texts that are made stand in one of a few places, which is enough for a row. */
static inline char *room(void) {
  static char texts[16][MOST_LINE];
  static int next = 0;
  next = (next + 1) % 16;
  return texts[next];
}

#define OF_ONE(name, value) \
  static inline cell op_##name(cell a) { return a.missing ? a : number_of(value); }
#define OF_TWO(name, value) \
  static inline cell op_##name(cell a, cell b) { return a.missing || b.missing ? missing_cell() : number_of(value); }

OF_TWO(add, a.number + b.number)
OF_TWO(sub, a.number - b.number)
OF_TWO(mul, a.number * b.number)
OF_TWO(div, a.number / b.number)
OF_TWO(pow, pow(a.number, b.number))
OF_ONE(neg, -a.number)
OF_ONE(abs, fabs(a.number))
OF_ONE(sign, (a.number > 0) - (a.number < 0))
OF_ONE(sqrt, sqrt(a.number))
OF_ONE(exp, exp(a.number))
OF_ONE(log, log(a.number))
OF_ONE(log1p, log1p(a.number))
OF_ONE(expm1, expm1(a.number))
OF_ONE(floor, floor(a.number))
OF_ONE(ceiling, ceil(a.number))
OF_ONE(trunc, a.number < 0 ? ceil(a.number) : floor(a.number))
OF_TWO(round, (a.number < 0 ? -1 : 1) * floor(fabs(a.number) * pow(10, b.number) + 0.5) / pow(10, b.number))
OF_TWO(min, a.number < b.number ? a.number : b.number)
OF_TWO(max, a.number > b.number ? a.number : b.number)
OF_TWO(eq_number, a.number == b.number)
OF_TWO(lt_number, a.number < b.number)
OF_TWO(eq_text, strcmp(a.text, b.text) == 0)
OF_TWO(lt_text, strcmp(a.text, b.text) < 0)
OF_ONE(not, a.number == 0)
OF_TWO(starts_with, strncmp(a.text, b.text, strlen(b.text)) == 0)
OF_TWO(ends_with, strlen(a.text) >= strlen(b.text) && strcmp(a.text + strlen(a.text) - strlen(b.text), b.text) == 0)
OF_TWO(contains, strstr(a.text, b.text) != NULL)

static inline cell op_and(cell a, cell b) {
  if ((!a.missing && a.number == 0) || (!b.missing && b.number == 0)) return number_of(0);
  return a.missing || b.missing ? missing_cell() : number_of(1);
}
static inline cell op_or(cell a, cell b) {
  if ((!a.missing && a.number != 0) || (!b.missing && b.number != 0)) return number_of(1);
  return a.missing || b.missing ? missing_cell() : number_of(0);
}
static inline cell op_choose(cell condition, cell yes, cell no) {
  return condition.missing ? condition : condition.number != 0 ? yes : no;
}
static inline cell op_is_missing(cell a) { return number_of(a.missing); }
static inline cell op_present(cell a, cell b) { return a.missing ? b : a; }

#define OF_DAY(name, value)                               \
  static inline cell op_##name(cell day) {                \
    int year, month, of_year;                             \
    if (day.missing) return day;                          \
    civil((long)floor(day.number), &year, &month, &of_year); \
    return number_of(value);                              \
  }

OF_DAY(year, year)
OF_DAY(month, month)
OF_DAY(yday, of_year)
static inline cell op_mday(cell day) {
  int year, month, of_year, first = 0;
  static const int lengths[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  int m;
  if (day.missing) return day;
  civil((long)floor(day.number), &year, &month, &of_year);
  for (m = 1; m < month; ++m) first += lengths[m - 1];
  if (month > 2 && ((year % 4 == 0 && year % 100 != 0) || year % 400 == 0)) ++first;
  return number_of(of_year - first + 1);
}

static inline cell op_nchar(cell a) {
  int n = 0;
  const char *c;
  if (a.missing) return a;
  for (c = a.text; *c; ++c) n += ((unsigned char)*c & 0xC0) != 0x80;
  return number_of(n);
}
static inline cell changed(cell a, char from, char to, int shift) {
  char *text;
  size_t i;
  if (a.missing) return a;
  text = room();
  for (i = 0; a.text[i] && i + 1 < MOST_LINE; ++i) {
    text[i] = a.text[i] >= from && a.text[i] <= to ? (char)(a.text[i] + shift) : a.text[i];
  }
  text[i] = '\0';
  return text_of(text);
}
static inline cell op_lower(cell a) { return changed(a, 'A', 'Z', 32); }
static inline cell op_upper(cell a) { return changed(a, 'a', 'z', -32); }
static inline cell op_trim(cell a) {
  char *text;
  size_t n;
  const char *from;
  if (a.missing) return a;
  from = a.text + strspn(a.text, " \t\r\n");
  n = strlen(from);
  while (n > 0 && strchr(" \t\r\n", from[n - 1]) != NULL) --n;
  if (n + 1 > MOST_LINE) n = MOST_LINE - 1;
  text = room();
  memcpy(text, from, n);
  text[n] = '\0';
  return text_of(text);
}
