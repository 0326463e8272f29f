#include <locale.h>
#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

/* A cell of a row: its number (days since 1970 for a date), or its text; nothing else counts where it is missing. */
typedef struct {
  int missing;
  double number;
  const char *text;
} cell;

/* Reads a cell of a column (from 0) from its text, which has to stay where it is; 0 for one that can't be read. */
int transcript_cell(int column, const char *text, cell *to);

/* The prediction for a row of cells in the columns' order: the place of the class (0 for numbers), -1 where there is none.
   What is predicted in numbers, a probability for each class or a number for each prediction, goes into `values`. */
int transcript_predict(const cell *cells, double *values);

enum type { NUMBERS, TEXT, DATES, TIMES };
enum encoding { NUMBER, LEVEL, SCORE, CODE, DATE };
typedef enum {
  IDENTITY, LOGISTIC, TANH, RELU, LEAKY_RELU, ELU, SELU, GELU, SILU, SOFTPLUS, GAUSSIAN, SINE
} activation;
enum output {
  IDENTITY_OUTPUT, LOGISTIC_OUTPUT, SOFTMAX_OUTPUT, ORDINAL_OUTPUT, EXPONENTIAL_OUTPUT, SOFTPLUS_OUTPUT
};
typedef struct {
  const char *name;
  enum type type;
  int n_missing;
  const char *const *missing;
} column_of_table;
typedef struct {
  enum encoding encoding;
  int column;
  double fill, low, high, shift, scale, unseen, missing;
  int flag, clock, hashed, width, n_knots, n_edges, n_waves, n_levels;
  const double *knots, *heights, *edges, *waves, *scores;
  const char *const *levels;
} plan;
typedef struct {
  int inputs, units;
  activation function;
  const double *weights, *biases;
} layer;
typedef struct {
  int n_layers, n_thresholds;
  const layer *layers;
  const double *skip, *thresholds;
  const double *const *points;
} start;
typedef struct {
  double share;
  int inputs, n_plans, n_needed, n_starts;
  const plan *plans;
  const int *needed;
  const start *starts;
  enum output output;
  int n_scales, logarithm, middle;
  const int *order;
  const double *weights, *scale, *shift, *smear;
} network;
typedef struct {
  int n;
  double slope, intercept;
  const double *score, *level;
} curve;
