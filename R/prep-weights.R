# How much each class and each row counts in the loss.

# Weight of each class: "even" gives every class the same total over the training rows.
class_weights_of <- function(b, preparation) {
  chosen <- b$regimen$class_weights
  counts <- unlist(preparation$target$counts)
  if (identical(chosen, "none")) return(counts * 0 + 1)
  if (identical(chosen, "even")) return(sum(counts) / (length(counts) * counts))
  unlist(chosen)[names(counts)]
}

# Case weight times class weight of the given rows, with a mean of 1 over those for training.
row_weights <- function(b, table, preparation, rows, training) {
  weight <- if (is.null(b$columns$weight)) rep(1, length(rows)) else as.numeric(table[[b$columns$weight]][rows])
  if (b$task == "classification") {
    weight <- weight * unname(class_weights_of(b, preparation)[as_label(table[[b$target[1]]][rows])])
  }
  if (sum(weight[training]) == 0) fail(sprintf("All training rows have the weight 0 in %s.", quoted(b$columns$weight)))
  weight / mean(weight[training])
}
