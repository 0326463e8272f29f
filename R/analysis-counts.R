# How many rows each part has.

#' The parts of a table
#'
#' @param x A brief with its table, or a model.
#' @param each For a brief: whether to give the part of each row instead of counts.
#' @param ... Not used.
#' @return With `each`, a data frame with a row for each row of the table: `row`, its number, the id where there is one,
#'   `part` (or why it is set aside), and for rows that rotate the `turn` in which they are answered. Else a data frame
#'   with a row for each part that has rows: `part`, `rows`, `share` of the rows in parts, and for classification a
#'   column for each class with its share of the part. Rows that belong to no part are counted as `set aside: weight 0`,
#'   `set aside: filtered`, `set aside: no target` and `set aside: gap`.
#' @examples
#' parts_of(brief(kilns, target = "outcome"))
#' @export
parts_of <- function(x, ...) UseMethod("parts_of")

#' @rdname parts_of
#' @export
parts_of.hylomath_brief <- function(x, each = FALSE, ...) {
  check_others(...)
  if (is.null(x$table)) fail("This brief has no table to be parted.")
  a <- settle(x)
  if (each) part_of_each(a) else count_parts(a)
}

# Each row's part as it is told, or why it has none.
part_names_of <- function(a) {
  part <- ifelse(is.na(a$aside), a$part, paste("set aside:", a$aside))
  if (rotates(a)) part[part == "training"] <- "rotation"
  part
}

part_of_each <- function(a) {
  part <- part_names_of(a)
  each <- data.frame(row = seq_along(part))
  each[a$roles$id] <- a$table[a$roles$id]
  each$part <- part
  if (rotates(a)) each$turn <- a$turn
  each
}

#' @export
parts_of.default <- function(x, ...) wrong_object("parts_of", "a brief or a model", x)

count_parts <- function(a) {
  part <- part_names_of(a)
  in_parts <- c("rotation", part_names)
  known <- c(in_parts, "set aside: weight 0", "set aside: filtered", "set aside: no target", "set aside: gap")
  rows <- table(factor(part, known))
  counted <- data.frame(part = known, rows = as.integer(rows), share = as.numeric(rows) / sum(rows[in_parts]))
  counted$share[!counted$part %in% in_parts] <- NA
  classes <- a$target$classes
  if (has_classes(a$target)) {
    label <- factor(as_label(a$table[[a$target$columns]]), classes)
    shares <- prop.table(table(factor(part, known), label), 1)
    for (class in classes) counted[[class]] <- ifelse(is.na(counted$share), NA, as.numeric(shares[, class]))
  }
  counted <- counted[counted$rows > 0, ]
  rownames(counted) <- NULL
  counted
}
