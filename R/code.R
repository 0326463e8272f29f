#' A brief as an R script
#'
#' A script that runs as it stands, rebuilds the brief, reads the table that it names and trains: with the seeds that
#' stand in the brief it gives the same networks bit for bit.
#'
#' @param b A brief, or a model, whose brief is meant.
#' @param ... Not used.
#' @return A text. Where the brief names no table, the script says where to put one.
#' @examples
#' code <- as_code(brief(kilns, target = "outcome") |> hold_out(seed = 1) |> regimen(seed = 2))
#' cat(code)
#' @export
as_code <- function(b, ...) UseMethod("as_code")

#' @export
as_code.hylomath_brief <- function(b, ...) {
  check_others(...)
  yaml <- brief_yaml(b)
  # a raw text ends where its dashes say, of which there are more than in the brief
  dashes <- max(0, attr(gregexpr("-+", yaml)[[1]], "match.length")) + 1
  fence <- strrep("-", dashes)
  table <- if (is.null(b$data)) "\n# the brief names no table: give the data frame that it was made for\ntable <- data"
  paste0(
    "library(hylomath)\n", table, "\nb <- read_brief(text = r\"", fence, "(", yaml, ")", fence, "\")\n\n",
    if (is.null(b$data)) "model <- train(b, data = table)\n" else "model <- train(b)\n"
  )
}

#' @export
as_code.hylomath_model <- function(b, ...) as_code(b$brief)

#' @export
as_code.default <- function(b, ...) wrong_object("as_code", "a brief or a model", b)
