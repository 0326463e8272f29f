#' Keep a model in a file
#'
#' One file holds everything: the brief, the learned preparation, the network, the loss curves, and the observed and
#' answered values of the held-out rows. Predictions after reading are identical bit for bit. Reading never runs code.
#'
#' @section Format: A gzip-compressed JSON document in UTF-8. Its top level has `format` (`"hylomath model"`),
#'   `format_version` (3), `brief` (the text of a brief file) and the other parts of a model, see [train()]. Texts,
#'   logicals and single numbers are JSON values, a number with a point or exponent being a double, and one without an
#'   integer. Longer vectors are `{"$doubles": ...}` and `{"$integers": ...}`, little-endian IEEE 754 doubles and
#'   32-bit integers in base64, and `{"$texts": [...]}`; a table is `{"$table": {column: vector, ...}}`, a matrix `{"$matrix": {rows, columns, sides, values}}`, both sides
#'   named, its values column by column. `null` stands
#'   for a missing text. `network.parameters` holds, for each embedding, a row a level
#'   (the first for unseen ones); then, layer by layer, the weights input by input, the biases and, with batch normalisation,
#'   gains, running means and running variances; at last the logarithms of the gaps between ordered classes' thresholds.
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
  parts <- c(list(format = "hylomath model", format_version = 3L), parts)
  text <- jsonlite::toJSON(as_stored(parts), auto_unbox = TRUE, null = "null", na = "null", json_verbatim = TRUE)
  write_whole(compress_text(enc2utf8(text)), file)
  invisible(model)
}

#' @rdname write_model
#' @export
read_model <- function(file) {
  check_file(file)
  foreign <- function(why) fail(sprintf("%s is not a model file: %s.", quoted(file), why), "Model files are written by write_model() or `hylomath train`.")
  if (!identical(readBin(file, "raw", 2), as.raw(c(0x1f, 0x8b)))) foreign("it is not compressed as one")
  text <- tryCatch(read_compressed(file), error = function(e) foreign("it is damaged"), warning = function(w) foreign("it is damaged"))
  parts <- tryCatch(jsonlite::parse_json(text), error = function(e) foreign("what it holds is damaged or something else"))
  if (!is.list(parts) || !identical(parts$format, "hylomath model")) foreign("it holds something else")
  if (!identical(parts$format_version, 3L)) {
    newer <- isTRUE(as_one_number(parts$format_version) > 3)
    fail(sprintf("%s was written by %s version of hylomath (format %s).", quoted(file), if (newer) "a newer" else "an older", parts$format_version), if (newer) "Update the package." else "Train its brief again.")
  }
  parts <- lapply(parts, from_stored)
  model <- parts[setdiff(names(parts), c("format", "format_version"))]
  broken <- setdiff(c("brief", "preparation", "network", "curves", "baseline"), names(model))
  if (length(broken)) foreign(sprintf("its part %s is missing", quoted(broken[1])))
  model$brief <- read_brief(text = model$brief)
  if (length(model$network$parameters) != parameter_count(model$network)) foreign("its network is damaged")
  structure(model, class = "hylomath_model")
}

# ---- R values as JSON ---------------------------------------------------------------------------------------------

as_stored <- function(x) {
  if (is.data.frame(x)) return(list("$table" = lapply(as.list(x), as_vector)))
  if (is.matrix(x)) return(list("$matrix" = list(rows = as_vector(rownames(x)), columns = as_vector(colnames(x)), sides = as_vector(names(dimnames(x)) %||% c("", "")), values = as_vector(as.double(x)))))
  if (is.list(x)) return(lapply(x, as_stored))
  if (length(x) == 1 && !is.na(x)) return(if (is.double(x)) stored_double(x) else x)
  as_vector(x)
}

as_vector <- function(x) {
  if (is.character(x)) return(list("$texts" = as.list(x)))
  if (is.integer(x)) return(list("$integers" = jsonlite::base64_enc(writeBin(x, raw(), endian = "little"))))
  list("$doubles" = jsonlite::base64_enc(writeBin(as.double(x), raw(), endian = "little")))
}

stored_double <- function(x) {
  if (!is.finite(x)) return(as_vector(x))
  text <- format_number(x)
  structure(if (grepl("[.e]", text)) text else paste0(text, ".0"), class = "json")
}

from_stored <- function(x) {
  if (!is.list(x) || length(x) == 0) return(x)
  if (length(x) == 1 && !is.null(names(x))) {
    value <- x[[1]]
    switch(names(x),
      "$table" = return(stored_table(value)),
      "$matrix" = return(stored_matrix(lapply(value, from_stored))),
      "$texts" = return(vapply(value, function(v) v %||% NA_character_, "")),
      "$integers" = return(stored_numbers(value, "integer", 4)),
      "$doubles" = return(stored_numbers(value, "double", 8))
    )
  }
  lapply(x, from_stored)
}

stored_numbers <- function(base64, what, bytes) {
  raw <- jsonlite::base64_dec(base64)
  readBin(raw, what, length(raw) / bytes, endian = "little")
}

stored_matrix <- function(x) {
  sides <- list(x$rows, x$columns)
  if (any(x$sides != "")) names(sides) <- x$sides
  matrix(x$values, length(x$rows), dimnames = sides)
}

stored_table <- function(columns) {
  columns <- lapply(columns, from_stored)
  structure(columns, class = "data.frame", row.names = seq_len(length(columns[[1]])))
}

# ---- compression --------------------------------------------------------------------------------------------------

compress_text <- function(text) {
  file <- tempfile()
  on.exit(unlink(file))
  connection <- gzfile(file, "wb")
  writeBin(charToRaw(text), connection)
  close(connection)
  readBin(file, "raw", file.size(file))
}

read_compressed <- function(file) {
  connection <- gzfile(file, "rb")
  on.exit(close(connection))
  parts <- list()
  while (length(part <- readBin(connection, "raw", 2^24)) > 0) parts[[length(parts) + 1]] <- part
  text <- rawToChar(unlist(parts))
  Encoding(text) <- "UTF-8"
  text
}
