# What plot_pairs() shows: values of numeric inputs against each other, with the class or the target's band.

# So many groups are told apart by colour; rarer ones are put together.
most_groups <- 12

# Bands of a number, or classes in their order.
pairs_groups <- function(y) {
  if (has_many_values(y)) return(band_of(y))
  label <- as_label(y)
  counts <- sort(table(label), decreasing = TRUE)
  kept <- names(counts)
  if (length(kept) > most_groups) kept <- kept[seq_len(most_groups - 1)]
  rest <- sprintf("(%d others)", length(counts) - length(kept))
  label[!is.na(label) & !label %in% kept] <- rest
  factor(label, c(natural_order(kept, y), if (length(counts) > length(kept)) rest))
}

# `columns` of the table, at most `most` rows. Rare classes keep their rows longer than common ones when rows are
# drawn, so that they can be seen; `seed` fixes the draw.
pairs_data <- function(data, target, columns, most = 2000, seed = 1) {
  y <- data[[target]]
  group <- pairs_groups(y)
  known <- which(!is.na(group))
  rows <- known
  if (length(known) > most) {
    turn <- shuffled(length(known), seed, "pairs")
    # the place of each row among those of its class, as a share of the class's size to the power of one half
    within <- stats::ave(seq_along(known)[turn], group[known][turn], FUN = seq_along)
    size <- as.numeric(table(group)[as.character(group[known][turn])])
    rows <- sort(known[turn][order(within / sqrt(size))[seq_len(most)]])
  }
  pairs <- expand.grid(row = columns, column = columns, stringsAsFactors = FALSE)
  do.call(rbind, lapply(seq_len(nrow(pairs)), function(i) {
    data.frame(
      row = factor(pairs$row[i], columns), column = factor(pairs$column[i], columns), group = group[rows],
      x = as.numeric(data[[pairs$column[i]]][rows]), y = as.numeric(data[[pairs$row[i]]][rows])
    )
  }))
}

# The numeric columns that go with the target most: by the share of their ranks' variance that lies between its groups.
pairs_columns <- function(data, target, most = 4) {
  kinds <- unlist(guess_kinds(data))
  numeric <- setdiff(names(kinds)[kinds %in% c("number", "count")], target)
  if (length(numeric) < 2) {
    fail(
      "Drawing pairs needs two columns of numbers beside the target.",
      "Name columns with `columns`, or look at the table with look()."
    )
  }
  y <- data[[target]]
  group <- if (has_many_values(y)) band_of(y) else as_label(y)
  between <- vapply(numeric, function(column) {
    known <- !is.na(group) & !is.na(data[[column]])
    r <- rank(data[[column]][known])
    stats::var(stats::ave(r, as.character(group[known]))) / stats::var(r)
  }, 0)
  utils::head(numeric[order(-between)], most)
}
