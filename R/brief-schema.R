# What a brief consists of: its keys in order, their types and their defaults. Everything that reads settings goes
# through here: the R verbs, brief files and `--set` on the command line.

#' @include brief-kinds.R data-formats.R expression.R loss.R setting.R wiring.R
NULL

column_roles <- c("id", "group", "weight", "order", "exposure")

# What case weights can mean, see ?set_columns; the first one is meant when nothing is said.
weight_meanings <- c("importance", "counts")
column_kinds <- c(
  "number", "count", "flag", "category", "date", "time", "id", "text", "constant", "missing", "other"
)
input_kinds <- c("number", "count", "flag", "category", "date", "time")

# The number of the rule by which what is left open is settled, see the section of ?regimen. From version 0.2.0 on a
# brief that was written under a former rule goes on meaning what it meant.
current_rule <- 4
first_rule <- 3  # of which models are still read

# ---- types of its own ---------------------------------------------------------------------------------------------

type_date_parts <- offering(function(value, key) {
  parts <- type_texts()(value, key)
  if (identical(parts, "none")) return(character())
  known <- c("season", "weekday", "month", "quarter", "year", "hour")
  unknown <- setdiff(parts, known)
  if (length(unknown)) {
    hint <- "It is a list of season, weekday, month, quarter, year and hour, or none."
    fail(sprintf("%s can't be %s.", quoted(key), describe(unknown[1])), paste(did_you_mean(unknown[1], known), hint))
  }
  intersect(known, parts)
}, kind = "texts")

type_rule <- function(value, key) {
  value <- type_number(1, whole = TRUE)(value, key)
  if (!value %in% first_rule:current_rule) {
    fail(
      sprintf("%s is %d, which this version of hylomath does not know.", quoted(key), as.integer(value)),
      sprintf("Leave the line out: what is open then follows rule %d.", as.integer(current_rule))
    )
  }
  value
}

# Models by former rules are read and used; what is open in a brief follows the rule of this version.
check_rule <- function(b) {
  if (b$rule == current_rule) return(invisible(b))
  fail(
    sprintf("The brief is by rule %s, and this version trains by rule %s.", describe(b$rule), current_rule),
    sprintf("Set its `rule` to %s: what is open then follows that one.", current_rule)
  )
}

# The number of folds of the ensemble; 0 for none.
type_ensemble_folds <- function(value, key) {
  value <- type_number(0, 100, whole = TRUE)(value, key)
  if (value %in% 1:2) {
    fail(sprintf("%s can't be %d: a network learns from all folds but two.", quoted(key), as.integer(value)))
  }
  value
}

# One character.
type_separator <- function(value, key) {
  if (!is_text(value, 1) || nchar(value) != 1) {
    fail(sprintf("%s must be one character, not %s.", quoted(key), describe(value)))
  }
  as.character(value)
}

# Codes that mean missing, as text whatever they stand for.
type_codes <- offering(function(value, key) {
  if (is.numeric(value)) return(unname(format_each(value)))
  unname(type_texts()(unlist(lapply(value, function(v) if (is.numeric(v)) format_number(v) else v)), key))
}, kind = "texts")

type_targets <- function(value, key) {
  value <- type_texts()(value, key)
  if (length(value) == 0) fail(sprintf("%s names no column.", quoted(key)))
  if (anyDuplicated(value)) fail(sprintf("%s names %s twice.", quoted(key), quoted(value[duplicated(value)][1])))
  value
}

# Numbers of epochs or folds.
type_places <- offering(function(value, key) {
  places <- vapply(seq_along(value), function(i) type_count()(value[[i]], key), 0)
  if (length(places) == 0) fail(sprintf("%s must be whole numbers from 1, and there is none.", quoted(key)))
  places
}, kind = "texts")

type_stop <- function(value, key) {
  above_0 <- type_number(0, open_low = TRUE)
  patience <- type_or_word("auto", type_number(1, whole = TRUE), "a whole number from 1")
  rules <- stats::setNames(rep(list(above_0), length(stop_rules)), stop_rules)
  rules$epoch <- type_places
  rules <- c(list(patience = patience), rules)
  settle_settings(as.list(value), rules, key)
}

type_measures <- offering(function(value, key) {
  chosen <- type_texts()(value, key)
  if (identical(chosen, "none")) return(character())
  for (one in chosen) type_choice(c("accuracy", "mae", "rmse"))(one, key)
  unique(chosen)
}, kind = "texts")

row_outcomes <- c("found", "false_alarm", "missed", "left_alone")

# Whole numbers from 1, each once.
type_counts <- offering(function(value, key) {
  counts <- vapply(as.list(value), type_count(1e12), 0, key)
  if (length(counts) == 0) fail(sprintf("%s must be whole numbers from 1, and there is none.", quoted(key)))
  sort(unique(counts))
}, kind = "texts")

# What each outcome earns, by name.
type_gains <- offering(function(value, key) {
  types <- stats::setNames(rep(list(type_number(-1e15, 1e15)), length(row_outcomes)), row_outcomes)
  gains <- settle_settings(as.list(value), types, key)
  if (length(gains) == 0) return(gains)
  best <- best_threshold(whole_gains(gains))
  if (is.na(best)) {
    fail(
      sprintf("By %s it does not pay to find a row of the class, or a false alarm costs nothing.", quoted(key)),
      "A row that is `found` must earn more than one that is `missed`, and a `false_alarm` less than one `left_alone`."
    )
  }
  gains
}, kind = "map")

whole_gains <- function(gains) {
  vapply(stats::setNames(nm = row_outcomes), function(outcome) as.numeric(gains[[outcome]] %||% 0), 0)
}

# The probability from which treating a row pays (Elkan 2001); NA where there is none between 0 and 1.
best_threshold <- function(gains) {
  found <- gains[["found"]] - gains[["missed"]]
  spared <- gains[["left_alone"]] - gains[["false_alarm"]]
  if (found > 0 && spared > 0) spared / (found + spared) else NA_real_
}

# ---- keys, types and defaults ----------------------------------------------------------------------------------------

# How one column is prepared; also what prepare's `only` sets for some columns.
column_settings <- list(
  numbers = type_choice(c(
    "auto", "zscore", "minmax", "minmax_signed", "robust", "rank_normal", "piecewise", "periodic", "none"
  )),
  clip = type_or_word(c("auto", "far"), type_number(0, 0.5, open_high = TRUE), "a share from 0 to below 0.5"),
  missing = type_choice(c("auto", "median", "mean", "common", "own", "flag", "drop")),
  categories = type_choice(c("auto", "indicator", "ordinal", "frequency", "hash", "embedding")),
  buckets = type_number(2, 65536, whole = TRUE),
  embedding_width = type_or_word("auto", type_number(1, 1024, whole = TRUE), "a whole number from 1"),
  rare = type_number(0, 1, open_high = TRUE),
  dates = type_date_parts,
  missing_codes = type_codes
)

brief_schema <- list(
  about = list(purpose = type_text(), owner = type_text(), limits = type_texts()),
  data = list(
    file = type_text(),
    separator = type_separator,
    decimal = type_choice(c(".", ",")),
    encoding = type_choice(c("UTF-8", "Latin-1", "Windows-1250")),
    sheet = type_text(),
    sqlite = type_text(),
    postgres = type_text(),
    query = type_text()
  ),
  target = type_targets,
  # tasks can be added
  task = function(value, key) type_choice(task_words())(value, key),
  classes = type_texts(),
  positive = type_text(),
  columns = list(
    id = type_text(),
    group = type_text(),
    weight = type_text(),
    weight_is = type_choice(weight_meanings),
    order = type_text(),
    exposure = type_text(),
    drop = type_texts(),
    formats = type_map(type_choice(format_words())),
    kinds = type_map(type_choice(column_kinds))
  ),
  add_columns = type_map(type_expression()),
  keep_rows = type_expression(),
  prepare = c(column_settings, list(
    strongest = type_or_word("auto", type_number(1, whole = TRUE), "a whole number from 1"),
    target = type_choice(c("zscore", "log", "log_median", "none")),
    only = type_map(function(value, key) settle_settings(as.list(value), column_settings, key))
  )),
  hold_out = list(
    folds = type_or_word("auto", type_ensemble_folds, "0 or a whole number from 3"),
    validation = type_or_word("auto", type_number(0, 1, open_high = TRUE), "a share from 0 to below 1"),
    test = type_or_word("auto", type_number(0, 1, open_high = TRUE), "a share from 0 to below 1"),
    calibration = type_number(0, 1, open_high = TRUE),
    by = type_choice(c("stratified", "random", "ordered", "key")),
    validation_where = type_expression(),
    test_where = type_expression(),
    calibration_where = type_expression(),
    parts = type_text(),
    only_folds = type_places,
    gap = type_duration,
    seed = type_number(0, 2^53, whole = TRUE)
  ),
  rule = type_rule,
  wiring = type_wiring(),
  regimen = list(
    method = type_choice(c("auto", training_methods)),
    loss = type_kind(loss_kinds),
    output = type_choice(c("auto", "identity", "exponential", "softplus")),
    learning_rate = type_or_word("auto", type_number(0, open_low = TRUE), "a number above 0"),
    momentum = type_number(0, 1, open_high = TRUE),
    weight_decay = type_number(0),
    schedule = type_kind(schedule_kinds),
    batch_size = type_or_word("auto", type_count(1e9), "a whole number from 1"),
    epochs = type_or_word("auto", type_number(1, 1e6, whole = TRUE), "a whole number from 1 to 1000000"),
    stop = type_or_word(c("auto", "none"), type_stop),
    l1 = type_or_word("path", type_number(0), "a number from 0"),
    l2 = type_or_word(c("auto", "evidence", "noise"), type_number(0), "a number from 0"),
    gradient_clip = type_number(0),
    max_norm = type_number(0),
    input_noise = type_number(0),
    class_weights = type_or_word(c("none", "even"), type_map(type_number(0, open_low = TRUE))),
    restarts = type_number(1, 1000, whole = TRUE),
    keep = type_choice(c("best", "ensemble")),
    measures = type_measures,
    seed = type_number(0, 2^53, whole = TRUE)
  ),
  decisions = list(class = type_text(), top = type_counts, gains = type_gains, thresholds = type_shares)
)

brief_defaults <- list(
  columns = list(drop = character(), kinds = list()),
  prepare = list(
    numbers = "auto", clip = "auto", missing = "auto", categories = "auto", buckets = 32, embedding_width = "auto",
    rare = 0, dates = c("season", "weekday", "hour"), missing_codes = character(), strongest = "auto",
    target = "zscore", only = list()
  ),
  hold_out = list(folds = "auto", validation = "auto", test = "auto", calibration = 0, by = "stratified"),
  rule = current_rule,
  wiring = "auto",
  regimen = list(
    method = "auto", loss = "auto", output = "auto", learning_rate = "auto", schedule = "constant",
    batch_size = "auto", epochs = "auto", stop = "auto", l1 = 0, l2 = "auto", gradient_clip = 0,
    max_norm = 0,
    input_noise = 0, class_weights = "none", restarts = 1, keep = "best", measures = character()
  )
)

# ---- the object ------------------------------------------------------------------------------------------------------

# A brief is a list with the keys of `brief_schema` in their order, keys without a value left out, and behind them
# the table that it was started from, as `table`. The table is no part of what the brief says: files leave it out.
# Sections are taken as b[["regimen"]] here and below, since the verbs that set them have the same names.

# `settings` are settled; there may be no table, as for a brief that was read from a file.
new_brief <- function(settings, table = NULL) {
  settings <- in_schema_order(settings, brief_schema)
  settings$table <- table
  structure(settings, class = "hylomath_brief")
}

# The kind of the column that orders the rows, or NULL.
order_kind <- function(b) if (!is.null(b$columns$order)) b$columns$kinds[[b$columns$order]]

brief_settings <- function(b) unclass(b)[names(b) != "table"]

without_table <- function(b) new_brief(brief_settings(b))

# What is said of a network's use makes no other analysis.
sections_of_use <- c("about", "decisions")

without_use <- function(b) {
  b[sections_of_use] <- NULL
  b
}

# Brings `changes` into one section of the brief; NULLs leave what is there.
set_section <- function(b, section, changes) {
  schema <- brief_schema[[section]]
  changes <- settle_settings(drop_nulls(changes), schema, section)
  merged <- utils::modifyList(b[[section]], changes)
  # modifyList would merge named class weights with the former ones
  for (whole in intersect(settings_set_whole, names(changes))) merged[[whole]] <- changes[[whole]]
  b[[section]] <- in_schema_order(merged, schema)
  b
}

settings_set_whole <- c("class_weights", "stop", "only", "loss", "schedule", "only_folds")
