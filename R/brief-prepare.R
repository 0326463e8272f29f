#' Say how columns become inputs
#'
#' Everything is learned on the training rows of each fit, stored in the model, and applied as it is to other rows.
#'
#' @param b A brief.
#' @param only Columns to set this for, as in [set_columns()]; without it the setting is for all. Later calls win.
#' @param numbers `"auto"`: z-scores, but for the wirings of the rule that take them otherwise, see [regimen()].
#'   `"zscore"` (mean 0, standard deviation 1), `"minmax"` (0 to 1), `"minmax_signed"` (-1 to 1),
#'   `"robust"` (median 0, quartile distance that of a standard normal), `"rank_normal"` (normal scores of the ranks,
#'   straight between the percentiles), `"piecewise"` (an input for each eighth of the rows, which goes from 0 to 1
#'   along it, so that a network can bend where the rows are), `"periodic"` (the z-score, and behind it the sine and
#'   cosine at four wavelengths, 8, 4, 2 and 1 standard deviations; both after Gorishniy et al. 2022, "On embeddings for
#'   numerical features in tabular deep learning"), `"none"`.
#' @param clip Numbers beyond the quantiles `clip` and `1 - clip` are set to them; 0 clips nothing. `"far"` clips what
#'   lies outside the training rows by more than half of their range. `"auto"` is `"far"` for the wirings of the rule,
#'   and 0 for a network that is named.
#' @param missing What becomes of missing values. For numbers `"auto"` is the median, and an input that says that it was
#'   missing where more than 1 % of the training rows are; `"flag"` always adds that input; `"median"`, `"mean"`,
#'   `"common"` (the most common value) fill only. For categories `"own"` makes missing a level of its own, `"auto"`
#'   does so above 1 %, `"common"` fills in the most common level; otherwise a missing level is 0 in all its inputs.
#'   `"drop"` sets aside rows with a missing value for training and evaluation, and leaves their predictions missing.
#' @param categories `"auto"`: `"indicator"` up to 100 levels and `"embedding"` of more; without hidden layers
#'   indicators up to 1,000 levels and `"frequency"` of more. `"indicator"`: an input for each level, 1 where the row
#'   has it; `"ordinal"`: one number, the place of the level in a factor's order, else in the alphabet's (for an order
#'   of your own see `rank_in()` in [expressions]); `"frequency"`: one number, the level's share of the training rows;
#'   `"hash"`: `buckets` inputs, into which levels fall by a hash of their text; `"embedding"`: each level is learned as
#'   a point in a few dimensions (Guo and Berkhahn 2016), rare and unseen levels as one that stays in the middle unless
#'   training has rare ones. The last three suit columns of hundreds of levels.
#' @param buckets Inputs of a hashed category.
#' @param embedding_width Dimensions of an embedding; `"auto"` is the square root of the number of levels, rounded up,
#'   at most 32.
#' @param rare Levels with a smaller share of the training rows than this are put together into one input, and so are
#'   levels that training never saw. Without rare levels, an unseen one is 0 in all inputs.
#' @param dates Parts that become inputs: `"season"` (place in the year, sine and cosine), `"weekday"`, `"month"`,
#'   `"quarter"` (indicators), `"year"` (a number), `"hour"` (place in the day, sine and cosine; for times). `"none"`
#'   leaves dates out. For the time since a date, such as how long a person has been a customer, make a column of days
#'   up to a day that you name: `add_columns(b, days = date("2026-01-01") - since)`.
#' @param missing_codes Values that stand for missing, such as `c(-9, "n/a")`. A text column that is numbers without
#'   them becomes numbers.
#' @param strongest How many columns become inputs: those that tell most of the target on the training rows of each
#'   network. `"auto"` is all of them, but for the wirings of the rule that take fewer, see [regimen()]. A column is
#'   ranked by the share of the target's variance, or of the classes' shares, that the means of eighths of the rows
#'   explain (of a category those of its levels), or a straight line if that is more, with what chance explains taken
#'   off (after Fan, Feng and Song 2011). Columns that tell something only together with others are not found so.
#' @param target For regression: `"zscore"` trains on the scaled target, `"none"` on the target itself, `"log"` on its
#'   logarithm, with predictions made means again by the smearing factor of Duan (1983), `"log_median"` without that
#'   factor, so that predictions are medians. Predictions and errors are in the target's own unit always.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A setting or value that is not known (the message names the nearest one); `only` with a column
#'   that is not there; `target` or `strongest` together with `only`.
#' @references Gorishniy, Rubachev and Babenko (2022) \doi{10.48550/arXiv.2203.05556}; Fan, Feng and Song (2011)
#'   \doi{10.1198/jasa.2011.tm09779}.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   prepare(missing = "median", rare = 0.01) |>
#'   prepare(only = c(load_kg, soak_min), numbers = "robust", clip = 0.01)
#' @export
prepare <- function(b, only = NULL, numbers = NULL, clip = NULL, missing = NULL, categories = NULL, buckets = NULL,
                    embedding_width = NULL, rare = NULL, dates = NULL, missing_codes = NULL, strongest = NULL,
                    target = NULL, ...) {
  UseMethod("prepare")
}

#' @export
prepare.hylomath_brief <- function(b, only = NULL, numbers = NULL, clip = NULL, missing = NULL, categories = NULL,
                                   buckets = NULL, embedding_width = NULL, rare = NULL, dates = NULL,
                                   missing_codes = NULL, strongest = NULL, target = NULL, ...) {
  check_others(...)
  columns <- select_columns(b, rlang::enquo(only), "only")
  changes <- drop_nulls(list(
    numbers = numbers, clip = clip, missing = missing, categories = categories, buckets = buckets,
    embedding_width = embedding_width, rare = rare, dates = dates, missing_codes = missing_codes
  ))
  former <- b$prepare$only
  if (is.null(columns)) {
    b <- set_section(b, "prepare", c(changes, list(strongest = strongest, target = target)))
    # later calls win: what is set for all is no longer set for some
    own <- lapply(former, function(own) own[setdiff(names(own), names(changes))])
  } else {
    if (!is.null(target)) fail("`target` is prepared in one way and can't be set for `only` some columns.")
    if (!is.null(strongest)) fail("`strongest` chooses among all inputs and can't be set for `only` some columns.")
    own <- prepared_alone(former, columns, settle_settings(changes, column_settings, "prepare.only"))
  }
  b$prepare$only <- own[lengths(own) > 0]
  if (is.null(missing_codes) || is.null(b$table)) return(b)
  # codes taken out can change what kind a column is
  b$columns$kinds[columns %||% names(b$columns$kinds)] <- NULL
  completed_anew(b)
}

#' @export
prepare.default <- function(b, ...) wrong_object("prepare", "a brief", b)

# What is set for some columns, with these changes for these columns.
prepared_alone <- function(own, columns, changes) {
  for (column in columns) {
    merged <- utils::modifyList(as.list(own[[column]]), changes)
    own[[column]] <- in_schema_order(merged, column_settings)
  }
  own
}
