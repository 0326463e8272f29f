# A search in a file: JSON, one document a line. The first says what is searched; each other one is a fit, written as
# it ends. A line that was cut off by a kill is no line, and the fit is done again.

# list(find, add): `find` gives the fit of a trial, fold and share of epochs if it is known, `add` makes one known.
# The file is taken until `frame` ends.
open_store <- function(file, search, frame = parent.frame()) {
  known <- new.env()
  place <- function(key, fold, share) sprintf("%s | %d | %s", key, as.integer(fold), format_number(share))
  if (!is.null(file)) {
    header <- store_header(search)
    growing <- growing_file(file, header, frame)
    for (line in if (file.exists(file)) continued_lines(file, header)) {
      known[[place(line$settings, line$fit$fold, line$fit$share)]] <- line$fit
    }
  }
  list(
    find = function(key, fold, share) known[[place(key, fold, share)]],
    add = function(key, fit) {
      known[[place(key, fit$fold, fit$share)]] <- fit
      if (!is.null(file)) growing$add(list(settings = key, fit = as.list(fit)))
    }
  )
}

store_header <- function(search) {
  list(
    format = store_kind$format, format_version = store_kind$version, brief = brief_yaml(without_about(search$brief)),
    base = brief_yaml(without_about(search$base)), evaluate = search$evaluate, table = table_hash(search$brief$table),
    space = unname(search$space), where = search$where, seed = search$seed, k = search$k, repeats = search$repeats,
    by = search$by, folds = search$folds, layers = search$layers, start = as.list(search$start),
    own = as.list(search$own), at_once = as.integer(search$at_once)
  )
}

# The fits of a file that holds the same search.
continued_lines <- function(file, header) {
  stored <- read_store(file, mend = TRUE)
  apart <- header_difference(header, stored$header)
  if (!is.null(apart)) {
    what <- quoted(store_words(apart, header, stored$header))
    hint <- "seeds that were not set are drawn anew by brief() and regimen()."
    fail(
      sprintf("%s holds another search: its %s differs.", quoted(file), what),
      paste("Name another file, or remove this one;", hint)
    )
  }
  stored$fits
}

store_words <- function(name, own, stored) if (name == "brief") brief_difference(own$brief, stored$brief) else name

read_store <- function(file, mend = FALSE) {
  stored <- read_json_lines(file, store_kind, mend)
  fits <- each_line(stored$lines, file, store_kind, function(line) {
    fit <- lapply(line$fit, from_stored)
    holds <- is_text(line$settings, 1) && identical(names(fit), names(no_fits())) && all(vapply(fit, is_numbers, NA, 1))
    if (holds) list(settings = line$settings, fit = as.data.frame(fit))
  })
  list(header = stored$header, fits = fits)
}

store_kind <- list(
  format = "hylomath scouting", version = 4L, what = "search", texts = c("brief", "base", "evaluate", "table"),
  hint = "Such files are written by scout(file = ) or `hylomath scout`.", again = "Search again."
)

is_store <- function(file) {
  starts_with_bytes(file, "{\"format\":\"hylomath scouting\"")
}

# A search that is continued without a seed of its own goes on with the one it had.
stored_seed <- function(file) {
  if (!is.null(file) && file.exists(file)) as.numeric(from_stored(read_store(file)$header$seed))
}
