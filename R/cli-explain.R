# What the subcommands that judge and explain do.

cli_appraise <- function(files, options) {
  model <- read_model(files[1])
  data <- if (length(files) > 1) cli_table(model, files[2], options$by)
  if (!is.null(options$by) && is.null(data)) cli_wrong("`--by` names a column, so it needs the table behind the model; add --rows test for its test rows.", "appraise")
  level <- cli_number(options$level, "level", 0.95)
  appraisal <- appraise(model, data, rows = options$rows, by = options$by, level = level)
  if (appraisal$looks > 0) cli_keep_looks(model, files[1])
  if (!is.null(options$figures)) cli_figures(model, appraisal, options$figures, if (!is.null(options$by)) data)
  facts <- appraisal[setdiff(names(appraisal), c("judged", "weight", "unit", "confusion", "decision"))]
  if (!is.null(appraisal$confusion)) {
    facts$confusion <- confusion_table(appraisal)
    facts$calibration <- calibration_curve(appraisal)
  }
  if (!is.null(options$thresholds)) {
    write_table(threshold_curve(appraisal), options$thresholds)
    message(sprintf("Wrote %s.", options$thresholds))
  }
  cli_result(appraisal, options, facts)
}

# The table as far as a model looks at it, and the columns that are asked for beside.
cli_table <- function(model, file, beside = NULL) {
  b <- model$brief
  read_table(file, unlist(b$columns$kinds), columns = unique(c(needed_columns(model), b$target, unlist(b$columns[column_roles]), names(b$columns$kinds), beside)))
}

# How often test rows were looked at stands in the model's file; where that can't be written, it is said.
cli_keep_looks <- function(model, file) {
  kept <- with_looks(model)
  if (identical(kept$looks, model$looks)) return()
  tryCatch(write_model(kept, file), hylomath_error = function(e) message(sprintf("Could not note in %s that its test rows were looked at.", file)))
}

# With the table of an appraisal by a column, the errors along that column too.
cli_figures <- function(model, appraisal, folder, data = NULL) {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  classes <- appraisal$task == "classification"
  figures <- if (classes) {
    list(
      confusion = plot_confusion(appraisal), roc = plot_roc(appraisal), "precision-recall" = plot_precision_recall(appraisal), gain = plot_gain(appraisal),
      calibration = plot_calibration(appraisal), scores = plot_scores(appraisal)
    )
  } else {
    list(fit = plot_fit(appraisal), errors = plot_errors(appraisal), "errors-predicted" = plot_errors(appraisal, "predicted"))
  }
  if (!classes && !is.null(data)) figures[["errors-by"]] <- plot_errors(appraisal, appraisal$by_column, data)
  if (!is.null(model)) figures <- c(list(curves = plot_curves(model)), figures)
  square <- c("fit", "roc", "gain", if (!is.null(appraisal$positive)) c("precision-recall", "calibration"))
  for (name in names(figures)) write_figure(figures[[name]], file.path(folder, paste0(name, ".png")), width = if (name %in% square) 960 else 1280)
  message(sprintf("Drew %s in %s.", enumerate(paste0(names(figures), ".png")), folder))
}

cli_decide <- function(files, options) {
  model <- read_model(files)
  number <- function(name) if (!is.null(options[[name]])) cli_number(options[[name]], name)
  decided <- decide(model, recall = number("recall"), best = options$best, threshold = number("threshold"), costs = cli_costs(options$costs), class = options$class)
  output <- options$output %||% files
  write_model(with_looks(decided), output)
  cli_say(options, sprintf("Wrote %s.", output))
  if (is.null(decided$decision)) return(cli_say(options, "The model answers with the class of the highest score."))
  rule <- decision_of(decided)
  cli_result(rule, options, list(rule = rule$rule[c("class", "threshold")], by = rule$by, before = rule$before, after = rule$after), silent = options$quiet)
}

# A CSV with the observed classes in its first column and a column for each answer.
cli_costs <- function(file) {
  if (is.null(file)) return(NULL)
  table <- read_table(file)
  costs <- as.matrix(table[-1])
  rownames(costs) <- as_label(table[[1]])
  costs
}

cli_recalibrate <- function(files, options) {
  model <- recalibrate(read_model(files), options$method %||% "platt")
  output <- options$output %||% files
  write_model(with_looks(model), output)
  cli_say(options, sprintf("Wrote %s.", output))
  r <- model$recalibration
  if (options$json) return(cli_json(r[c("method", "rows", "before", "after")]))
  if (is.null(r)) return(cli_say(options, "The probabilities are the network's own again."))
  if (!options$quiet) write_lines(wrapped(sprintf("The cross-entropy of %s goes from %s to %s by `%s`; on new rows it will be a little less good: appraise the model.", counted(r$rows, "calibration row"), format_measure(r$before), format_measure(r$after), r$method), 0))
}

cli_importance <- function(files, options) {
  model <- read_model(files[1])
  found <- importance(model, cli_table(model, files[2]), rows = options$rows, repeats = cli_number(options$repeats, "repeats", 10))
  cli_drawing(plot_importance(found), options)
  cli_result(found, options, unclass(found))
}

cli_effect <- function(files, options) {
  if (is.null(options$input)) cli_wrong("`--input` is missing: which column is it about?", "effect")
  model <- read_model(files[1])
  data <- cli_table(model, files[2])
  found <- effect_of(model, options$input, data, with = options$with, of = cli_words(options$of))
  cli_drawing(plot_effect(found), options)
  cli_result(found, options, list(curve = found$curve, lines = found$lines, rows = found$n), silent = options$quiet)
}

cli_contributions <- function(files, options) {
  if (is.null(options$row)) cli_wrong("`--row` is missing: which row of the table is it about?", "contributions")
  model <- read_model(files[1])
  found <- contributions(model, cli_number(options$row, "row"), cli_table(model, files[2]), of = options$of)
  cli_drawing(plot_contributions(found), options)
  cli_result(found, options, unclass(found))
}

cli_lineup <- function(files, options) {
  for (file in files) check_file(file)
  kept <- files[vapply(files, is_result, NA)]
  if (length(kept)) return(cli_lineup_folds(files, kept, options))
  tables <- files[!grepl("[.]hylo$", files)]
  models <- setdiff(files, tables)
  if (length(tables) > 1) cli_wrong(sprintf("One table at most is taken beside the models, not %s.", enumerate(tables)), "lineup")
  if (length(models) < 2) cli_wrong("Two models at least are lined up: hylomath lineup a.hylo b.hylo", "lineup")
  read <- stats::setNames(lapply(models, read_model), cli_names(models))
  found <- lineup(read, data = if (length(tables)) cli_table(read[[1]], tables), rows = options$rows)
  if (found$looks > 0) for (i in seq_along(models)) cli_keep_looks(read[[i]], models[i])
  cli_drawing(plot_lineup(found), options)
  cli_result(found, options, unclass(found))
}

cli_lineup_folds <- function(files, kept, options) {
  other <- setdiff(files, kept)
  if (length(other)) cli_wrong(sprintf("Folds are lined up with folds, and bring their own rows: %s is something else.", quoted(other[1])), "lineup")
  found <- lineup(stats::setNames(lapply(kept, read_result), cli_names(kept)))
  cli_drawing(plot_lineup(found), options)
  cli_result(found, options, unclass(found))
}

# Files by their names without folder and ending, where that tells them apart.
cli_names <- function(files) {
  short <- sub("[.][^.]*$", "", basename(files))
  if (anyDuplicated(short)) files else short
}
