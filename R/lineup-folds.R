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
