#' Keep a result in a file
#'
#' What [folds()], [vary()], [sift()], [lineup()] and [appraise()] return, to be opened later. A [scout()] keeps
#' itself: `read_result()` opens its `file` too, finished or not.
#'
#' @section Format: A gzip-compressed JSON document in UTF-8 whose top level has `format` (`"hylomath result"`),
#'   `format_version` (3) and `result`, in the form of a model file's values, see [write_model()]; what has a class is
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
    what <- "Only results of folds(), vary(), sift(), lineup() and appraise() are written so, not %s."
    hint <- if (is_model(x)) {
      "Models go by write_model()."
    } else if (inherits(x, "hylomath_scouting")) {
      "Give scout() a `file`, which keeps every fit."
    }
    fail(sprintf(what, describe_class(x)), hint)
  }
  document <- list(format = "hylomath result", format_version = result_format, result = briefs_as_text(x))
  write_compressed(json_text(document), file)
  invisible(x)
}

kept_classes <- c("hylomath_folds", "hylomath_variation", "hylomath_sifting", "hylomath_lineup", "hylomath_appraisal")

result_format <- 3L

#' @rdname write_result
#' @export
read_result <- function(file) {
  check_file(file)
  foreign <- function(why) {
    hint <- "Results are written by write_result(), scout(file = ) or the command's `--keep`."
    fail(sprintf("%s holds no result: %s.", quoted(file), why), hint)
  }
  if (is_store(file)) return(read_scouting(file))
  if (!is_compressed(file)) foreign("it is not compressed as one")
  damaged <- function(e) if (inherits(e, "hylomath_error")) rlang::cnd_signal(e) else foreign("it is damaged")
  document <- tryCatch(parse_document(read_compressed(file), quoted(file)), error = damaged, warning = damaged)
  if (!is.list(document) || !identical(document$format, "hylomath result")) foreign("it holds something else")
  version <- document$format_version
  if (!identical(version, result_format)) {
    what <- "%s was written by another version of hylomath (format %s)."
    fail(sprintf(what, quoted(file), version), "Make the result again.")
  }
  result <- tryCatch(
    text_as_briefs(from_stored(document$result)),
    error = function(e) foreign(if (inherits(e, "hylomath_error")) e$what else "it is damaged")
  )
  if (!inherits(result, kept_classes)) foreign("it holds something else")
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
