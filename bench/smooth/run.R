# The untouched brief beside three named networks on smooth relations: error against the noise-free truth over its
# deviation, and seconds; one row a cell, added to the file as it comes. In the project:
# `Rscript bench/smooth/run.R decided_on|kept_aside|named FILE [rows] [noise]`, rows and noise as in 1500,6000.
library(hylomath)
source("bench/smooth/relations.R")
arguments <- commandArgs(TRUE)
numbers <- function(i, usual) if (length(arguments) < i) usual else as.numeric(strsplit(arguments[i], ",")[[1]])
cells <- expand.grid(
  relation = get(arguments[1]), rows = numbers(3, c(300, 1500, 6000)), noise = numbers(4, c(0, 0.02, 0.2, 0.5)),
  stringsAsFactors = FALSE
)
networks <- c("auto", "8 tanh", "16 tanh", "10 tanh > 6 tanh")
for (i in seq_len(nrow(cells))) {
  cell <- cells[i, ]
  table <- smooth_table(cell$relation, cell$rows, cell$noise, seed = 1)$table
  found <- lapply(networks, function(wiring) {
    b <- hold_out(regimen(brief(table, target = "y"), seed = 1), test = 0, seed = 1)
    if (wiring != "auto") b <- regimen(wire(b, wiring), method = "levenberg_marquardt")
    seconds <- system.time(model <- suppressWarnings(train(b, progress = "none")))[["elapsed"]]
    cbind(cell, network = wiring, error = smooth_error(model, cell$relation), seconds = seconds)
  })
  found <- do.call(rbind, found)
  there <- file.exists(arguments[2])
  utils::write.table(found, arguments[2], sep = ",", row.names = FALSE, col.names = !there, append = there)
  ratio <- found$error[1] / min(found$error[-1])
  said <- "%-12s %6d rows, noise %.2f: auto %.4f, %.2f times the best named; %.1f s beside %.1f s\n"
  cat(sprintf(
    said, cell$relation, as.integer(cell$rows), cell$noise, found$error[1], ratio, found$seconds[1], sum(found$seconds[-1])
  ))
}
