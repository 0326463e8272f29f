# What a brief consists of: its keys in order, their types and their defaults. Everything that reads settings goes
# through here: the R verbs, brief files and `--set` on the command line.

brief_tasks <- c("classification", "regression", "count")
column_roles <- c("id", "group", "weight", "order", "exposure")
column_kinds <- c("number", "count", "flag", "category", "date", "time", "id", "text", "constant", "missing", "other")

brief_schema <- function() {
  list(
    data = list(
      file = type_text(),
      separator = type_text(),
      decimal = type_choice(c(".", ",")),
      encoding = type_choice(c("UTF-8", "Latin-1")),
      sheet = type_text(),
      sqlite = type_text(),
      postgres = type_text(),
      query = type_text()
    ),
    target = type_text(),
    task = type_choice(brief_tasks),
    classes = type_texts(),
    positive = type_text(),
    columns = list(
      id = type_text(),
      group = type_text(),
      weight = type_text(),
      order = type_text(),
      exposure = type_text(),
      drop = type_texts(),
      kinds = type_map(type_choice(column_kinds))
    ),
    derive = type_map(type_expression()),
    keep_rows = type_expression(),
    prepare = c(column_settings(), list(
      target = type_choice(c("zscore", "log", "log_median", "none")),
      only = type_map(function(value, key) settle_settings(as.list(value), column_settings(), key))
    )),
    hold_out = list(
      validation = type_number(0, 1, open_high = TRUE),
      test = type_number(0, 1, open_high = TRUE),
      calibration = type_number(0, 1, open_high = TRUE),
      by = type_choice(c("stratified", "random", "ordered", "key")),
      validation_where = type_expression(),
      test_where = type_expression(),
      calibration_where = type_expression(),
      parts = type_text(),
      seed = type_number(0, 2^53, whole = TRUE)
    ),
    wiring = type_wiring(),
    regimen = list(
      method = type_choice(c("adam", "momentum")),
      learning_rate = type_number(0, open_low = TRUE),
      momentum = type_number(0, 1, open_high = TRUE),
      batch_size = type_number(1, whole = TRUE),
      epochs = type_number(1, 1e6, whole = TRUE),
      stop = type_or_word("none", type_patience),
      l1 = type_number(0),
      l2 = type_number(0),
      class_weights = type_or_word(c("none", "even"), type_map(type_number(0, open_low = TRUE))),
      seed = type_number(0, 2^53, whole = TRUE)
    )
  )
}

# How one column is prepared; also what prepare's `only` sets for some columns.
column_settings <- function() {
  list(
    numbers = type_choice(c("zscore", "minmax", "minmax_signed", "robust", "rank_normal", "none")),
    clip = type_number(0, 0.5, open_high = TRUE),
    gaps = type_choice(c("auto", "median", "mean", "common", "own", "flag", "drop")),
    categories = type_choice(c("indicator", "ordinal", "frequency", "hash")),
    buckets = type_number(2, 65536, whole = TRUE),
    rare = type_number(0, 1, open_high = TRUE),
    dates = type_date_parts,
    missing_codes = type_codes
  )
}

type_date_parts <- function(value, key) {
  parts <- type_texts()(value, key)
  if (identical(parts, "none")) return(character())
  known <- c("season", "weekday", "month", "quarter", "year", "hour")
  unknown <- setdiff(parts, known)
  if (length(unknown)) fail(sprintf("%s can't be %s.", quoted(key), describe(unknown[1])), paste(did_you_mean(unknown[1], known), "It is a list of season, weekday, month, quarter, year and hour, or none."))
  intersect(known, parts)
}

# Codes that mean missing, as text whatever they stand for.
type_codes <- function(value, key) {
  if (is.numeric(value)) return(unname(format_each(value)))
  unname(type_texts()(unlist(lapply(value, function(v) if (is.numeric(v)) format_number(v) else v)), key))
}

brief_defaults <- function() {
  list(
    columns = list(drop = character(), kinds = list()),
    prepare = list(
      numbers = "zscore", clip = 0, gaps = "auto", categories = "indicator", buckets = 32, rare = 0,
      dates = c("season", "weekday", "hour"), missing_codes = character(), target = "zscore", only = list()
    ),
    hold_out = list(validation = 0.15, test = 0.15, calibration = 0, by = "stratified"),
    wiring = "24 relu > 12 relu",
    regimen = list(
      method = "adam", learning_rate = 0.005, batch_size = 64, epochs = 300, stop = list(patience = 20),
      l1 = 0, class_weights = "none"
    )
  )
}

# The default of `regimen.l2`, which is settled once the number of rows is known: 10 / rows, to one digit, at most
# 0.01. It is a normal prior on every weight with a variance of a tenth, whose pull fades as rows are added.
default_l2 <- function(rows) signif(min(0.01, 10 / rows), 1)

type_patience <- function(value, key) {
  settle_settings(as.list(value), list(patience = type_number(1, whole = TRUE)), key)
}

# Checks and canonicalises settings against (a part of) the schema, in the schema's order. An unknown key fails with
# the nearest known one.
settle_settings <- function(settings, schema, key = NULL) {
  if (length(settings) == 0) return(list())
  full <- function(name) paste(c(key, name), collapse = ".")
  if (!is.list(settings) || is.null(names(settings))) {
    fail(sprintf("%s must hold settings with names.", quoted(key %||% "The brief")), suggestion("", names(schema)))
  }
  unknown <- setdiff(names(settings), names(schema))
  if (length(unknown)) {
    where <- if (is.null(key)) "The brief" else quoted(key)
    fail(sprintf("%s has no setting %s.", where, quoted(unknown[1])), suggestion(unknown[1], names(schema)))
  }
  repeated <- names(settings)[duplicated(names(settings))]
  if (length(repeated)) fail(sprintf("%s is set twice.", quoted(full(repeated[1]))))
  settled <- list()
  for (name in intersect(names(schema), names(settings))) {
    type <- schema[[name]]
    settled[[name]] <- if (is.list(type)) {
      settle_settings(settings[[name]], type, full(name))
    } else {
      type(settings[[name]], full(name))
    }
  }
  settled
}

# Momentum belongs to one method only; it has a default there and no place elsewhere.
settle_regimen <- function(settings) {
  if (settings$method == "momentum") {
    settings$momentum <- settings$momentum %||% 0.9
  } else if (!is.null(settings$momentum)) {
    fail(sprintf("`regimen.momentum` is of no use to the method %s.", quoted(settings$method)), "Leave it out, or choose the method `momentum`.")
  }
  in_schema_order(settings, brief_schema()[["regimen"]])
}

# The settings by which one column is prepared: the brief's, and what `only` says of this column.
settings_for <- function(b, column) {
  settings <- b[["prepare"]][names(column_settings())]
  own <- b[["prepare"]]$only[[column]]
  settings[names(own)] <- own
  settings
}

in_schema_order <- function(settings, schema) settings[intersect(names(schema), names(settings))]
