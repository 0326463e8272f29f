#' Keep a result in a file
#'
#' What [folds()], [vary()], [sift()], [lineup()] and [appraise()] return, to be opened later. A [scout()] keeps itself: `read_result()` opens its
#' `file` too, finished or not.
#'
#' @section Format: A gzip-compressed JSON document in UTF-8 whose top level has `format` (`"hylomath result"`), `format_version` (1) and
#'   `result`. Each value is an object: `{"null": true}`; `{"brief": text}`, a brief file without its table; `{"list": [values]}`;
#'   `{"doubles": ...}` and `{"integers": ...}`, little-endian in base64; `{"texts": [...]}` and `{"flags": [...]}`, null for missing;
#'   beside it `names`, `class`, `dim`, `dimnames`, `levels` and `row_names` where the value has them. Reading never runs code.
#' @param x A result.
#' @param file A path. It is written whole or not at all.
#' @return `write_result()` returns `x` invisibly, `read_result()` the result; its brief has no table, so give one to what trains:
#'   `train(best_brief(x), data = )`.
#' @section Errors: A file that can't be read, is damaged, or holds something else.
#' @examples
#' set.seed(1)
#' f <- folds(brief(kilns, target = "outcome") |> regimen(epochs = 10), k = 3, progress = "none")
#' file <- tempfile(fileext = ".folds")
#' write_result(f, file)
#' identical(read_result(file)$measures, f$measures)
#' @export
write_result <- function(x, file) {
  if (!inherits(x, kept_classes)) fail(sprintf("Only results of folds(), vary(), sift(), lineup() and appraise() are written so, not %s.", describe_class(x)), if (is_model(x)) "Models go by write_model()." else if (inherits(x, "hylomath_scouting")) "Give scout() a `file`, which keeps every fit.")
  document <- list(format = "hylomath result", format_version = 1L, result = as_kept(x))
  write_whole(compress_text(enc2utf8(jsonlite::toJSON(document, auto_unbox = TRUE, null = "null", na = "null"))), file)
  invisible(x)
}

kept_classes <- c("hylomath_folds", "hylomath_variation", "hylomath_sifting", "hylomath_lineup", "hylomath_appraisal")

#' @rdname write_result
#' @export
read_result <- function(file) {
  check_file(file)
  foreign <- function(why) fail(sprintf("%s holds no result: %s.", quoted(file), why), "Results are written by write_result(), scout(file = ) or the command's `--keep`.")
  if (is_store(file)) return(read_scouting(file))
  if (!identical(readBin(file, "raw", 2), as.raw(c(0x1f, 0x8b)))) foreign("it is not compressed as one")
  document <- tryCatch(jsonlite::parse_json(read_compressed(file)), error = function(e) foreign("it is damaged"), warning = function(w) foreign("it is damaged"))
  if (!is.list(document) || !identical(document$format, "hylomath result")) foreign("it holds something else")
  if (!identical(document$format_version, 1L)) fail(sprintf("%s was written by another version of hylomath (format %s).", quoted(file), document$format_version), "Make the result again.")
  result <- tryCatch(from_kept(document$result), error = function(e) foreign("it is damaged"))
  if (!inherits(result, kept_classes)) foreign("it holds something else")
  result
}

# Whether a file holds a result, as against a model.
is_result <- function(file) {
  if (is_store(file)) return(TRUE)
  if (!identical(readBin(file, "raw", 2), as.raw(c(0x1f, 0x8b)))) return(FALSE)
  connection <- gzfile(file, "rb")
  on.exit(close(connection))
  start <- charToRaw("{\"format\":\"hylomath result\"")
  identical(readBin(connection, "raw", length(start)), start)
}

# ---- values as JSON -----------------------------------------------------------------------------------------------

as_kept <- function(x) {
  if (is.null(x)) return(list(null = TRUE))
  if (inherits(x, "hylomath_brief")) return(list(brief = brief_yaml(x)))
  if (is.function(x) || is.environment(x) || is.language(x)) fail("A result with code in it can't be kept.")
  texts <- function(v) if (!is.null(v)) as.list(v)
  value <- if (is.list(x)) list(list = lapply(unname(unclass(x)), as_kept)) else switch(typeof(x),
    double = list(doubles = jsonlite::base64_enc(writeBin(as.double(x), raw(), endian = "little"))),
    integer = list(integers = jsonlite::base64_enc(writeBin(as.integer(x), raw(), endian = "little"))),
    logical = list(flags = as.list(as.vector(x))), list(texts = as.list(as.character(x)))
  )
  if (is.list(x) && length(x) == 0) value <- list(list = list())
  row_names <- if (is.data.frame(x)) { if (is.character(attr(x, "row.names"))) texts(attr(x, "row.names")) else list(nrow(x)) }
  drop_nulls(c(value, list(
    names = texts(names(x)), class = if (is.object(x)) texts(class(x)), dim = if (!is.null(dim(x)) && !is.data.frame(x)) as.list(dim(x)),
    dimnames = if (!is.null(dimnames(x)) && !is.data.frame(x)) as_kept(dimnames(x)), levels = texts(levels(x)), row_names = row_names
  )))
}

from_kept <- function(k) {
  if (isTRUE(k$null)) return(NULL)
  if (!is.null(k$brief)) return(read_brief(text = k$brief, read = FALSE))
  texts <- function(v) vapply(v, function(one) one %||% NA_character_, "")
  x <- if (!is.null(k$list)) lapply(k$list, from_kept) else if (!is.null(k$doubles)) stored_numbers(k$doubles, "double", 8) else if (!is.null(k$integers)) stored_numbers(k$integers, "integer", 4) else if (!is.null(k$flags)) vapply(k$flags, function(one) one %||% NA, NA) else texts(k$texts)
  if (!is.null(k$names)) names(x) <- texts(k$names)
  if (!is.null(k$dim)) dim(x) <- as.integer(unlist(k$dim))
  if (!is.null(k$dimnames)) dimnames(x) <- from_kept(k$dimnames)
  if (!is.null(k$levels)) levels(x) <- texts(k$levels)
  if (!is.null(k$row_names)) attr(x, "row.names") <- if (is.character(k$row_names[[1]])) texts(k$row_names) else .set_row_names(as.integer(k$row_names[[1]]))
  if (!is.null(k$class)) class(x) <- texts(k$class)
  x
}
