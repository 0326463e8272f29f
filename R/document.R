# What models and results are kept in: gzip-compressed JSON in UTF-8, whose head says what it is and holds the checksum
# of the content behind it. A kind of document is list(format, version, foreign, hint, again): its name and number, what
# is said of a file that is of another kind, where such files come from, and what to do about one of an older version.
# The values in it are those of json.R.

document_head <- paste0(
  "^[{]\"format\":\"([^\"]*)\",\"format_version\":([0-9]+),\"checksum\":\"([0-9a-f]{64})\",\"content\":"
)

document_text <- function(kind, content) {
  content <- json_text(content)
  sprintf(
    "{\"format\":\"%s\",\"format_version\":%d,\"checksum\":\"%s\",\"content\":%s}", kind$format, kind$version,
    text_checksum(content), content
  )
}

write_document <- function(kind, content, file) write_compressed(document_text(kind, content), file)

fail_foreign <- function(kind, file, why) fail(sprintf("%s %s: %s.", quoted(file), kind$foreign, why), kind$hint)

# The content as JSON has it: it is checked before it is parsed.
read_document <- function(kind, file) {
  check_file(file)
  foreign <- function(why) fail_foreign(kind, file, why)
  damaged <- function(e) foreign("it is damaged")
  if (!is_compressed(file)) foreign("it is not compressed as one")
  text <- said_by_others(tryCatch(read_compressed(file), warning = damaged), damaged)
  if (!validUTF8(text)) foreign("it is damaged")
  parse <- function(text) {
    unreadable <- function(e) foreign("what it holds is damaged or something else")
    said_by_others(parse_document(text, quoted(file)), unreadable)
  }
  head <- regmatches(text, regexec(document_head, substr(text, 1, 200)))[[1]]
  said <- if (length(head)) list(format = head[2], format_version = as.integer(head[3])) else parse(text)
  if (!is.list(said) || !identical(said$format, kind$format)) foreign("it holds something else")
  check_document_version(kind, file, said$format_version)
  if (length(head) == 0) foreign("it is damaged")
  content <- substr(text, nchar(head[1]) + 1, nchar(text) - 1)
  if (!identical(text_checksum(content), head[4])) foreign("it is damaged, its checksum is another one")
  content <- parse(content)
  if (is.list(content)) content else foreign("it is damaged")
}

check_document_version <- function(kind, file, version) {
  number <- as_one_number(version)
  if (identical(as.integer(number), kind$version)) return()
  newer <- isTRUE(number > kind$version)
  by <- if (newer) "a newer" else "an older"
  fail(
    sprintf("%s was written by %s version of hylomath (format %s).", quoted(file), by, version),
    if (newer) "Update the package." else kind$again
  )
}

# What `make` makes of a content; it fails where the content is of another kind.
made_of_content <- function(kind, file, make) {
  tryCatch(make, error = function(e) {
    fail_foreign(kind, file, if (inherits(e, "hylomath_error")) sub("[.]$", "", e$what) else "it is damaged")
  })
}

is_document <- function(kind, file) compressed_starts_with(file, sprintf("{\"format\":\"%s\"", kind$format))

# ---- what a document may hold ----------------------------------------------------------------------------------------

# A check for each part, by its path; the path of the first part that fails its check, NULL where all hold. The code
# that prints, draws and predicts relies on them.
first_broken <- function(x, checks) {
  local_exact_names()
  for (path in names(checks)) {
    part <- function() Reduce(function(x, name) x[[name]], strsplit(path, ".", fixed = TRUE)[[1]], x)
    holds <- tryCatch(isTRUE(checks[[path]](part())), error = function(e) FALSE, warning = function(w) FALSE)
    if (!holds) return(path)
  }
  NULL
}

is_texts <- function(x) length(x) == 0 || (is.character(x) && !anyNA(x))

is_numbers <- function(x, n = length(x)) is.numeric(x) && length(x) == n && !anyNA(x)

# A number, or that it isn't known.
is_known_number <- function(x) (is.numeric(x) || is.logical(x)) && length(x) == 1

is_place <- function(x, least, most) is_numbers(x, 1) && x == round(x) && x >= least && x <= most

wants_maybe <- function(check) function(x) is.null(x) || check(x)

wants_text <- function(x) is_text(x, 1)

wants_texts <- function(least = 0) function(x) is_texts(x) && length(x) >= least

wants_place <- function(least) function(x) is_place(x, least, .Machine$integer.max)

wants_share <- function(x) is_numbers(x, 1) && x > 0 && x < 1

# A table with these columns of texts and of numbers, of so many rows at least.
wants_columns <- function(texts, numbers = character(), least = 0) {
  function(x) {
    of_numbers <- function(column) is.numeric(column) || all(is.na(column))
    is.data.frame(x) && nrow(x) >= least && all(c(texts, numbers) %in% names(x)) &&
      all(vapply(x[texts], is.character, NA)) && all(vapply(x[numbers], of_numbers, NA))
  }
}

# A table with these columns at least, all of numbers but the ones that are named as texts.
wants_numbers <- function(columns, but = character()) {
  function(x) {
    all(columns %in% names(x)) && wants_columns(intersect(but, names(x)), setdiff(names(x), but))(x)
  }
}
