#' Say which rows are held out
#'
#' Validation rows decide when training stops; calibration rows are kept for intervals; test rows are touched by
#' nothing but the appraisal. [parts_of()] shows the parts that come of it.
#'
#' @param b A brief.
#' @param folds Into how many folds the rows that are not held out are dealt for a cross-validation ensemble: each
#'   network learns from all but two of them, is stopped by one and predicts the other, so that no row lies idle.
#'   `"auto"`: 8, unless validation rows are asked for, the wiring is `linear`, there are several restarts, or rows are
#'   too few; 0 is one network with validation rows of its own. See [train()], and [quick()] for one network.
#' @param validation,test,calibration Shares of the rows, from 0 to below 1. `"auto"`: a test of 0.2, of the same
#'   rows whatever trains on the others; and validation rows of 0.15 where one network is trained.
#' @param by `"stratified"` gives every part the same share of each class (for numbers: of each band of ranks, ten
#'   bands where there are rows enough), `"random"` draws freely, `"ordered"` takes the last rows by the `order` column
#'   as test, before them calibration and validation, `"key"` goes by a hash of the id (or group), so that a row stays
#'   in its part when rows are added or reordered. Rows of one `group` always stay together, with `"stratified"` as
#'   balanced as the groups allow.
#' @param validation_where,test_where,calibration_where Conditions in place of a share, such as
#'   `test_where = fired_on >= "2025-06-01"`; see [expressions]. The rest of the rows is dealt out by the shares of the
#'   other parts.
#' @param parts A column that says the part of each row: `training`, `validation`, `calibration` or `test`; rows where
#'   it is missing are left out.
#' @param only_folds The folds whose networks are trained, such as `1:3`; all where nothing is said. The brief of an
#'   ensemble whose training was interrupted names those that had ended, and trains to the same weights again. In order
#'   of time the networks are then not trained once more on all rows.
#' @param gap How long after a row its outcome is known, where rows are ordered in time: `"30 days"`, `"12 hours"`, or a
#'   number in the unit of the `order` column. Of every part the rows within so long before the first row of a later
#'   part are left out: when that one came, nobody knew their outcome. It holds between training, validation,
#'   calibration and test rows by `"ordered"`, before the test rows of `test_where`, within the ensemble, and for
#'   [folds()] by `"ordered"`. 0 takes it back.
#' @param seed A whole number that fixes the draw. When not given it is drawn from R's generator, so `set.seed()`
#'   counts.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: Shares that leave no training rows; `folds` of 1 or 2; `folds` and validation rows at once; a
#'   condition on a column that is not there; `by = "ordered"` or `"key"` without such a column; a `gap` without an
#'   order, or in days where the order column counts. What depends on the
#'   table (a part without rows, a class without training rows) is said by [train()].
#' @examples
#' brief(kilns, target = "outcome") |> hold_out(validation = 0.2, test = 0.2, seed = 11) |> parts_of()
#' brief(kilns, target = "outcome") |> hold_out(test_where = fired_on >= "2025-06-01") |> parts_of()
#' brief(crossings, target = "passengers") |> set_columns(order = sails_on) |>
#'   hold_out(by = "ordered", gap = "14 days") |> parts_of()
#' @export
hold_out <- function(b, folds = NULL, validation = NULL, test = NULL, calibration = NULL, by = NULL,
                     validation_where = NULL, test_where = NULL, calibration_where = NULL, parts = NULL,
                     only_folds = NULL, gap = NULL, seed = draw_seed(), ...) {
  UseMethod("hold_out")
}

#' @export
hold_out.hylomath_brief <- function(b, folds = NULL, validation = NULL, test = NULL, calibration = NULL, by = NULL,
                                    validation_where = NULL, test_where = NULL, calibration_where = NULL, parts = NULL,
                                    only_folds = NULL, gap = NULL, seed = draw_seed(), ...) {
  check_others(...)
  conditions <- rlang::enquos(
    validation_where = validation_where, test_where = test_where, calibration_where = calibration_where
  )
  conditions <- Filter(Negate(rlang::quo_is_null), conditions)
  texts <- lapply(stats::setNames(nm = names(conditions)), function(name) {
    format_expression(capture_expression(conditions[[name]], quoted(name)))
  })
  shares <- list(
    folds = folds, validation = validation, test = test, calibration = calibration, by = by, only_folds = only_folds,
    gap = gap, seed = seed
  )
  given <- list(parts = select_columns(b, rlang::enquo(parts), "parts", one = TRUE))
  b$hold_out <- without_former_stop(b$hold_out, c(drop_nulls(shares), texts, drop_nulls(given)))
  b <- set_section(b, "hold_out", c(shares, texts, given))
  check_shares(b$hold_out)
  if (!is.null(b$table)) for (name in names(texts)) rows_where(texts[[name]], working_table_of(b), quoted(name))
  b
}

#' @export
hold_out.default <- function(b, ...) wrong_object("hold_out", "a brief", b)

# An ensemble is trained, or one network that validation rows stop: what is said last takes the place of the other.
without_former_stop <- function(how, said) {
  own <- intersect(c("validation", "validation_where", "parts"), names(said))
  if (is.null(said$folds) && length(own)) how$folds <- "auto"
  if (!is.null(said$folds) && !said$folds %in% c("auto", 0)) {
    if (!"validation" %in% own) how$validation <- "auto"
    how[setdiff(c("validation_where", "parts"), own)] <- NULL
  }
  how
}

#' One network, quickly
#'
#' By the rule [train()] trains a cross-validation ensemble. `quick()` asks for one: 15 % of the
#' rows stops it, the usual wiring is taken where none is named.
#'
#' @param b A brief.
#' @param ... Not used.
#' @return The brief, with `hold_out.folds` 0.
#' @section Errors: An object that is not a brief.
#' @examples
#' set.seed(1)
#' brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' @export
quick <- function(b, ...) UseMethod("quick")

#' @export
quick.hylomath_brief <- function(b, ...) {
  check_others(...)
  set_section(b, "hold_out", list(folds = 0))
}

#' @export
quick.default <- function(b, ...) wrong_object("quick", "a brief", b)
