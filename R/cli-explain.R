# What the subcommands that evaluate and explain do.

cli_appraise <- function(files, options) {
  model <- read_model(files[1])
  data <- if (length(files) > 1) cli_table(model, files[2], options$by)
  if (!is.null(data)) cli_columns(data, options$by, "by")
  if (!is.null(options$by) && is.null(data)) {
    hint <- "so it needs the table behind the model; add --rows test for its test rows."
    cli_wrong(paste("`--by` names a column,", hint), "appraise")
  }
  asked <- cli_with_decisions(model, options)
  appraisal <- appraise(asked, data, rows = options$rows, by = options$by, level = options$level %||% 0.95)
  if (appraisal$looks > 0) cli_keep_looks(model, files[1])
  if (!is.null(options$figures)) cli_figures(model, appraisal, options$figures, if (!is.null(options$by)) data)
  if (!is.null(options$output)) cli_write_table(augment(appraisal), options)
  if (!is.null(options$thresholds)) {
    write_table(threshold_curve(appraisal), options$thresholds)
    cli_say(options, sprintf("Wrote %s.", options$thresholds))
  }
  cli_result(appraisal, options, appraisal_facts(appraisal))
}

# The model with what is said of decisions for this once.
cli_with_decisions <- function(model, options) {
  said <- drop_nulls(list(
    top = cli_words(options$top), gains = cli_gains(options$gains), thresholds = cli_words(options[["net-benefit"]]),
    class = options$class
  ))
  if (length(said) == 0) return(model)
  cli_said(do.call(set_decisions, c(list(model), said)), "appraise")
}

# `--gains found=120,false_alarm=-15`
cli_gains <- function(text) {
  if (is.null(text)) return(NULL)
  pairs <- strsplit(cli_words(text), "=", fixed = TRUE)
  if (any(lengths(pairs) != 2)) {
    what <- "`--gains` says what each outcome earns, as in found=120,false_alarm=-15; not %s."
    cli_wrong(sprintf(what, describe(text)))
  }
  stats::setNames(lapply(pairs, `[`, 2), vapply(pairs, `[`, "", 1))
}

# The table as far as a model looks at it, and the columns that are asked for beside.
cli_table <- function(model, file, beside = NULL) {
  columns <- model$brief$columns
  check_needed_columns(needed_columns(model$predictor), table_columns(file), quoted(file))
  roles <- unlist(columns[column_roles])
  wanted <- c(needed_columns(model$predictor), model$brief$target, roles, names(columns$kinds), beside)
  read_table(file, unlist(columns$kinds), columns = unique(wanted))
}

# How often test rows were looked at stands in the model's file; where that can't be written, it is said.
cli_keep_looks <- function(model, file) {
  kept <- with_looks(model)
  if (identical(kept$looks, model$looks)) return()
  untold <- sprintf("Could not note in %s that its test rows were looked at.", file)
  tryCatch(write_model(kept, file), hylomath_error = function(e) message(untold))
}

# With the table of an appraisal by a column, the errors along that column too.
cli_figures <- function(model, appraisal, folder, data = NULL) {
  figures <- if (predicts_classes(appraisal$task)) {
    class <- class_decided_on(appraisal)
    decided <- !is.null(class) && varies_by_class(appraisal, class)
    drop_nulls(list(
      confusion = plot_confusion(appraisal), roc = plot_roc(appraisal),
      "precision-recall" = plot_precision_recall(appraisal), gain = plot_gain(appraisal),
      calibration = plot_calibration(appraisal), scores = plot_scores(appraisal),
      "net-benefit" = if (decided) plot_net_benefit(appraisal, class),
      top = if (decided) plot_top(appraisal, class),
      profit = if (decided && length(appraisal$decisions$gains)) plot_profit(appraisal, class = class)
    ))
  } else {
    drop_nulls(list(
      fit = plot_fit(appraisal), errors = plot_errors(appraisal),
      "errors-predicted" = plot_errors(appraisal, against = "predicted"),
      "errors-by" = if (!is.null(data)) plot_errors(appraisal, data, against = appraisal$by_column)
    ))
  }
  if (drawn_over_time(appraisal)) figures[["over-time"]] <- plot_over_time(appraisal)
  if (!is.null(model)) figures <- c(list(curves = plot_curves(model)), figures)
  square <- c("fit", "roc", "gain", if (!is.null(appraisal$positive)) c("precision-recall", "calibration"))
  cli_draw_all(figures, folder, function(name) if (name %in% square) 960 else 1280)
}

cli_decide <- function(files, options) {
  model <- read_model(files)
  costs <- cli_costs(options$costs)
  decided <- cli_said(decide(
    model, recall = options$recall, best = options$best, threshold = options$threshold, costs = costs,
    miss = options$miss, class = options$class
  ), "decide")
  cli_write_model(decided, options$output %||% files, options)
  decision <- decision_of(decided)
  if (is.null(decision)) return(cli_say(options, "The model predicts the class with the highest score."))
  facts <- list(
    rule = decision$rule[c("class", "threshold")], by = decision$by, before = decision$before, after = decision$after
  )
  cli_result(decision, options, facts)
}

# A CSV with the observed classes in its first column and a column for each prediction.
cli_costs <- function(file) {
  if (is.null(file)) return(NULL)
  table <- read_table(file)
  costs <- as.matrix(table[-1])
  rownames(costs) <- as_label(table[[1]])
  costs
}

cli_recalibrate <- function(files, options) {
  model <- recalibrate(read_model(files), options$method %||% "platt")
  cli_write_model(model, options$output %||% files, options)
  r <- model$predictor$recalibration
  if (options$json) return(cli_json(r[c("method", "rows", "before", "after")]))
  if (is.null(r)) return(cli_say(options, "The probabilities are the network's own again."))
  if (options$quiet) return()
  what <- paste(
    "The cross-entropy of %s goes from %s to %s by `%s`; expect it slightly worse on new rows:",
    "appraise the model."
  )
  rows <- counted(r$rows, "row")
  write_lines(wrapped(sprintf(what, rows, format_measure(r$before), format_measure(r$after), r$method), 0))
}

cli_importance <- function(files, options) {
  model <- read_model(files[1])
  groups <- cli_shuffled_together(options$group)
  cli_said(shuffled_sets(needed_columns(model$predictor), groups), "importance")
  found <- importance(
    model, cli_table(model, files[2]), rows = options$rows, repeats = options$repeats %||% 10, groups = groups,
    among_alike = isTRUE(options[["among-alike"]])
  )
  cli_drawing(plot_importance(found), options)
  cli_result(found, options, unclass(found))
}

# `--group firing=peak_c,soak_min`, each group once.
cli_shuffled_together <- function(groups) {
  if (is.null(groups)) return(NULL)
  parts <- regmatches(groups, regexpr("=", groups), invert = TRUE)
  wrong <- groups[lengths(parts) != 2]
  if (length(wrong)) {
    what <- "`--group` names columns that are shuffled together, as in firing=peak_c,soak_min; not %s."
    cli_wrong(sprintf(what, describe(wrong[1])), "importance")
  }
  stats::setNames(lapply(parts, function(part) cli_words(part[2])), vapply(parts, `[`, "", 1))
}

cli_effect <- function(files, options) {
  if (is.null(options$input)) cli_wrong("`--input` is missing: which column is it about?", "effect")
  model <- read_model(files[1])
  data <- cli_table(model, files[2])
  cli_columns(needed_columns(model$predictor), c(options$input, options$with), "input")
  cli_said(predictions_to_explain(model$predictor$target, cli_words(options$of)), "effect")
  found <- effect_of(
    model, data, options$input, with = options$with, of = cli_words(options$of), local = isTRUE(options$local)
  )
  cli_drawing(plot_effect(found), options)
  facts <- list(curve = found$curve, lines = found$lines, rows = found$n)
  cli_result(found, options, facts)
}

cli_contributions <- function(files, options) {
  if (is.null(options$row)) cli_wrong("`--row` is missing: which row of the table is it about?", "contributions")
  model <- read_model(files[1])
  data <- cli_table(model, files[2])
  all <- options$row == "all"
  if (!all) cli_said(one_row(options$row, data, roles_of(model)$id), "contributions")
  cli_said(predictions_to_explain(model$predictor$target, options$of), "contributions")
  found <- contributions(model, data, options$row, options$of, options$passes %||% 20)
  cli_drawing(plot_contributions(found), options)
  if (!is.null(options$output)) cli_write_table(as.data.frame(found), options, if (all) "row" else "column")
  cli_result(found, options, if (all) as.data.frame(found) else unclass(found))
}

cli_interactions <- function(files, options) {
  model <- read_model(files[1])
  columns <- cli_words(options$columns)
  cli_said(check_paired_columns(columns, needed_columns(model$predictor)), "interactions")
  cli_said(predictions_to_explain(model$predictor$target, cli_words(options$of)), "interactions")
  found <- interactions(model, cli_table(model, files[2]), columns = columns, of = cli_words(options$of))
  cli_drawing(plot_interactions(found), options)
  cli_result(found, options, unclass(found))
}

cli_smallest_change <- function(files, options) {
  if (is.null(options$row)) cli_wrong("`--row` is missing: which row of the table is it about?", "smallest-change")
  model <- read_model(files[1])
  data <- cli_table(model, files[2])
  to <- if (has_classes(model$predictor$target)) options$to else cli_range(options$to)
  found <- cli_said(
    smallest_change(model, data, options$row, cli_words(options$columns), to, options$most %||% 3), "smallest-change"
  )
  cli_result(found, options, unclass(found))
}

# `-Inf,20`, or `passengers=-Inf,20` of several targets.
cli_range <- function(text) {
  parts <- regmatches(text %||% "", regexpr("=", text %||% ""), invert = TRUE)[[1]]
  range <- suppressWarnings(as.numeric(cli_words(parts[length(parts)])))
  if (length(range) != 2 || anyNA(range)) {
    what <- "`--to` is the range that the prediction is to be in, as in -Inf,20 or TARGET=-Inf,20; not %s."
    cli_wrong(sprintf(what, if (is.null(text)) "missing" else describe(text)), "smallest-change")
  }
  if (length(parts) == 1) range else stats::setNames(list(range), parts[1])
}

cli_try_row <- function(files, options) {
  if (is.null(options$row)) cli_wrong("`--row` is missing: which row of the table is it about?", "try-row")
  given <- files[-(1:2)]
  wrong <- given[!grepl("=", given, fixed = TRUE)]
  if (length(wrong)) cli_wrong(sprintf("%s is not COLUMN=VALUE.", quoted(wrong[1])), "try-row")
  values <- sub("^[^=]*=", "", given)
  values <- stats::setNames(as.list(ifelse(values %in% c("", "NA"), NA, values)), sub("=.*", "", given))
  model <- read_model(files[1])
  found <- cli_said(try_row(model, cli_table(model, files[2]), options$row, values), "try-row")
  cli_result(found, options, unclass(found))
}

cli_lineup <- function(files, options) {
  for (file in files) check_file(file)
  kept <- files[vapply(files, is_result, NA)]
  found <- if (length(kept)) cli_lineup_folds(files, kept) else cli_lineup_models(files, options)
  cli_drawing(plot_lineup(found), options)
  cli_result(found, options, unclass(found))
}

cli_lineup_models <- function(files, options) {
  tables <- files[!grepl("[.]hylo$", files)]
  models <- setdiff(files, tables)
  if (length(tables) > 1) {
    cli_wrong(sprintf("One table at most is taken beside the models, not %s.", enumerate(tables)), "lineup")
  }
  if (length(models) < 2) cli_wrong("Two models at least are lined up: hylomath lineup a.hylo b.hylo", "lineup")
  read <- stats::setNames(lapply(models, read_model), cli_names(models))
  found <- lineup(read, data = if (length(tables)) cli_table(read[[1]], tables), rows = options$rows)
  if (found$looks > 0) for (i in seq_along(models)) cli_keep_looks(read[[i]], models[i])
  found
}

cli_lineup_folds <- function(files, kept) {
  other <- setdiff(files, kept)
  if (length(other)) {
    what <- "Folds are lined up with folds, and bring their own rows: %s is something else."
    cli_wrong(sprintf(what, quoted(other[1])), "lineup")
  }
  lineup(stats::setNames(lapply(kept, read_result), cli_names(kept)))
}

# Files by their names without folder and ending, where that tells them apart.
cli_names <- function(files) {
  short <- sub("[.][^.]*$", "", basename(files))
  if (anyDuplicated(short)) files else short
}

# Has the world changed? The exit status says so too: 0 keep, 3 look, 4 retrain.
cli_watch <- function(files, options) {
  model <- read_model(files[1])
  by <- if (!is.null(options$by)) cli_said(parse_expression(options$by, "`--by`"), "watch")
  newer <- cli_table(model, files[2], if (!is.null(by)) expression_columns(by))
  x <- watch_table(model, newer, by)
  if (options$adapt) cli_adapted(model, newer, files[1], options)
  cli_drawing(if (!is.null(options$figure)) plot_watch(x), options)
  if (!is.null(options$output)) cli_write_table(x$movements, options, "comparison")
  if (!is.null(options$report)) {
    write_report(x, options$report)
    cli_say(options, sprintf("Wrote %s.", options$report))
  }
  facts <- x[c("verdict", "sentence", "periods", "movements", "notes", "rows", "rows_then", "identity")]
  cli_result(x, options, facts)
  c(keep = 0L, look = 3L, retrain = 4L)[[x$verdict]]
}

cli_adapt <- function(files, options) {
  model <- read_model(files[1])
  adapted <- cli_adapted(model, cli_table(model, files[2]), options$output %||% files[1], options)
  if (options$json) cli_json(list(later = length(adapted$evaluated$later$key)))
}

# The model whose intervals follow newer rows too, written.
cli_adapted <- function(model, newer, place, options) {
  adapted <- cli_said(adapt(model, newer))
  write_model(adapted, place)
  count <- function(model) length(model$evaluated$later$key)
  cli_say(options, sprintf(
    "The intervals of %s follow %s more, %s since training.", place, counted(count(adapted) - count(model), "row"),
    format_count(count(adapted))
  ))
  adapted
}

# Others on this machine see what a command was called with, so a token had better come from the environment.
cli_serve <- function(files, options) {
  model <- read_model(files[1])
  serve_model(
    model, port = options$port %||% 8010, host = options$host %||% "127.0.0.1",
    hosts = options[["called"]], token = options$token %||% non_empty(Sys.getenv("HYLOMATH_TOKEN")),
    most_bytes = options[["most-bytes"]] %||% 1e7, most_rows = options[["most-rows"]] %||% 1e5,
    most_seconds = options[["most-seconds"]] %||% 30, most_idle = options[["most-idle"]] %||% 60,
    log = options$log %||% "-",
    ready = function(address) {
      cli_say(options, sprintf("Serves %s (network %s) at %s", files[1], identity_of(model), address))
    }
  )
  cli_say(options, "Stopped.")
}

non_empty <- function(text) if (nzchar(text)) text
