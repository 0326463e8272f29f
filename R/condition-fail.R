# Errors that say what is wrong, where, and what to do. They are raised before any work is done.

# `what` says what is wrong and where; `try` says what to do about it. The condition carries both.
fail <- function(what, try = NULL, class = NULL) {
  rlang::abort(c(what, i = try), class = c(class, "hylomath_error"), call = NULL, what = what, try = try)
}

# "Did you mean ...?" for a word that is not among the known ones, or the list of those.
suggestion <- function(word, known, limit = 12) {
  if (length(known) == 0) return("There are none.")
  meant <- did_you_mean(word, known)
  if (!is.null(meant)) return(meant)
  shown <- utils::head(known, limit)
  more <- if (length(known) > limit) sprintf(" and %d more", length(known) - limit) else ""
  paste0("Known are ", paste(shown, collapse = ", "), more, ".")
}

did_you_mean <- function(word, known) {
  distance <- utils::adist(word, known, ignore.case = TRUE)[1, ]
  if (min(distance) <= max(2, nchar(word) / 3)) sprintf("Did you mean %s?", quoted(known[which.min(distance)]))
}

# The same for files: a folder's whole list would help nobody.
suggest_file <- function(file) {
  beside <- list.files(dirname(file))
  distance <- utils::adist(basename(file), beside)
  if (length(beside) && min(distance) <= 3) sprintf("Did you mean %s?", quoted(beside[which.min(distance)]))
}

describe <- function(value) {
  if (length(value) == 0) return("nothing")
  if (is.list(value)) return("a list")
  if (length(value) > 1) return(sprintf("%d values", length(value)))
  if (is.na(value)) return("missing")
  if (is.character(value) || is.factor(value)) return(dQuote(as.character(value), FALSE))
  format(value)
}

describe_class <- function(x) paste0("an object of class ", paste(class(x), collapse = "/"))

# The methods of verbs for what they don't take.
wrong_object <- function(verb, takes, given) {
  fail(sprintf("%s() takes %s, not %s.", verb, takes, describe_class(given)))
}
