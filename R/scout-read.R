# A search opened from its file, without training anything.

# The search that a file holds, as far as it has come.
read_scouting <- function(file) {
  stored <- read_store(file)
  header <- lapply(lapply(stored$header, from_stored), function(value) if (length(value)) value)  # NULLs come back as empty
  space <- lapply(header$space, function(dimension) if (dimension$kind == "values") utils::modifyList(dimension, list(values = lapply(dimension$values, identity))) else dimension)
  space <- stats::setNames(space, vapply(space, `[[`, "", "name"))
  b <- read_brief(text = header$brief, read = FALSE)
  search <- list(brief = b, space = space, layers = header$layers, where = header$where, seed = header$seed, k = header$k, repeats = header$repeats, by = header$by, at_once = header$at_once, folds = header$folds)
  search$rungs <- search_rungs(search$k, search$folds)
  fits <- do.call(rbind, lapply(stored$fits, `[[`, "fit"))
  if (is.null(fits) || !any(rung_losses(fits, utils::tail(search_rungs(header$k, header$folds), 1)) < Inf)) fail(sprintf("The search in %s has judged no trial in full yet.", quoted(file)), "Go on with it.")
  own <- as.data.frame(header$own, optional = TRUE)
  keys <- vapply(stored$fits, `[[`, "", "settings")[match(seq_len(max(fits$trial)), fits$trial)]
  rows <- do.call(rbind, c(list(own), lapply(keys[-1], function(key) row_of_key(key, own))))
  rownames(rows) <- NULL
  origin <- c("own", rep(c("filling", "model"), c(min(first_trials(search), nrow(rows) - 1), max(0, nrow(rows) - 1 - first_trials(search)))))
  new_scouting(search, list(rows = rows, origin = origin, fits = fits, stopped = "unknown"), file)
}

# The settings that a key was made of, see row_keys().
row_of_key <- function(key, like) {
  texts <- strsplit(key, " | ", fixed = TRUE)[[1]]
  if (is.na(key)) texts <- rep("-", length(like))  # a trial none of whose fits had ended
  texts[texts == "-"] <- NA
  as.data.frame(Map(function(text, column) if (is.numeric(column)) as.numeric(text) else text, stats::setNames(texts, names(like)), like), optional = TRUE, stringsAsFactors = FALSE)
}
