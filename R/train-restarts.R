# How much is luck: what each start of a brief with restarts comes to.

# `restarts`, a row a start, with the measures of each start's network on the validation rows (without them, on training rows), NA for a
# start that came to nothing. `starts` are the parameters by start.
restarts_judged <- function(model, starts, table, part) {
  if (nrow(model$restarts) < 2) return(model$restarts)
  rows <- which(part %in% "validation")
  if (length(rows) == 0) rows <- utils::head(which(part %in% "training"), most_training_judged)
  values <- lapply(model$restarts$start, function(i) {
    if (is.na(model$restarts$loss[model$restarts$start == i])) return(NULL)
    one <- model
    one$network$parameters <- starts[[i]]
    one$network$members <- NULL
    measure_values(one, judged_rows(one, table[rows, , drop = FALSE], rows))
  })
  known <- drop_nulls(values)
  if (length(known) == 0) return(model$restarts)
  cbind(model$restarts, as.data.frame(do.call(rbind, lapply(values, function(v) v %||% (known[[1]] * NA))), optional = TRUE))
}
