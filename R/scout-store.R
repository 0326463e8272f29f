# A search in a file: JSON, one document a line. The first says what is searched; each other one is a fit, written as it ends. A line that was
# cut off by a kill is no line, and the fit is done again.

# list(find, add): `find` gives the fit of a trial, fold and share of epochs if it is known, `add` makes one known.
open_store <- function(file, search) {
  known <- new.env()
  place <- function(key, fold, share) sprintf("%s | %d | %s", key, as.integer(fold), format_number(share))
  if (!is.null(file)) {
    header <- store_header(search)
    if (file.exists(file)) {
      for (line in continued_lines(file, header)) known[[place(line$settings, line$fit$fold, line$fit$share)]] <- line$fit
    } else {
      write_whole(charToRaw(paste0(stored_line(header), "\n")), file)
    }
  }
  list(
    find = function(key, fold, share) known[[place(key, fold, share)]],
    add = function(key, fit) {
      known[[place(key, fit$fold, fit$share)]] <- fit
      if (!is.null(file)) cat(stored_line(list(settings = key, fit = as.list(fit))), "\n", file = file, sep = "", append = TRUE)
    }
  )
}

store_header <- function(search) {
  list(
    format = "hylomath scouting", format_version = 1L, brief = brief_yaml(search$brief), table = rlang::hash(search$brief$table),
    space = unname(search$space), where = search$where, seed = search$seed, k = search$k, repeats = search$repeats, by = search$by, folds = search$folds, layers = search$layers, own = as.list(search$own), at_once = as.integer(search$at_once)
  )
}

stored_line <- function(x) jsonlite::toJSON(as_stored(x), auto_unbox = TRUE, null = "null", na = "null", json_verbatim = TRUE)

# The fits of a file that holds the same search.
continued_lines <- function(file, header) {
  stored <- read_store(file)
  own <- jsonlite::parse_json(stored_line(header))
  apart <- Filter(function(name) !identical(own[[name]], stored$header[[name]]), union(names(own), names(stored$header)))
  if (length(apart)) {
    fail(sprintf("%s holds another search: its %s differs.", quoted(file), quoted(store_words(apart[1], own, stored$header))), "Name another file, or remove this one; seeds that were not set are drawn anew by brief() and regimen().")
  }
  stored$fits
}

# What differs, in the brief the key itself.
store_words <- function(name, own, stored) {
  if (name != "brief") return(name)
  settings <- lapply(list(own$brief, stored$brief), function(text) flat_settings(brief_settings(read_brief(text = text, read = FALSE))))
  keys <- union(names(settings[[1]]), names(settings[[2]]))
  Filter(function(key) !identical(unname(settings[[1]][key]), unname(settings[[2]][key])), keys)[1] %||% name
}

read_store <- function(file) {
  check_file(file)
  foreign <- function() fail(sprintf("%s holds no search.", quoted(file)), "Such files are written by scout(file = ) or `hylomath scout`.")
  text <- read_text(file)
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  parsed <- lapply(lines, function(line) tryCatch(jsonlite::parse_json(line), error = function(e) NULL))
  if (length(lines) == 0 || !is.list(parsed[[1]]) || !identical(parsed[[1]]$format, "hylomath scouting")) foreign()
  if (!identical(parsed[[1]]$format_version, 1L)) fail(sprintf("%s was written by another version of hylomath (format %s).", quoted(file), parsed[[1]]$format_version), "Search again.")
  # what a kill cut off goes, so that the next line begins on its own
  if (!endsWith(text, "\n")) write_whole(charToRaw(paste0(paste(lines[-length(lines)], collapse = "\n"), "\n")), file)
  fits <- lapply(drop_nulls(parsed[-1]), function(line) list(settings = line$settings, fit = as.data.frame(lapply(line$fit, from_stored))))
  list(header = parsed[[1]], fits = fits)
}

is_store <- function(file) {
  start <- charToRaw("{\"format\":\"hylomath scouting\"")
  identical(readBin(file, "raw", length(start)), start)
}

# A search that is continued without a seed of its own goes on with the one it had.
stored_seed <- function(file) if (!is.null(file) && file.exists(file)) as.numeric(from_stored(read_store(file)$header$seed))
