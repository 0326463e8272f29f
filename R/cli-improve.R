# What the subcommands that make a brief better do: folds, vary, sift, scout, distil.

# How rows are dealt and progress is told, as the verbs take it.
cli_dealing <- function(options, k, repeats = 1) {
  list(
    k = options$k %||% k, repeats = options$repeats %||% repeats, by = options$by, progress = cli_progress(options)
  )
}

cli_folds <- function(files, options) {
  options$checkpoint <- cli_checkpoint(options, cli_beside(files, ".folds"))
  b <- cli_brief_and_table(files, options)
  found <- do.call(folds, c(
    list(b, window = options$window), cli_dealing(options, k = 10), list(checkpoint = options$checkpoint)
  ))
  if (!is.null(options$output)) cli_write_table(found$predictions, options)
  if (!is.null(options$figures)) cli_figures(NULL, found$pooled, options$figures)
  cli_kept(found, options)
}

cli_more_rows <- function(files, options) {
  options$checkpoint <- cli_checkpoint(options, cli_beside(files, ".learning"))
  b <- cli_brief_and_table(files, options)
  asked <- drop_nulls(list(shares = cli_words(options$shares), ahead = options$ahead))
  found <- cli_said(do.call(more_rows, c(
    list(b), asked, cli_dealing(options, k = 5), list(checkpoint = options$checkpoint)
  )), "more-rows")
  cli_drawing(plot_more_rows(found), options)
  cli_kept(found, options)
}

cli_rows_needed <- function(files, options) {
  if (is.null(options$inputs)) cli_wrong("`--inputs` is missing: how many inputs are there?", "rows-needed")
  found <- cli_said(rows_needed(
    options$inputs, share = options$share, auc = options$auc, r_squared = options[["r-squared"]], mean = options$mean,
    sd = options$sd
  ), "rows-needed")
  cli_result(found, options, found[c("criteria", "rows", "cases")])
}

cli_vary <- function(files, options) {
  if (!grepl("^[^=]+=.", files[2])) {
    what <- "%s does not give a setting its values: write it as batch_size=16,64,256."
    cli_wrong(sprintf(what, quoted(files[2])), "vary")
  }
  setting <- sub("=.*", "", files[2])
  values <- cli_values(sub("^[^=]*=", "", files[2]))
  options$checkpoint <- cli_checkpoint(options, cli_beside(files[1], ".vary"))
  b <- cli_brief_and_table(files[1], options)
  cli_said(varied_to_each(b, setting, values), "vary")
  varied <- c(stats::setNames(list(values), setting), list(checkpoint = options$checkpoint))
  found <- do.call(vary, c(list(b), varied, cli_dealing(options, k = 5)))
  cli_drawing(plot_variation(found), options)
  cli_kept(found, options)
}

cli_sift <- function(files, options) {
  options$checkpoint <- cli_checkpoint(options, cli_beside(files, ".sift"))
  b <- cli_brief_and_table(files, options)
  how <- list(direction = options$direction %||% "backward", checkpoint = options$checkpoint)
  found <- do.call(sift, c(list(b), how, cli_dealing(options, k = 5)))
  cli_write_brief(best_brief(found, options$which %||% "small"), options)
  cli_drawing(plot_sifting(found), options)
  cli_kept(found, options)
}

cli_scout <- function(files, options) {
  b <- cli_brief_and_table(files[1], options)
  given <- cli_said(cli_search_space(files[-1]), "scout")
  cli_said(check_search(b, given, options$where), "scout")
  keep <- options$keep %||% cli_beside(files[1], ".scout")
  how <- list(
    budget = options$budget %||% 40, seconds = options$seconds %||% Inf,
    evaluate = options$evaluate, where = options$where, file = keep
  )
  found <- do.call(scout, c(list(b), given, how, cli_dealing(options, k = NULL, repeats = NULL)))
  cli_say(options, sprintf("Every fit is kept in %s.", keep))
  cli_write_brief(best_brief(found), options)
  if (!is.null(options$figures)) cli_scouting_figures(found, options$figures)
  cli_result(found, options, result_facts(found))
  cli_interrupted(found)
}

cli_scouting_figures <- function(found, folder) {
  names <- c("settings", "progress", if (all(c("layers", "units") %in% found$settings)) "map")
  cli_draw_all(lapply(stats::setNames(nm = names), function(what) plot_scouting(found, what)), folder)
}

# `units=4..64` are bounds, `units=4,8,16` values.
cli_search_space <- function(pairs) {
  wrong <- pairs[!grepl("^[^=]+=.", pairs)]
  if (length(wrong)) {
    what <- "%s does not give a setting its bounds or values: write it as units=4..64 or units=4,8,16."
    cli_wrong(sprintf(what, quoted(wrong[1])), "scout")
  }
  space <- lapply(sub("^[^=]*=", "", pairs), function(text) {
    ends <- vapply(strsplit(text, "..", fixed = TRUE)[[1]], as_one_number, 0)
    if (length(ends) == 2 && !anyNA(ends)) bounds(ends[[1]], ends[[2]]) else cli_values(text)
  })
  stats::setNames(space, sub("=.*", "", pairs))
}

# Numbers where they are ones.
cli_values <- function(text) {
  lapply(cli_words(text), function(word) if (is.na(as_one_number(word))) word else as_one_number(word))
}

# The result is kept where that is wanted, and given.
cli_kept <- function(found, options) {
  if (!is.null(options$keep)) {
    write_result(found, options$keep)
    cli_say(options, sprintf("Kept the result in %s.", options$keep))
  }
  status <- cli_interrupted(found)
  cli_end_checkpoint(options, interrupted = !is.null(status))
  cli_result(found, options, result_facts(found))
  status
}

# What an interrupt cut short is shown and kept, and is no success.
cli_interrupted <- function(found) if (identical(found$stopped, "interrupted") || isTRUE(found$left_out > 0)) 1L

# A student is a brief; any other file is the table of a teacher that becomes one network.
cli_distil <- function(files, options) {
  teacher <- read_model(files[1])
  if (!grepl("[.]ya?ml$", files[2])) return(cli_distil_down(teacher, files, options))
  # the teacher is trained anew inside the folds, so its inputs have to be there too
  b <- cli_brief_and_table(files[2], options, wanted_columns(teacher$brief))
  output <- options$output %||% cli_beside(files[2], ".hylo")
  check_can_write(output)
  tables <- list(
    unlabelled = if (length(files) > 2) read_table(files[3], unlist(b$columns$kinds)),
    teacher_data = if (!is.null(options[["teacher-data"]])) {
      read_table(options[["teacher-data"]], unlist(teacher$brief$columns$kinds))
    }
  )
  model <- do.call(distil, c(list(teacher, b), cli_teaching(options), tables, cli_dealing(options, k = 5)))
  cli_distilled(model, output, options)
}

cli_distil_down <- function(teacher, files, options) {
  if (length(files) > 2) cli_wrong("Beside a table no other one is taken: name a student's brief.", "distil")
  output <- options$output %||% cli_beside(files[1], "-one.hylo")
  check_can_write(output)
  table <- cli_table(teacher, files[2])
  how <- c(cli_teaching(options), list(progress = cli_progress(options)))
  cli_distilled(do.call(distil, c(list(teacher, table), how)), output, options)
}

# Over the model itself where nothing else is said; one that was resumed or refitted is another network.
cli_resume <- function(files, options) {
  cli_further(files, options, function(model, table) {
    resume(model, table, epochs = options$epochs, progress = cli_progress(options))
  })
}

cli_refit <- function(files, options) {
  cli_further(files, options, function(model, table) refit(model, table, progress = cli_progress(options)))
}

cli_further <- function(files, options, further) {
  output <- options$output %||% files[1]
  check_can_write(output)
  options(hylomath.catch_term = TRUE)
  former <- read_model(files[1])
  model <- further(former, cli_table(former, files[2]))
  cli_write_model(model, output, options, former)
  cli_result(model, options, c(list(file = output), model_facts(model)))
  if (model$stopped == "interrupted") 1L
}

cli_teaching <- function(options) {
  list(temperature = options$temperature %||% 2, label_share = options[["label-share"]] %||% 0.5)
}

cli_distilled <- function(model, output, options) {
  cli_write_model(model, output, options)
  if (!is.null(model$distilled$comparison)) cli_drawing(plot_distillation(model), options)
  facts <- c(list(file = output), model_facts(model), list(distilled = model$distilled))
  cli_result(model, options, facts)
  if (model$stopped == "interrupted") 1L
}
