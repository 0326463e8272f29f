#' Models side by side
#'
#' Several models over the same rows: every measure with its interval, and for each model what sets it apart from the
#' first: the paired difference by the measure that they were trained for, the test of McNemar (1947) for predictions of
#' classes, size, speed, and in what their briefs differ.
#'
#' @param ... Models, best with names; or what [folds()] returned for several briefs; or one list of them.
#' @param data A table to evaluate them on, in place of their test rows.
#' @param rows `"test"`, `"validation"` or `"calibration"`: the part that all of them must share.
#' @param level,draws See [appraise()].
#' @details Folds are compared fold by fold: the difference is the mean over folds, its interval Student's with the
#'   correction of Nadeau and Bengio (2003) for training sets that overlap; McNemar's test and the time for a row are
#'   left out.
#' @return An object of class `hylomath_lineup` with
#'   * `models`, a data frame in the order of the primary measure, best first: `model`, that measure with `low` and
#'     `high`, `difference` from the first model that was given with `difference_low` and `difference_high` (paired
#'     bootstrap over the same rows), for classes `mcnemar` (the p-value of equal accuracy: exact, over the rows of
#'     which one is right and the other wrong; it takes rows as independent), `parameters`, `training_seconds` and
#'     `microseconds` to predict a row;
#'   * `measures`, all of them: `model`, `measure`, `value`, `low`, `high`;
#'   * `settings`, a row for each setting in which the briefs differ, a column a model;
#'   * `rules`, what each model's predicted classes follow, where one has a rule of [decide()].
#'
#'   [as.data.frame()] gives `models`.
#' @section Errors: Models of different targets, or without the same rows: other keys or other observed values.
#' @references McNemar (1947) \doi{10.1007/BF02295996}; Nadeau and Bengio (2003) \doi{10.1023/A:1024068626366}.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> hold_out(seed = 3) |> quick()
#' lineup(
#'   small = b |> wire("4 tanh") |> train(progress = "none"),
#'   usual = b |> train(progress = "none")
#' )
#' @export
lineup <- function(..., data = NULL, rows = NULL, level = 0.95, draws = 1000) {
  given <- named_models(list(...))
  type_level()(level, "level")
  type_count(1e5, from = 100)(draws, "draws")
  if (is_model(given[[1]])) return(lineup_models(given, data, rows, level, draws))
  if (!is.null(data) || !is.null(rows)) fail("Folds bring their own rows: leave out `data` and `rows`.")
  lineup_folds(given, level)
}

lineup_models <- function(models, data, rows, level, draws) {
  evaluated <- evaluated_alike(models, data, rows)
  part <- attr(evaluated, "part")
  first <- evaluated[[1]]
  target <- models[[1]]$predictor$target
  seed <- training_seed(models[[1]])
  resampling <- resampling_of(first$weight, first$group, seed, level, draws)
  measures <- compared_measures(models, evaluated, resampling)
  primary <- primary_measure(target)
  table <- data.frame(
    main_rows(measures, primary, names(models)),
    parameters = vapply(models, function(model) all_parameters(model$predictor), 0),
    training_seconds = vapply(models, function(model) model$seconds, 0),
    microseconds = vapply(models, function(model) microseconds_a_row(model$predictor), 0), row.names = NULL
  )
  if (has_classes(target)) table$mcnemar <- c(NA, vapply(evaluated[-1], function(other) mcnemar_p(first, other), 0))
  new_lineup(list(
    models = in_order(table, table$value), measures = measures,
    settings = settings_apart(lapply(models, `[[`, "brief")), rules = rules_in_force(models),
    primary = primary, target = target$columns, task = target$task, rows = part, n = length(first$key), level = level,
    first = names(models)[1], units = units_text(roles_of(models[[1]]), first), paired = "row by row",
    looks = if (identical(part, "test")) max(vapply(models, look_at_test, 0L)) else 0L
  ))
}

# What the predicted classes of each model follow, where one has a rule; NULL where none has.
rules_in_force <- function(models) {
  rules <- lapply(models, function(model) model$predictor$decision)
  if (all(lengths(rules) == 0)) return(NULL)
  vapply(rules, function(rule) if (is.null(rule)) "The likeliest class is predicted" else decision_line(rule), "")
}

# The measures of every model one after another, with their differences from those of the first.
compared_measures <- function(models, evaluated, resampling) {
  target <- models[[1]]$predictor$target
  each <- Map(function(model, rows) estimates_of(model, rows, resampling), models, evaluated)
  compared <- c("difference", "difference_low", "difference_high")
  of_target <- function(name, column, estimates, against) {
    is_first <- name == names(models)[1]
    table <- interval_table(estimates, resampling, if (!is_first) against)
    if (is_first) table[compared] <- NA_real_
    named <- if (length(target$columns) > 1) data.frame(target = column) else table[0]
    cbind(model = name, named, table[c("measure", "value", "low", "high", compared)])
  }
  each <- Map(function(name, own) {
    do.call(rbind, Map(of_target, name, target$columns, own, each[[1]]))
  }, names(models), each)
  measures <- do.call(rbind, each)
  rownames(measures) <- NULL
  measures
}

# A set of estimates for each target.
estimates_of <- function(model, evaluated, resampling) {
  target <- target_in(model)
  context <- list(target = target, baseline = model$baseline)
  lapply(seq_along(target$columns), function(i) task_of(target)$estimate(context, evaluated, i, resampling))
}

named_models <- function(given) {
  is_folds <- function(x) inherits(x, "hylomath_folds")
  alone <- length(given) == 1 && is.list(given[[1]]) && !is_model(given[[1]]) && !is_folds(given[[1]])
  if (alone) given <- given[[1]]
  if (length(given) < 2) fail("Two models at least are lined up.", "Give them one after another: lineup(a, b).")
  odd <- which(!vapply(given, if (is_folds(given[[1]])) is_folds else is_model, NA))
  if (length(odd)) {
    what <- "Models are lined up with models and folds with folds; number %d is %s."
    fail(sprintf(what, odd[1], describe_class(given[[odd[1]]])))
  }
  names <- names(given) %||% rep("", length(given))
  names[names == ""] <- paste("model", seq_along(given))[names == ""]
  if (anyDuplicated(names)) fail(sprintf("Two models are called %s.", describe(names[duplicated(names)][1])))
  names(given) <- names
  check_same_target(given)
  given
}

check_same_target <- function(given) {
  own <- c("target", "task", "classes")
  for (name in names(given)[-1]) {
    if (!identical(given[[name]]$brief[own], given[[1]]$brief[own])) {
      what <- "The models %s and %s don't predict the same: their target, task or classes differ."
      fail(sprintf(what, describe(names(given)[1]), describe(name)))
    }
  }
}

# The same rows as each model predicts them.
evaluated_alike <- function(models, data, rows) {
  if (!is.null(data) && !is.null(rows)) fail("Give either `data` or `rows`: with `data` all its rows are evaluated.")
  part <- if (is.null(data)) part_to_evaluate(models[[1]], rows) else "new"
  if (!is.null(data)) data <- as_table(data)
  evaluated <- lapply(models, function(model) {
    own <- if (is.null(data)) evaluated_in_part(model, part_to_evaluate(model, part)) else evaluated_in(model, data)
    evaluated_now(model$predictor, own, model$linear)
  })
  if (part == "new") {
    # rows that one of them has learned from are no test of any
    common <- Reduce(intersect, lapply(evaluated, `[[`, "row"))
    evaluated <- lapply(evaluated, function(own) rows_of_each(own, which(own$row %in% common)))
    if (length(common) == 0) {
      fail("No row is new to all of the models.", "Give others, or compare them by `rows`.")
    }
  }
  for (name in names(models)[-1]) {
    if (!identical(evaluated[[name]][c("key", "observed")], evaluated[[1]][c("key", "observed")])) {
      names <- sprintf("%s and %s", describe(names(models)[1]), describe(name))
      fail(
        sprintf("The models %s don't have the same %s rows.", names, part),
        "Train them with the same hold_out(seed = ), or give rows that all of them can predict: lineup(..., data = )."
      )
    }
  }
  structure(evaluated, part = part)
}

# The exact p-value that two networks are right equally often, from the rows of which only one is right.
mcnemar_p <- function(first, other) {
  right <- function(evaluated) evaluated$predictions$prediction == evaluated$observed
  only_first <- sum(right(first) & !right(other))
  only_other <- sum(!right(first) & right(other))
  if (only_first + only_other == 0) return(1)
  stats::binom.test(only_first, only_first + only_other)$p.value
}

# How long the networks take for a row of usual values, encoding and all, in microseconds; the shortest of three.
microseconds_a_row <- function(predictor) {
  n <- 5000L
  columns <- lapply(predictor$preparation$columns, usual_values, n)
  names(columns) <- prepared_columns(predictor$preparation)
  if (!is.null(predictor$target$exposure)) columns[[predictor$target$exposure]] <- rep(1, n)
  table <- as_plain_frame(columns)
  took <- function() {
    began <- proc.time()[["elapsed"]]
    times <- 0
    while (proc.time()[["elapsed"]] - began < 0.02) {
      predictions_of(predictor, table)
      times <- times + 1
    }
    (proc.time()[["elapsed"]] - began) / times
  }
  min(took(), took(), took()) / n * 1e6
}

usual_values <- function(plan, n) {
  switch(plan$encoding,
    number = rep(plan$fill, n), date = if (plan$clock) .POSIXct(numeric(n), "UTC") else .Date(numeric(n)),
    rep(c(plan$levels, "")[1], n)
  )
}

#' @export
as.data.frame.hylomath_lineup <- function(x, ...) x$models

# ---- folds side by side ----------------------------------------------------------------------------------------------

# A line-up of folds.

lineup_folds <- function(given, level) {
  first <- given[[1]]
  for (name in names(given)[-1]) {
    if (!same_folds(given[[name]], first)) {
      names <- sprintf("%s and %s", describe(names(given)[1]), describe(name))
      fail(
        sprintf("The folds %s are not the same rows dealt in the same way.", names),
        "Give both briefs the same hold_out(seed = ), and the same k, repeats and by."
      )
    }
  }
  measures <- do.call(rbind, Map(fold_differences, names(given), given, MoreArgs = list(first = first, level = level)))
  rownames(measures) <- NULL
  table <- data.frame(
    main_rows(measures, first$primary, names(given)),
    parameters = vapply(given, function(f) round(mean(f$each$parameters)), 0),
    training_seconds = vapply(given, function(f) sum(f$each$seconds), 0), row.names = NULL
  )
  new_lineup(list(
    models = in_order(table, table$value), measures = measures, settings = settings_apart(lapply(given, `[[`, "brief")),
    primary = first$primary, target = first$target, task = first$task, rows = "out-of-fold",
    n = length(unique(first$predictions$key)), level = level, first = names(given)[1], units = first$pooled$units,
    paired = "fold by fold, with a correction for training sets that overlap (Nadeau and Bengio 2003)", looks = 0L
  ))
}

# ---- as a table ------------------------------------------------------------------------------------------------------

# What line-ups of models and of folds share.

new_lineup <- function(parts) new_result(parts, "lineup")

# The row of the measure that tells most for each of those that are lined up.
main_rows <- function(measures, primary, names) {
  main <- measures[measures$measure == primary, ]
  main <- main[!duplicated(main$model), ]
  data.frame(model = names, main[c("value", "low", "high", "difference", "difference_low", "difference_high")])
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
format.hylomath_lineup <- function(x, ...) {
  what <- if (x$rows == "out-of-fold") "briefs" else "models"
  rows <- counted(x$n, paste(x$rows, "row"))
  c(
    cli::style_bold(sprintf("%s: %d %s on the same %s", enumerate(x$target), nrow(x$models), what, rows)), "",
    lineup_table(x),
    if (nrow(x$settings)) c("", "Their briefs differ in", settings_lines(x$settings)),
    "",
    paragraphs(lineup_sentences(x))
  )
}

lineup_table <- function(x) {
  cells <- lineup_cells(x)
  lines <- as_text_table(c(cells$evaluated, cells$beside), 1)
  if (!too_wide(lines)) return(lines)
  c(as_text_table(cells$evaluated, 1), "", as_text_table(c(cells$evaluated["model"], cells$beside), 1))
}

# Columns of cells as text: the measure, and what stands beside it.
lineup_cells <- function(x) {
  models <- x$models
  apart <- difference_cell(models$difference, models$difference_low, models$difference_high)
  evaluated <- list(
    model = shorten(models$model, 20), format_measure(models$value), interval_cell(models$low, models$high),
    ifelse(is.na(models$difference), "(the first)", apart)
  )
  names(evaluated)[2:4] <- c(x$primary, interval_heading(x$level), paste("less", shorten(x$first, 14)))
  cost <- list(
    parameters = format_each_count(models$parameters), trained = vapply(models$training_seconds, format_seconds, "")
  )
  if (!is.null(models$microseconds)) cost[["us a row"]] <- format_each_short(signif(models$microseconds, 2))
  list(evaluated = evaluated, beside = c(if (predicts_classes(x$task)) accuracy_columns(x), cost))
}

accuracy_columns <- function(x) {
  models <- x$models
  of_models <- function(measure) {
    own <- x$measures[x$measures$measure == measure, ]
    format_measure(own$value[match(models$model, own$model)])
  }
  mcnemar <- if (!is.null(models$mcnemar)) ifelse(is.na(models$mcnemar), "", format_p(models$mcnemar))
  drop_nulls(list(accuracy = of_models("accuracy"), balanced = of_models("balanced accuracy"), McNemar = mcnemar))
}

lineup_sentences <- function(x) {
  luck <- if (x$rows == "out-of-fold") "" else " They leave out the luck of training."
  mcnemar <- if (!is.null(x$models$mcnemar)) {
    " McNemar: the p-value for two networks being right equally often."
  }
  c(
    if (!is.null(x$rules)) sprintf("%s: %s.", names(x$rules), x$rules),
    sprintf(
      "Intervals say how much figures vary with the %s in the evaluated part; those of differences compare %s.%s",
      x$units, x$paired, luck
    ),
    if (predicts_classes(x$task)) paste0("balanced: the mean recall of the classes.", mcnemar),
    if (x$rows == "test") {
      paste(
        "The best of several on the same test rows looks better than it is:",
        "choose on validation rows."
      )
    }
  )
}

settings_lines <- function(settings) {
  lines <- as_text_table(lapply(settings, shorten, 26), ncol(settings))
  if (length(lines) > 31) c(lines[1:31], sprintf("  and %d more", length(lines) - 31)) else lines
}
