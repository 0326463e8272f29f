#' How new rows differ from the training rows
#'
#' A network's predictions outside what it was trained on are not to be trusted. This counts, by column, levels that
#' training never saw, missing values where training had none, and numbers outside the training range.
#'
#' @param model A model.
#' @param newdata A data frame, see [predict()][predict.hylomath_model].
#' @param ... Not used.
#' @return An object of class `hylomath_strangeness` with `columns` (a data frame of `column`, `unseen`, `missing`,
#'   `outside`, `trained_on`, the range or the number of levels, and `chance`, whether so many are to be expected in
#'   rows like those of training; for columns with anything to tell), `rows` (for each row the strange columns, an empty
#'   text for none), `clear` (how many rows differ in a column where it is no chance) and `n`.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> quick() |> train(progress = "none")
#' new <- head(kilns)
#' new$peak_c[2] <- 1500
#' new$glaze[3] <- "raku"
#' strangeness(model, new)
#' @export
strangeness <- function(model, newdata, ...) UseMethod("strangeness")

#' @export
strangeness.hylomath_model <- function(model, newdata, ...) {
  check_others(...)
  preparation <- model$predictor$preparation
  table <- new_rows(preparation, as_table(newdata))
  plans <- preparation$columns
  found <- lapply(plans, function(plan) strange_rows(plan, table[[plan$column]]))
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
    strange <- found[[i]]$unseen | found[[i]]$missing | found[[i]]$outside
    if (!counts$chance[i]) clear <- clear | strange
    rows[strange] <- paste0(rows[strange], ifelse(rows[strange] == "", "", ", "), counts$column[i])
  }
  structure(
    list(n = nrow(table), columns = counts[told, ], rows = rows, clear = sum(clear)), class = "hylomath_strangeness"
  )
}

#' @export
strangeness.default <- function(model, ...) wrong_object("strangeness", "a model", model)
