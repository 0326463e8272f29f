# What is said about a brief and its table before anything is trained.

#' @export
notes.hylomath_brief <- function(x, ...) {
  a <- if (!is.null(x$table)) tryCatch(settle(x), hylomath_error = function(e) NULL)
  if (is.null(a)) join_notes() else brief_notes(x, a)
}

brief_notes <- function(b, a) {
  rows <- rows_in(a, "training")
  target <- a$target$columns[1]
  leaks <- leaking_inputs(a, rows)
  pairs <- leaking_pairs(a, rows)
  said <- c(unlist(b$columns[column_roles]), b$columns$drop)
  units <- setdiff(names(Filter(function(kind) kind == "id", b$columns$kinds)), said)
  units <- Filter(function(column) anyDuplicated(a$table[[column]]) > 0, intersect(units, names(a$table)))
  counted <- a$target$task == "count" && length(a$target$columns) == 1
  join_notes(
    note_gives_away(leaks, target), note_pair_gives_away(pairs, target), note_units(a$table[units]),
    if (counted) note_few_counts(a$table[[target]], target)
  )
}
