# In what briefs differ.

# The settings in which the briefs differ, as text, `-` for one that a brief doesn't have.
settings_apart <- function(models) {
  flat <- lapply(models, function(model) flat_settings(brief_settings(model$brief)))
  keys <- unique(unlist(lapply(flat, names)))
  table <- do.call(cbind, lapply(flat, function(settings) ifelse(keys %in% names(settings), settings[keys], "-")))
  apart <- apply(table, 1, function(row) length(unique(row)) > 1)
  result <- data.frame(setting = keys[apart], table[apart, , drop = FALSE], check.names = FALSE, row.names = NULL)
  names(result)[-1] <- names(models)
  result
}

flat_settings <- function(settings, prefix = NULL) {
  unlist(lapply(names(settings), function(name) {
    value <- settings[[name]]
    key <- paste(c(prefix, name), collapse = ".")
    if (is.list(value) && length(value)) return(flat_settings(value, key))
    stats::setNames(if (length(value) == 0) "none" else paste(if (is.numeric(value)) format_each(value) else as.character(value), collapse = ", "), key)
  }))
}
