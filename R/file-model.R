#' Keep a model in a file
#'
#' One file holds everything: the brief, the learned preparation, the network, the loss curves, and the observed and
#' answered values of the held-out rows. Predictions after reading are identical bit for bit. Reading never runs code.
#'
#' @section Format: A gzip-compressed JSON document in UTF-8. Its top level has `format` (`"hylomath model"`),
#'   `format_version` (6), `brief` (the text of a brief file) and the other parts of a model, see [train()]. Texts,
#'   logicals and single numbers are JSON values, a number with a point or exponent being a double, and one without an
#'   integer. Longer vectors are `{"$doubles": ...}` and `{"$integers": ...}`, little-endian IEEE 754 doubles and
#'   32-bit integers in base64, `{"$texts": [...]}` and `{"$flags": [...]}`, null for missing; a table is `{"$table":
#'   {"columns": {column: vector, ...}}}`, a matrix `{"$matrix": {rows, columns, sides, values}}`, both sides named, its
#'   values column by column. What several networks that answer together have alike is written once, in `shared`, and
#'   the members of `answerer` and `direct` hold its place there, from 1. `answerer.network.parameters` holds, for each
#'   embedding, a row a level (the first for
#'   unseen ones); then, layer by layer, the weights input by input, the biases and, with batch normalisation, gains,
#'   running means and running variances; at last the logarithms of the gaps between ordered classes' thresholds.
#' @param model A model.
#' @param file A path; `.hylo` is the usual ending. The file is written whole or not at all.
#' @return `write_model()` returns `model` invisibly, `read_model()` a model that is identical to the one written.
#' @section Errors: A file that can't be read, is damaged, or is no model file.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> train(progress = "none")
#' file <- tempfile(fileext = ".hylo")
#' write_model(model, file)
#' identical(predict(read_model(file), kilns), predict(model, kilns))
#' @export
write_model <- function(model, file) {
  if (!is_model(model)) fail(sprintf("Only a model can be written, not %s.", describe_class(model)))
  parts <- unclass(model)
  parts$brief <- brief_yaml(model$brief)
  parts$answerer <- without_classes(parts$answerer)
  if (!is.null(parts$direct)) parts$direct <- without_classes(parts$direct)
  document <- c(list(format = "hylomath model", format_version = model_format), with_shared(parts))
  write_whole(compress_text(json_text(document)), file)
  invisible(model)
}

# Their classes are given by who reads them.
without_classes <- function(answerer) {
  answerer <- unclass(answerer)
  if (!is.null(answerer$members)) answerer$members <- lapply(answerer$members, unclass)
  answerer
}

with_classes <- function(answerer) {
  if (!is.null(answerer$members)) answerer$members <- lapply(answerer$members, with_classes)
  structure(answerer, class = "hylomath_answerer")
}

model_format <- 6L

#' @rdname write_model
#' @export
read_model <- function(file) {
  check_file(file)
  foreign <- function(why) {
    hint <- "Model files are written by write_model() or `hylomath train`."
    fail(sprintf("%s is not a model file: %s.", quoted(file), why), hint)
  }
  if (!is_compressed(file)) foreign("it is not compressed as one")
  damaged <- function(e) foreign("it is damaged")
  text <- tryCatch(read_compressed(file), error = damaged, warning = damaged)
  parts <- tryCatch(
    jsonlite::parse_json(text),
    error = function(e) foreign("what it holds is damaged or something else")
  )
  if (!is.list(parts) || !identical(parts$format, "hylomath model")) foreign("it holds something else")
  check_model_format(file, parts$format_version)
  parts <- tryCatch(
    without_shared(lapply(parts[setdiff(names(parts), c("format", "format_version"))], from_stored)),
    error = function(e) foreign(if (inherits(e, "hylomath_error")) e$what else "it is damaged")
  )
  broken <- setdiff(c("brief", "answerer", "curves", "baseline"), names(parts))
  if (length(broken)) foreign(sprintf("its part %s is missing", quoted(broken[1])))
  part <- broken_part(parts)
  if (!is.null(part)) foreign(sprintf("its part %s is damaged", quoted(part)))
  parts$brief <- read_brief(text = parts$brief, read = FALSE)
  parts$answerer <- with_classes(parts$answerer)
  if (!is.null(parts$direct)) parts$direct <- with_classes(parts$direct)
  structure(parts, class = "hylomath_model")
}

check_model_format <- function(file, version) {
  if (identical(version, model_format)) return()
  newer <- isTRUE(as_one_number(version) > model_format)
  by <- if (newer) "a newer" else "an older"
  fail(
    sprintf("%s was written by %s version of hylomath (format %s).", quoted(file), by, version),
    if (newer) "Update the package." else "Train its brief again."
  )
}
