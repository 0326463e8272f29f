# The panel: real tables from data packages, data only. The list stands in tables.csv; a hash of the names halves it.
# On the half "trial" decisions are made; "proof" is run once, at the end.

panel <- function() {
  listed <- utils::read.csv("bench/panel/tables.csv", colClasses = "character")
  even <- asNamespace("hylomath")$core_hash(paste(listed$package, listed$item)) %% 2 == 0
  listed$half <- ifelse(even, "trial", "proof")
  listed
}

words <- function(x) strsplit(x, " ", fixed = TRUE)[[1]]

panel_table <- function(one) {
  place <- new.env()
  suppressWarnings(utils::data(list = one$item, package = one$package, envir = place))
  found <- if (exists(one$item, place, inherits = FALSE)) place[[one$item]] else getExportedValue(one$package, one$item)
  table <- as.data.frame(found)
  classes <- one$target %in% c("status", "death", "rel", "r", "case")
  if (classes) table[[one$target]] <- paste0("c", table[[one$target]])
  table <- table[!is.na(table[[one$target]]), setdiff(names(table), words(one$drop)), drop = FALSE]
  rownames(table) <- NULL
  table
}

# A fifth of the rows (of the groups, where there are some), other ones for each split.
with_test_rows <- function(table, one, split) {
  set.seed(1000 + split)
  unit <- if (nzchar(one$group)) as.character(table[[one$group]]) else seq_len(nrow(table))
  test <- sample(unique(unit), round(length(unique(unit)) / 5))
  table$held_out <- unit %in% test
  table
}

# The brief that nobody tuned: the target, and a group where rows belong together.
panel_brief <- function(one, split) {
  b <- hylomath::brief(with_test_rows(panel_table(one), one, split), target = one$target)
  if (nzchar(one$group)) b <- hylomath::set_columns(b, group = tidyselect::all_of(one$group))
  b <- hylomath::set_columns(b, drop = "held_out")
  hylomath::regimen(hylomath::hold_out(b, test_where = held_out, seed = split), seed = split)
}

# The mean loss of evaluated rows as it is trained: squared error, cross-entropy, half the deviance of counts.
panel_loss <- function(model, evaluated, predictions) {
  core <- asNamespace("hylomath")
  losses <- core$own_losses(core$target_in(model), evaluated, predictions)
  if (core$primary_measure(core$target_in(model)) == "Poisson deviance") losses <- losses / 2
  mean(losses)
}
