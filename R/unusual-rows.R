#' How new rows differ from the training rows
#'
#' A network's predictions outside what it was trained on are not to be trusted. This counts, by column, levels that
#' training never saw, missing values where training had none, and numbers outside the training range.
#'
#' @param model A model.
#' @param data A data frame, see [predict()][predict.hylomath_model].
#' @param ... Not used.
#' @return An object of class `hylomath_unusual_rows` with `columns` (a data frame of `column`, `unseen`, `missing`,
#'   `outside`, `trained_on`, the range or the number of levels, and `chance`, whether so many are to be expected in
#'   rows like those of training; for columns in which any row differs), `rows` (for each row the unusual columns, an
#'   empty text for none), `clear` (how many rows differ in a column where it is no chance) and `n`.
#' @section Errors: A table without a column that the network needs; cells that are not numbers in columns of numbers.
#' @references Good (1953) \doi{10.1093/biomet/40.3-4.237}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> quick() |> train(progress = "none")
#' new <- head(kilns)
#' new$peak_c[2] <- 1500
#' new$glaze[3] <- "raku"
#' unusual_rows(model, new)
#' @export
unusual_rows <- function(model, data, ...) UseMethod("unusual_rows")

#' @export
unusual_rows.hylomath_model <- function(model, data, ...) {
  check_others(...)
  preparation <- model$predictor$preparation
  table <- new_rows(preparation, as_table(data))
  plans <- preparation$columns
  found <- lapply(plans, function(plan) unusual_in_column(plan, table[[plan$column]]))
  count <- function(what) vapply(found, function(f) sum(f[[what]]), 0)
  counts <- data.frame(
    column = prepared_columns(preparation), unseen = count("unseen"), missing = count("missing"),
    outside = count("outside"),
    trained_on = vapply(plans, trained_on, "")
  )
  # each end of a range is passed by one in so many rows as there were in training (Good 1953: new levels likewise)
  trained <- max(model$profile$rows %||% parts_of(model)$rows[1], 1)
  most <- function(share) stats::qbinom(1 - 0.01 / length(plans), nrow(table), pmin(share, 1))
  seen_once <- vapply(plans, function(plan) max(1, sum(plan$level_rows == 1)), 0)
  counts$chance <- counts$outside <= most(2 / (trained + 1)) & counts$missing <= most(1 / (trained + 1)) &
    counts$unseen <= most(seen_once / trained)
  told <- which(counts$unseen + counts$missing + counts$outside > 0)
  clear <- rep(FALSE, nrow(table))
  rows <- rep("", nrow(table))
  for (i in told) {
    unusual <- found[[i]]$unseen | found[[i]]$missing | found[[i]]$outside
    if (!counts$chance[i]) clear <- clear | unusual
    rows[unusual] <- paste0(rows[unusual], ifelse(rows[unusual] == "", "", ", "), counts$column[i])
  }
  new_result(
    list(n = nrow(table), columns = counts[told, ], rows = rows, clear = sum(clear)), "unusual_rows"
  )
}

#' @export
unusual_rows.default <- function(model, ...) wrong_object("unusual_rows", "a model", model)

#' @export
as.data.frame.hylomath_unusual_rows <- function(x, ...) x$columns

#' @export
format.hylomath_unusual_rows <- function(x, ...) {
  said <- unusual_counts_text(x$n, sum(x$rows != ""), x$columns)
  if (any(x$rows != "") && x$clear == 0) c(said, "  So many are to be expected by chance.") else said
}

unusual_counts_text <- function(n, unusual, columns) {
  rows <- counted(n, "row")
  if (unusual == 0) return(sprintf("None of %s differs from what the network was trained on.", rows))
  what <- "%s of %s differ from what the network was trained on; predictions there are not to be trusted."
  c(sprintf(what, format_count(unusual), rows), unusual_columns_text(columns))
}

unusual_columns_text <- function(columns) {
  vapply(seq_len(nrow(columns)), function(i) {
    column <- columns[i, ]
    counts <- c(
      "with a level that is not in the training data" = column$unseen,
      "missing, which the column never was in training" = column$missing,
      "outside the training range" = column$outside
    )
    counts <- counts[counts > 0]
    parts <- paste(format_each_count(counts), names(counts), collapse = ", ")
    trained <- if (column$trained_on == "") "" else sprintf(" (%s)", column$trained_on)
    sprintf("  %s: %s%s", column$column, parts, trained)
  }, "")
}
