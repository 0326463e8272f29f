# A search opened from its file, without training anything.

# The search that a file holds, as far as it has come.
read_scouting <- function(file) {
  damaged <- function(e) fail_damaged_search(file)
  local_exact_names()
  tryCatch(said_by_others(search_in(file), damaged), warning = damaged)
}

fail_damaged_search <- function(file) fail(sprintf("The search in %s is damaged.", quoted(file)), store_kind$again)

search_in <- function(file) {
  stored <- read_store(file)
  search <- stored_search(stored$header)
  fits <- do.call(rbind, lapply(stored$fits, `[[`, "fit"))
  last <- utils::tail(search$rungs, 1)
  if (is.null(fits) || !any(rung_losses(fits, last) < Inf)) {
    fail(sprintf("The search in %s has evaluated no trial in full yet.", quoted(file)), "Go on with it.")
  }
  keys <- vapply(stored$fits, `[[`, "", "settings")[match(seq_len(max(fits$trial)), fits$trial)]
  rows <- do.call(rbind, c(list(search$own), lapply(keys[-1], function(key) row_of_key(key, search$own))))
  rownames(rows) <- NULL
  tried <- nrow(rows) - 1
  filling <- min(first_trials(search), tried)
  origin <- c("own", rep(c("filling", "model"), c(filling, tried - filling)))
  new_scouting(search, list(rows = rows, origin = origin, fits = fits, stopped = "unknown"), file)
}

stored_search <- function(header) {
  search <- lapply(lapply(header, from_stored), function(value) if (length(value)) value)  # NULLs come back as empty
  search[c("brief", "base")] <- lapply(search[c("brief", "base")], function(text) read_brief(text = text, read = FALSE))
  space <- lapply(search$space, function(dimension) {
    if (dimension$kind == "values") dimension$values <- lapply(dimension$values, identity)
    dimension
  })
  search$space <- stats::setNames(space, vapply(space, `[[`, "", "name"))
  search[c("start", "own")] <- lapply(search[c("start", "own")], as.data.frame, optional = TRUE)
  search$rungs <- search_rungs(search)
  search
}

# The settings that a key was made of, see row_keys().
row_of_key <- function(key, like) {
  texts <- strsplit(key, " | ", fixed = TRUE)[[1]]
  if (is.na(key)) texts <- rep("-", length(like))  # a trial none of whose fits had ended
  texts[texts == "-"] <- NA
  as_like <- function(text, column) if (is.numeric(column)) as.numeric(text) else text
  columns <- Map(as_like, stats::setNames(texts, names(like)), like)
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}
