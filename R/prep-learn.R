# Preparation: what is learned from the training rows and nothing else, and how rows become the network's inputs.
#
# A preparation is list(columns, features, target): `columns` holds, for each input column, what its encoder needs.

learn_preparation <- function(b, training) {
  inputs <- brief_inputs(b)
  columns <- lapply(inputs, function(column) {
    learn_column(b$table[[column]][training], column, b$columns$kinds[[column]], b$prepare)
  })
  features <- unlist(lapply(columns, column_features))
  list(columns = columns, features = features, target = learn_target(b, b$table[[b$target]][training]))
}

learn_column <- function(x, column, kind, how) {
  if (all(is.na(x))) {
    fail(sprintf("Column %s has no value in the training rows.", quoted(column)), sprintf("Drop it: set_columns(drop = %s).", column))
  }
  learned <- list(column = column, kind = kind)
  switch(kind,
    number = , count = , flag = c(learned, learn_number(as.numeric(x), how)),
    category = c(learned, learn_levels(as_label(x), how$rare)),
    date = , time = learned
  )
}

learn_number <- function(x, how) {
  x <- x[!is.na(x)]
  fill <- switch(how$gaps, median = stats::median(x), mean = mean(x))
  if (how$numbers == "none") return(list(fill = fill, shift = 0, scale = 1))
  list(fill = fill, shift = mean(x), scale = nonzero(stats::sd(x)))
}

# Levels in alphabetical order. `lumped` says whether there is an input for rare and unseen ones.
learn_levels <- function(x, rare) {
  share <- table(x) / sum(!is.na(x))
  kept <- names(share)[share >= rare]
  list(levels = sort(enc2utf8(kept), method = "radix"), lumped = length(kept) < length(share))
}

learn_target <- function(b, y) {
  if (b$task == "classification") {
    return(list(counts = as.list(table(factor(as_label(y), b$classes)))))
  }
  y <- as.numeric(y)
  if (b$task == "regression" && b$prepare$target == "zscore") {
    return(list(mean = mean(y), shift = mean(y), scale = nonzero(stats::sd(y))))
  }
  list(mean = mean(y), shift = 0, scale = 1)
}

# A column that doesn't vary in the training rows is left unscaled.
nonzero <- function(sd) if (is.na(sd) || sd == 0) 1 else sd
