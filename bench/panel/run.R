# Losses on held-out rows of the default and of `linear`, and processor seconds: one row a table and split, added to the
# file as it comes; tables that the file has are passed over. `Rscript bench/panel/run.R trial|proof FILE [splits]`, in
# the project.
library(hylomath)
source("bench/panel/read.R")
arguments <- commandArgs(TRUE)
half <- arguments[1]
file <- arguments[2]
splits <- if (length(arguments) > 2) as.integer(arguments[3]) else 5
options(hylomath.threads = 1)
listed <- panel()
done <- if (file.exists(file)) unique(utils::read.csv(file)$table)
for (i in which(listed$half == half & !paste(listed$package, listed$item) %in% done)) {
  rows <- parallel::mclapply(seq_len(splits), function(split) {
    one <- listed[i, ]
    start <- proc.time()
    model <- suppressWarnings(train(panel_brief(one, split), progress = "none"))
    seconds <- sum((proc.time() - start)[1:2])
    evaluated <- model$evaluated$test
    of <- function(predictions) panel_loss(model, evaluated, predictions)
    data.frame(
      table = paste(one$package, one$item), split = split, rows = sum(model$parts$rows, na.rm = TRUE), test = length(evaluated$key),
      columns = length(model$predictor$preparation$columns), default = of(evaluated$predictions),
      linear = of(if (is.null(evaluated$linear)) evaluated$predictions else evaluated$linear), seconds = seconds
    )
  }, mc.cores = parallel::detectCores(), mc.preschedule = FALSE)
  failed <- vapply(rows, inherits, NA, "try-error")
  if (any(failed)) cat(listed$item[i], as.character(rows[failed][[1]]))
  rows <- do.call(rbind, rows[!failed])
  if (!is.null(rows)) {
    there <- file.exists(file)
    utils::write.table(rows, file, sep = ",", row.names = FALSE, col.names = !there, append = there)
    said <- "%-24s %6.0f rows  log ratio %6.3f  %6.1f s\n"
    ratio <- mean(log(rows$default / rows$linear))
    cat(sprintf(said, rows$table[1], rows$rows[1], ratio, mean(rows$seconds)))
  }
}
