# How many rows each part has.

#' The parts of a table
#'
#' @param x A brief with its table, or a model.
#' @param each For a brief: whether to give the part of each row instead of counts.
#' @param ... Not used.
#' @return With `each`, a data frame with a row for each row of the table: `row`, its number, the id where there is one,
#'   `part` (or why it is set aside), and where an ensemble is trained the `fold` in which rows are predicted. Else a
#'   data frame with a row for each part that has rows: `part`, `rows`, `share` of the rows in parts, and for
#'   classification a column for each class with its share of the part. Rows that belong to no part are counted as `set
#'   aside: weight 0`, `set aside: filtered`, `set aside: no target` and `set aside: missing value`.
#' @examples
#' parts_of(brief(kilns, target = "outcome"))
#' @export
parts_of <- function(x, ...) UseMethod("parts_of")

#' @rdname parts_of
#' @export
parts_of.hylomath_brief <- function(x, each = FALSE, ...) {
  check_others(...)
  if (is.null(x$table)) fail("This brief has no table to split.")
  a <- settle(x)
  if (each) part_of_each(a) else count_parts(a)
}

# The parts as they are told, and why rows have none.
told_parts <- c("out_of_fold", "training", "validation", "calibration", "test")
told_reasons <- c("weight 0", "filtered", "no target", "missing value")
told_names <- c(told_parts, paste("set aside:", told_reasons))

# Each row's place among them.
told_places <- function(a) {
  place <- match(a$part, told_parts)
  if (is_ensemble(a)) place[place %in% match("training", told_parts)] <- 1L
  without <- which(is.na(place))
  place[without] <- length(told_parts) + match(a$aside[without], told_reasons)
  place
}

part_of_each <- function(a) {
  part <- told_names[told_places(a)]
  each <- data.frame(row = seq_along(part))
  each[a$roles$id] <- a$table[a$roles$id]
  each$part <- part
  if (is_ensemble(a)) each$fold <- a$fold
  each
}

#' @export
parts_of.default <- function(x, ...) wrong_object("parts_of", "a brief or a model", x)

count_parts <- function(a) {
  place <- told_places(a)
  rows <- tabulate(place, length(told_names))
  in_parts <- seq_along(told_parts)
  counted <- data.frame(part = told_names, rows = rows, share = rows / sum(rows[in_parts]))
  counted$share[-in_parts] <- NA
  classes <- a$target$classes
  if (has_classes(a$target)) {
    class <- class_places(a$table[[a$target$columns]], classes)
    both <- tabulate(place + length(told_names) * (class - 1L), length(told_names) * length(classes))
    shares <- prop.table(matrix(both, length(told_names)), 1)
    for (k in seq_along(classes)) counted[[classes[k]]] <- ifelse(is.na(counted$share), NA, shares[, k])
  }
  counted <- counted[counted$rows > 0, ]
  rownames(counted) <- NULL
  counted
}
