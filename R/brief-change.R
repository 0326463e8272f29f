# A brief with some of its settings at other values: what is varied and searched.

# `values` is named by keys of the brief, in full or by their last word, or by what a wiring is made of: `layers`,
# `units` (of every hidden layer), `units_2` and so on (of one layer), `activation`, `dropout` (behind every hidden
# layer).
changed_brief <- function(b, values) {
  changed <- brief_settings(b)
  wired <- is_wiring_setting(names(values))
  for (name in names(values)[!wired]) changed <- set_at(changed, setting_path(name), values[[name]])
  if (any(wired)) changed$wiring <- changed_wiring(changed$wiring, values[wired])
  complete_brief(settle_settings(changed, brief_schema), b$table)
}

# The value of a setting that is given as a text: a list or a map in YAML, and everything else as it stands. `holder`
# names the text in errors.
setting_from_text <- function(text, holder) {
  read <- function() parse_yaml(paste0("value: ", text), holder)$value
  if (grepl("^[[:space:]]*[[{]", text)) return(read())
  tryCatch(read(), hylomath_error = function(e) text)
}

is_wiring_setting <- function(name) grepl("^(layers|units|units_[1-9][0-9]*|activation|dropout)$", name)

# What is not given stays: a layer that is added is like the last one. `units` are those of the first layer; the others
# keep their proportion to it.
changed_wiring <- function(text, values) {
  wiring <- parse_wiring(text)
  layers <- wiring$layers
  if (length(layers) == 0) layers <- parse_wiring("16 relu")$layers
  count <- checked_part(values, "layers", type_number(0, 50, whole = TRUE)) %||% length(wiring$layers)
  units <- type_number(1, 65536, whole = TRUE)
  wiring$layers <- lapply(seq_len(count), function(i) {
    layer <- layers[[min(i, length(layers))]]
    first <- checked_part(values, "units", units)
    in_proportion <- if (!is.null(first)) max(1, round(layer$units * first / layers[[1]]$units))
    layer$units <- checked_part(values, paste0("units_", i), units) %||% in_proportion %||% layer$units
    layer$activation <- checked_part(values, "activation", type_choice(wiring_activations)) %||% layer$activation
    layer$dropout <- checked_part(values, "dropout", type_number(0, 1, open_high = TRUE)) %||% layer$dropout
    layer
  })
  format_wiring(wiring)
}

checked_part <- function(values, key, type) if (!is.null(values[[key]])) type(values[[key]], key)

# What the settings are in a brief whose regimen is settled. Of layers that differ the first one tells.
own_settings <- function(b, names) {
  layers <- parse_wiring(b$wiring)$layers
  said <- brief_settings(b)
  lapply(stats::setNames(nm = names), function(name) {
    if (!is_wiring_setting(name)) return(value_at(said, setting_path(name)))
    if (name == "layers") return(length(layers))
    place <- if (grepl("^units_", name)) as.integer(sub("units_", "", name)) else 1
    if (place > length(layers)) NULL else layers[[place]][[sub("_.*", "", name)]]
  })
}

# Where a setting stands in the brief, by its full key or its last word.
setting_path <- function(setting) {
  known <- setting_keys()
  found <- if (setting %in% known) setting else known[sub("^[^.]*[.]", "", known) == setting]
  if (length(found) == 1) return(strsplit(found, ".", fixed = TRUE)[[1]])
  fail(sprintf("The brief has no setting %s to change.", quoted(setting)), suggestion(setting, varied_words()))
}

setting_keys <- function() {
  sections <- c("regimen", "prepare", "hold_out")
  in_sections <- lapply(sections, function(section) paste(section, names(brief_schema[[section]]), sep = "."))
  c("wiring", unlist(in_sections))
}

# What vary() can change.
varied_words <- function() c("layers", "units", "activation", "dropout", "rows", setting_keys())

# The settings in which briefs differ, as text, `-` for one that a brief doesn't have.
settings_apart <- function(briefs) {
  flat <- lapply(briefs, function(b) flat_settings(brief_settings(without_use(b))))
  keys <- unique(unlist(lapply(flat, names)))
  table <- do.call(cbind, lapply(flat, function(said) ifelse(keys %in% names(said), said[keys], "-")))
  apart <- apply(table, 1, function(row) length(unique(row)) > 1)
  result <- data.frame(setting = keys[apart], table[apart, , drop = FALSE], check.names = FALSE, row.names = NULL)
  names(result)[-1] <- names(briefs)
  result
}

# Every setting by its full key, as text.
flat_settings <- function(settings, prefix = NULL) {
  unlist(lapply(names(settings), function(name) {
    value <- settings[[name]]
    key <- paste(c(prefix, name), collapse = ".")
    if (is.list(value) && length(value)) return(flat_settings(value, key))
    words <- if (is.numeric(value)) format_each(value) else as.character(value)
    stats::setNames(if (length(value) == 0) "none" else paste(words, collapse = ", "), key)
  }))
}

# The first setting in which two briefs, given by their texts, differ.
brief_difference <- function(own, other) {
  briefs <- lapply(list(own = own, other = other), function(text) read_brief(text = text, read = FALSE))
  settings_apart(briefs)$setting[1] %||% "brief"
}
