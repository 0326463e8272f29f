# Tables read and written for those who call the verbs themselves.

#' Read and write the rows of a file
#'
#' `read_rows()` reads a table as [brief()] reads it, so that it can be given to any verb; `write_rows()` writes one,
#' as the command does.
#'
#' @param file A path. To read: CSV and its kin, also compressed, Parquet or Excel; to write: `.csv`, `.parquet` or
#'   `.xlsx`.
#' @param model A model whose table has the same columns, or `NULL`: what it takes for text is read as text, whatever it
#'   looks like.
#' @return `read_rows()` a data frame, `write_rows()` `x`, invisibly. The file is written whole or not at all.
#' @section Errors: A file that can't be read (the message names line, column or byte), or a place that can't be written
#'   to.
#' @examples
#' file <- tempfile(fileext = ".csv")
#' write_rows(head(kilns), file)
#' read_rows(file)
#' @export
read_rows <- function(file, model = NULL) {
  if (!is_text(file, 1)) fail(sprintf("`file` must be one path, not %s.", describe(file)))
  if (!is.null(model)) check_model(model)
  structure(read_table(file, unlist(model$brief$columns$kinds)), columns = NULL)
}

#' @rdname read_rows
#' @param x A data frame.
#' @export
write_rows <- function(x, file) {
  if (!is.data.frame(x)) fail(sprintf("`x` must be a data frame, not %s.", describe_class(x)))
  check_can_write(file)
  write_table(as.data.frame(x), file)
  invisible(x)
}
