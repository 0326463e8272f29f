#' Try a row with other values
#'
#' For trying a row by hand: its prediction as it is beside that with the given values, the range that the network has
#' learned from, and the rule in force. It says what the network predicts, not what would happen if somebody changed the
#' thing itself.
#'
#' @param model A model.
#' @param data A table with the row.
#' @param row The id of a row of `data` as text, its number, or a data frame of one row.
#' @param values A list of the other values by column, as in `list(peak_c = 1300)`; `NA` for a missing one.
#' @param ... Not used.
#' @return An object of class `hylomath_tried_row`: `columns` is a data frame of `column`, `as_it_is`, `tried` and
#'   `trained_on` as text; `predictions` has two rows, as it is and tried, with what [predict()][predict.hylomath_model]
#'   gives and `unusual`, the columns in which it differs from the training rows; `rule` is the rule by which a class is
#'   predicted, or `NULL`. [as.data.frame()] gives `columns`.
#' @section Errors: No value; a column that the network does not take in; a value that is not of the column's kind; a
#'   row that is not there, or of which there are several.
#' @seealso [contributions()] for which columns moved the prediction.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' try_row(model, kilns, 5, list(peak_c = 1300, soak_min = 20))
#' @export
try_row <- function(model, data, row, values, ...) UseMethod("try_row")

#' @export
try_row.hylomath_model <- function(model, data, row, values, ...) {
  check_others(...)
  check_table_given(!missing(data))
  check_row_given(!missing(row))
  predictor <- model$predictor
  data <- as_table(data)
  needed <- needed_columns(predictor)
  values <- checked_values(if (!missing(values)) values, needed)
  # with its neighbours, whose types are the column's
  new_rows(predictor$preparation, data)
  id <- roles_of(model)$id
  as_it_is <- one_row(row, data, id)
  tried <- as_it_is
  for (column in names(values)) {
    if (is.factor(tried[[column]])) tried[[column]] <- as.character(tried[[column]])
    tried[[column]] <- value_like(values[[column]], as_it_is[[column]], column)
  }
  both <- rbind(as_it_is[needed], tried[needed])
  # what is far outside stands beside the prediction
  predictions <- withCallingHandlers(
    predict(model, both, type = if (has_classes(predictor$target)) "both" else "prediction"),
    hylomath_warning_far = rlang::cnd_muffle
  )
  predictions$unusual <- unusual_rows(model, both)$rows
  changed <- c(names(values), setdiff(needed, names(values)))
  seen <- vapply(predictor$preparation$columns, seen_in_training, "")
  names(seen) <- prepared_columns(predictor$preparation)
  text <- function(rows) vapply(changed, function(column) format_value(rows[[column]]), "")
  new_result(
    list(
      row = row_name(row, as_it_is, id),
      columns = data.frame(
        column = changed, as_it_is = text(as_it_is), tried = text(tried),
        trained_on = ifelse(changed %in% names(seen), seen[changed], ""), row.names = NULL
      ),
      values = values, predictions = predictions, rule = rule_text(predictor), target = predictor$target$columns,
      task = predictor$target$task
    ),
    "tried_row"
  )
}

# The id of the row or its number, NULL where it is given itself without an id.
row_name <- function(asked, row, id) {
  if (!is.null(id) && id %in% names(row)) return(as_label(row[[id]]))
  if (!is.data.frame(asked)) format_value(asked)
}

#' @export
try_row.default <- function(model, ...) wrong_object("try_row", "a model", model)

# The levels of a column, where they are few; its range otherwise.
seen_in_training <- function(plan) {
  if (!is.null(plan$levels) && length(plan$levels) <= 6) enumerate(plan$levels) else trained_on(plan)
}

checked_values <- function(values, columns) {
  values <- as.list(values)
  if (length(values) == 0 || is.null(names(values)) || any(names(values) == "")) {
    fail("`values` gives no value by its column.", sprintf("Write it as in list(%s = ...).", column_text(columns[1])))
  }
  unknown <- setdiff(names(values), columns)
  if (length(unknown)) {
    fail(sprintf("The network takes in no column %s.", quoted(unknown[1])), suggestion(unknown[1], columns))
  }
  twice <- names(values)[duplicated(names(values))]
  if (length(twice)) fail(sprintf("Column %s is given twice.", quoted(twice[1])))
  values
}

# A value in the type of its column.
value_like <- function(value, x, column) {
  if (length(value) != 1 || !is.atomic(value)) {
    fail(sprintf("Column %s takes one value, not %s.", quoted(column), describe(value)))
  }
  if (is.na(value)) return(if (is.factor(x)) NA_character_ else x[NA_integer_])
  text <- as.character(value)
  if (is.numeric(x)) {
    number <- as_one_number(text)
    if (is.na(number)) {
      fail(sprintf("Column %s holds numbers, and %s is none.", quoted(column), describe(value)), "Write it as 1250.5.")
    }
    return(number)
  }
  if (is_moment(x)) {
    moment <- tryCatch(
      if (inherits(x, "Date")) as.Date(text) else as.POSIXct(text, tz = "UTC"), error = function(e) NA
    )
    if (is.na(moment)) {
      fail(
        sprintf("Column %s holds dates, and %s is none.", quoted(column), describe(value)), "Write it as 2026-11-30."
      )
    }
    return(moment)
  }
  if (!is.logical(x)) return(text)
  if (is.na(as.logical(text))) {
    fail(sprintf("Column %s holds TRUE and FALSE, and %s is neither.", quoted(column), describe(value)))
  }
  as.logical(text)
}

#' @export
as.data.frame.hylomath_tried_row <- function(x, ...) x$columns

#' @export
format.hylomath_tried_row <- function(x, ...) {
  shown <- x$columns[seq_along(x$values), ]
  cells <- predicted_cells(x)[[1]]
  the <- if (is.null(x$row)) "The" else sprintf("Row %s: the", x$row)
  c(
    cli::style_bold(sprintf(
      "%s prediction is %s, and with %s it is %s",
      the, cells[1], enumerate(paste(shown$column, shown$tried)), cells[2]
    )), "",
    as_text_table(tried_cells(x), 4), "",
    paragraphs(c(x$rule, "This is what the network predicts, not what would happen if the values were changed."))
  )
}

# What is predicted as it is and tried, as text by name; and the columns that are unusual, if there are any.
predicted_cells <- function(x) {
  p <- x$predictions
  names(p) <- sub("^probability_", "probability of ", names(p))
  if (all(p$unusual == "")) p$unusual <- NULL
  lapply(p, function(v) if (is.numeric(v)) format_measure(v) else as.character(v))
}

# The values that are others, and what is predicted, a row each.
tried_cells <- function(x) {
  shown <- x$columns[seq_along(x$values), ]
  predicted <- predicted_cells(x)
  cells <- function(i) vapply(predicted, `[`, "", i, USE.NAMES = FALSE)
  list(
    " " = c(shown$column, names(predicted)), "as it is" = c(shown$as_it_is, cells(1)),
    tried = c(shown$tried, cells(2)), "trained on" = c(shown$trained_on, rep("", length(predicted)))
  )
}
