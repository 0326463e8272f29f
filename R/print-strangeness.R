#' @export
print.hylomath_strangeness <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_strangeness <- function(x, ...) {
  strange <- sum(x$rows != "")
  if (strange == 0) return(sprintf("None of %s differs from what the network was trained on.", counted(x$n, "row")))
  one <- function(count, what) if (count > 0) sprintf("%s %s", format_count(count), what)
  lines <- vapply(seq_len(nrow(x$columns)), function(i) {
    column <- x$columns[i, ]
    parts <- c(one(column$unseen, "with a level that training never saw"), one(column$gaps, "missing, which training never met"), one(column$outside, "outside the training range"))
    sprintf("  %s: %s%s", column$column, paste(parts, collapse = ", "), if (column$trained_on == "") "" else sprintf(" (%s)", column$trained_on))
  }, "")
  c(sprintf("%s of %s differ from what the network was trained on; answers there are not to be trusted.", format_count(strange), counted(x$n, "row")), lines)
}
