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
