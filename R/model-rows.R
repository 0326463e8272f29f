# What a model says of single rows of its table, and the same model without it.

# A data frame: `what` is held, of how many `rows` (or levels), and what can't be done `without` it. Levels that fewer
# than `few` training rows have may name somebody.
rows_in_model <- function(model, few = 5) {
  evaluated <- lapply(names(model$evaluated), function(part) {
    n <- length(model$evaluated[[part]]$key)
    one_holding(sprintf("keys, observed values and predictions of %s rows", part), n, evaluated_without[[part]])
  })
  rare <- few_levels(model$predictor, few)
  do.call(rbind, c(evaluated, list(
    one_holding("hashes of the rows that were learned from", length(model$seen$hashes), hashes_without),
    one_holding(sprintf("levels that fewer than %d training rows have", few), length(unlist(rare)), levels_without)
  )))
}

one_holding <- function(what, rows, without) {
  data.frame(what = rep(what, rows > 0), rows = rep(as.integer(rows), rows > 0), without = rep(without, rows > 0))
}

evaluated_without <- c(
  training = "evaluating the training rows again", validation = "decide() and evaluating the validation rows again",
  calibration = "recalibrate() and intervals", test = "evaluating the test rows again without the table's target",
  out_of_fold = "decide(), recalibrate(), intervals and sets, distil()",
  later = "intervals and sets that follow what has come since"
)
hashes_without <- "telling rows that were learned from among those that are evaluated"
levels_without <- "their predictions: they count as unseen"

# By column the levels that few training rows have; of an ensemble those of all its rows.
few_levels <- function(predictor, few) {
  plans <- predictor$preparation$columns
  rare <- lapply(plans, function(plan) {
    levels <- c(plan$levels, plan$rare)[plan$level_rows < few]
    grep(withheld_level, levels, value = TRUE, invert = TRUE)
  })
  Filter(length, stats::setNames(rare, prepared_columns(predictor$preparation)))
}

# Rows' values, their hashes and rare levels are left out. A level keeps its place, without its name.
without_rows <- function(model, few = 5) {
  left_out <- rows_in_model(model, few)
  model$predictor <- without_few_levels(model$predictor, few_levels(model$predictor, few))
  if (!is.null(model$linear)) model$linear <- without_few_levels(model$linear, few_levels(model$linear, few))
  model$evaluated <- list()
  model$seen <- list(columns = model$seen$columns, hashes = integer(), all = FALSE, tell = FALSE)
  model$profile <- without_few_watched(model$profile, few)
  model$bare <- model$bare %||% left_out
  model
}

withheld_level <- "^[(]withheld [0-9]+[)]$"

without_few_levels <- function(predictor, rare) {
  predictor$preparation <- withheld_levels(predictor$preparation, rare)
  predictor$members <- lapply(predictor$members, without_few_levels, rare)
  if (length(predictor$members) == 0) predictor["members"] <- NULL
  predictor
}

# Such levels are then among those that are not watched by name.
without_few_watched <- function(profile, few) {
  profile$columns <- lapply(profile$columns, function(column) {
    if (column$kind != "levels") return(column)
    kept <- column$counts >= few
    column[c("levels", "counts", "effects")] <- lapply(column[c("levels", "counts", "effects")], `[`, kept)
    column
  })
  profile
}

withheld_levels <- function(preparation, rare) {
  preparation$columns <- lapply(preparation$columns, function(plan) {
    own <- rare[[plan$column]]
    plan$levels[plan$levels %in% own] <- sprintf("(withheld %d)", which(plan$levels %in% own))
    plan$rare <- setdiff(plan$rare, own)
    plan
  })
  preparation$features <- unlist(lapply(preparation$columns, plan_features), use.names = FALSE)
  preparation
}

# Refuses what needs rows that the model doesn't have; of one that was written without them that is why.
fail_without_rows <- function(model, what, try, bare = "Take the model that was written with them.") {
  if (is.null(model$bare)) fail(what, try)
  fail(paste(what, "It was written without what it knew of single rows."), bare)
}

# ---- rows that were learned from -------------------------------------------------------------------------------------

# Which rows a network has learned from, known by what they say: their inputs, target and id. A model keeps a hash of
# each row that it was trained or stopped by.

# More of them are drawn; then not every row that was seen is known.
most_rows_known <- 200000

# list(columns, hashes, all, tell, alike): what is looked at, the distinct hashes, whether they are those of all rows,
# whether such rows can be told apart, and the share of rows that have a twin among them. Without an id rows that are
# equal by chance would be taken for the same.
rows_learned <- function(a) {
  rows <- rows_in(a, c("training", "validation"))
  drawn <- drawn_rows(rows, most_rows_known, a$hold_out$seed, "rows known")
  columns <- c(input_columns(a), a$target$columns, a$roles$id)
  all <- row_hashes(a$table, columns, drawn)
  hashes <- unique(all)
  list(
    columns = columns, hashes = sort(hashes), all = length(drawn) == length(rows),
    tell = !is.null(a$roles$id) || length(hashes) > 0.98 * length(drawn),
    alike = mean(duplicated(all) | duplicated(all, fromLast = TRUE))
  )
}

# Columns that are compared by their values: numbers as numbers, whatever their type, all else as text.
row_hashes <- function(table, columns, rows) {
  values <- lapply(table[columns], function(x) {
    x <- x[rows]
    if (is_moment(x) || is.numeric(x) || is.logical(x)) as.numeric(x) else as_label(x)
  })
  core_row_hashes(unname(values), length(rows))
}

# What is known of the rows of two trainings. Where they looked at other columns, that of the first is lost.
seen_together <- function(former, now) {
  if (!identical(former$columns, now$columns)) return(utils::modifyList(now, list(all = FALSE)))
  now$hashes <- sort(unique(c(former$hashes, now$hashes)))
  now$all <- former$all && now$all
  now
}
