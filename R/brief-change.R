# A brief with some of its settings at other values: what is varied and searched.

# `values` is named by keys of the brief, in full or by their last word, or by what a wiring is made of: `layers`, `units` (of every
# hidden layer), `units_2` and so on (of one layer), `activation`, `dropout` (behind every hidden layer).
changed_brief <- function(b, values) {
  settings <- brief_settings(b)
  wired <- is_wiring_setting(names(values))
  for (name in names(values)[!wired]) settings <- set_setting(settings, setting_path(name), values[[name]])
  if (any(wired)) settings$wiring <- changed_wiring(settings$wiring, values[wired])
  changed <- complete_brief(settle_settings(settings, brief_schema()))
  if (is.null(b$table)) changed else attach_table(changed, b$table)
}

is_wiring_setting <- function(name) grepl("^(layers|units|units_[1-9][0-9]*|activation|dropout)$", name)

# What is not given stays: a layer that is added is like the last one.
changed_wiring <- function(text, values) {
  wiring <- parse_wiring(text)
  layers <- wiring$layers
  if (length(layers) == 0) layers <- parse_wiring("16 relu")$layers
  count <- checked_part(values$layers, type_number(0, 50, whole = TRUE), "layers") %||% length(wiring$layers)
  wiring$layers <- lapply(seq_len(count), function(i) {
    layer <- layers[[min(i, length(layers))]]
    units <- paste0("units_", i)
    layer$units <- checked_part(values[[units]], type_number(1, 65536, whole = TRUE), units) %||% checked_part(values$units, type_number(1, 65536, whole = TRUE), "units") %||% layer$units
    layer$activation <- checked_part(values$activation, type_choice(wiring_activations), "activation") %||% layer$activation
    layer$dropout <- checked_part(values$dropout, type_number(0, 1, open_high = TRUE), "dropout") %||% layer$dropout
    layer
  })
  format_wiring(wiring)
}

checked_part <- function(value, type, key) if (!is.null(value)) type(value, key)

# What the settings are in a brief whose regimen is settled. Of layers that differ the first one tells.
own_settings <- function(b, names) {
  layers <- parse_wiring(b$wiring)$layers
  settings <- brief_settings(b)
  lapply(stats::setNames(nm = names), function(name) {
    if (!is_wiring_setting(name)) return(Reduce(function(at, key) at[[key]], setting_path(name), settings))
    if (name == "layers") return(length(layers))
    place <- if (grepl("^units_", name)) as.integer(sub("units_", "", name)) else 1
    if (place > length(layers)) NULL else layers[[place]][[sub("_.*", "", name)]]
  })
}

set_setting <- function(settings, path, value) {
  settings <- as.list(settings)
  settings[[path[1]]] <- if (length(path) == 1) value else set_setting(settings[[path[1]]], path[-1], value)
  settings
}

# Where a setting stands in the brief, by its full key or its last word.
setting_path <- function(setting) {
  schema <- brief_schema()
  sections <- c("regimen", "prepare", "hold_out")
  known <- c("wiring", unlist(lapply(sections, function(section) paste(section, names(schema[[section]]), sep = "."))))
  if (setting %in% known) return(strsplit(setting, ".", fixed = TRUE)[[1]])
  found <- known[sub("^[^.]*[.]", "", known) == setting]
  if (length(found) == 1) return(strsplit(found, ".", fixed = TRUE)[[1]])
  fail(sprintf("The brief has no setting %s to change.", quoted(setting)), suggestion(setting, c("layers", "units", "activation", "dropout", "rows", known)))
}
