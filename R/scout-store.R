# A search in a file: JSON, one document a line. The first says what is searched; each other one is a fit, written as
# it ends. A line that was cut off by a kill is no line, and the fit is done again.

# list(find, add): `find` gives the fit of a trial, fold and share of epochs if it is known, `add` makes one known.
open_store <- function(file, search) {
  known <- new.env()
  place <- function(key, fold, share) sprintf("%s | %d | %s", key, as.integer(fold), format_number(share))
  if (!is.null(file)) {
    header <- store_header(search)
    if (file.exists(file)) {
      for (line in continued_lines(file, header)) {
        known[[place(line$settings, line$fit$fold, line$fit$share)]] <- line$fit
      }
    } else {
      write_whole(charToRaw(paste0(json_text(header), "\n")), file)
    }
  }
  list(
    find = function(key, fold, share) known[[place(key, fold, share)]],
    add = function(key, fit) {
      known[[place(key, fit$fold, fit$share)]] <- fit
      line <- json_text(list(settings = key, fit = as.list(fit)))
      if (!is.null(file)) cat(line, "\n", file = file, sep = "", append = TRUE)
    }
  )
}

store_header <- function(search) {
  list(
    format = "hylomath scouting", format_version = 2L, brief = brief_yaml(search$brief),
    base = brief_yaml(search$base), judge = search$judge, table = table_hash(search$brief$table),
    space = unname(search$space), where = search$where, seed = search$seed, k = search$k, repeats = search$repeats,
    by = search$by, folds = search$folds, layers = search$layers, start = as.list(search$start),
    own = as.list(search$own), at_once = as.integer(search$at_once)
  )
}

# The fits of a file that holds the same search.
continued_lines <- function(file, header) {
  stored <- read_store(file, mend = TRUE)
  own <- jsonlite::parse_json(json_text(header))
  differs <- function(name) !identical(own[[name]], stored$header[[name]])
  apart <- Filter(differs, union(names(own), names(stored$header)))
  if (length(apart)) {
    what <- quoted(store_words(apart[1], own, stored$header))
    hint <- "seeds that were not set are drawn anew by brief() and regimen()."
    fail(
      sprintf("%s holds another search: its %s differs.", quoted(file), what),
      paste("Name another file, or remove this one;", hint)
    )
  }
  stored$fits
}

# What differs, in the brief the key itself.
store_words <- function(name, own, stored) {
  if (name != "brief") return(name)
  briefs <- lapply(list(own = own$brief, stored = stored$brief), function(text) read_brief(text = text, read = FALSE))
  settings_apart(briefs)$setting[1] %||% name
}

# `mend` takes away what a kill cut off, so that the next line begins on its own: for who goes on with the search only,
# since others may be reading it while it runs.
read_store <- function(file, mend = FALSE) {
  check_file(file)
  text <- read_text(file)
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  parsed <- lapply(lines, function(line) tryCatch(jsonlite::parse_json(line), error = function(e) NULL))
  if (length(lines) == 0 || !is.list(parsed[[1]]) || !identical(parsed[[1]]$format, "hylomath scouting")) {
    hint <- "Such files are written by scout(file = ) or `hylomath scout`."
    fail(sprintf("%s holds no search.", quoted(file)), hint)
  }
  version <- parsed[[1]]$format_version
  if (!identical(version, 2L)) {
    what <- "%s was written by another version of hylomath (format %s)."
    fail(sprintf(what, quoted(file), version), "Search again.")
  }
  if (mend && !endsWith(text, "\n")) write_whole(charToRaw(paste0(lines[-length(lines)], "\n", collapse = "")), file)
  fits <- lapply(drop_nulls(parsed[-1]), function(line) {
    list(settings = line$settings, fit = as.data.frame(lapply(line$fit, from_stored)))
  })
  list(header = parsed[[1]], fits = fits)
}

is_store <- function(file) {
  starts_with_bytes(file, "{\"format\":\"hylomath scouting\"")
}

# A search that is continued without a seed of its own goes on with the one it had.
stored_seed <- function(file) {
  if (!is.null(file) && file.exists(file)) as.numeric(from_stored(read_store(file)$header$seed))
}
