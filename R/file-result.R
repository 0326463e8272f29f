#' Keep a result in a file
#'
#' What [folds()], [vary()], [sift()], [lineup()] and [appraise()] return, to be opened later. A [scout()] keeps
#' itself: `read_result()` opens its `file` too, finished or not.
#'
#' @section Format: A gzip-compressed JSON document in UTF-8 whose top level has `format` (`"hylomath result"`),
#'   `format_version` (5), `checksum` (of the text behind it) and `result`, in the form of a model file's values, see
#'   [write_model()]; what has a class is
#'   `{"$object": {class, value}}`, and a brief its text without its table. Reading never runs code.
#' @param x A result.
#' @param file A path. It is written whole or not at all.
#' @return `write_result()` returns `x` invisibly, `read_result()` the result; its brief has no table, so give one to
#'   what trains: `train(best_brief(x), data = )`.
#' @section Errors: A file that can't be read, is damaged, or holds something else.
#' @examples
#' set.seed(1)
#' f <- folds(brief(kilns, target = "outcome") |> regimen(epochs = 10), k = 3, progress = "none")
#' file <- tempfile(fileext = ".folds")
#' write_result(f, file)
#' identical(read_result(file)$measures, f$measures)
#' @export
write_result <- function(x, file) {
  if (!inherits(x, kept_classes)) {
    what <- "Only results of folds(), vary(), sift(), lineup() and appraise() can be written this way, not %s."
    hint <- if (is_model(x)) {
      "Models go by write_model()."
    } else if (inherits(x, "hylomath_scouting")) {
      "Give scout() a `file`, which keeps every fit."
    }
    fail(sprintf(what, describe_class(x)), hint)
  }
  content <- json_text(briefs_as_text(x))
  head <- sprintf(result_head, result_format, text_checksum(content))
  write_compressed(paste0(head, content, "}"), file)
  invisible(x)
}

kept_classes <- c("hylomath_folds", "hylomath_variation", "hylomath_sifting", "hylomath_lineup", "hylomath_appraisal")

result_format <- 5L

result_head <- "{\"format\":\"hylomath result\",\"format_version\":%d,\"checksum\":\"%s\",\"result\":"

#' @rdname write_result
#' @export
read_result <- function(file) {
  check_file(file)
  foreign <- function(why) {
    hint <- "Results are written by write_result(), scout(file = ) or the command's `--keep`."
    fail(sprintf("%s holds no result: %s.", quoted(file), why), hint)
  }
  if (is_store(file)) {
    search <- read_scouting(file)
    if (!is.null(broken_in_result(search))) fail_damaged_search(file)
    return(search)
  }
  if (!is_compressed(file)) foreign("it is not compressed as one")
  damaged <- function(e) foreign("it is damaged")
  text <- said_by_others(tryCatch(read_compressed(file), warning = damaged), damaged)
  if (!validUTF8(text)) foreign("it is damaged")
  document <- said_by_others(parse_document(text, quoted(file)), damaged)
  if (!is.list(document) || !identical(document$format, "hylomath result")) foreign("it holds something else")
  version <- document$format_version
  if (!identical(version, result_format)) {
    what <- "%s was written by another version of hylomath (format %s)."
    fail(sprintf(what, quoted(file), version), "Make the result again.")
  }
  content <- substr(text, nchar(sprintf(result_head, result_format, strrep("0", 64))) + 1, nchar(text) - 1)
  if (!identical(text_checksum(content), document$checksum)) foreign("it is damaged, its checksum is another one")
  result <- tryCatch(
    text_as_briefs(from_stored(document$result)),
    error = function(e) foreign(if (inherits(e, "hylomath_error")) sub("[.]$", "", e$what) else "it is damaged")
  )
  if (!inherits(result, kept_classes)) foreign("it holds something else")
  broken <- broken_in_result(result)
  if (!is.null(broken)) foreign(sprintf("it is damaged, its `%s` is not that of one", broken))
  result
}

# Whether a file holds a result, as against a model.
is_result <- function(file) is_store(file) || compressed_starts_with(file, "{\"format\":\"hylomath result\"")

# Briefs anywhere in a result by their text, without their table, and back.
briefs_as_text <- function(x) {
  if (inherits(x, "hylomath_brief")) return(structure(list(text = brief_yaml(x)), class = "brief_text"))
  if (is.list(x) && !is.data.frame(x)) x[] <- lapply(x, briefs_as_text)
  x
}

text_as_briefs <- function(x) {
  if (inherits(x, "brief_text")) return(read_brief(text = x$text, read = FALSE))
  if (is.list(x) && !is.data.frame(x)) x[] <- lapply(x, text_as_briefs)
  x
}
