# Scoring a large file, CSV to CSV, against reading and writing it alone, each in a process of its own: seconds, and the
# most memory that the process ever had. `Rscript bench/scoring.R [rows]`, 5,000,000 if nothing is said; needs about
# 1.5 GB of disk. On Linux, which tells a process's memory.
rows <- as.numeric(c(commandArgs(TRUE), 5e6)[1])
folder <- tempfile("scoring-")
dir.create(folder)
path <- function(name) file.path(folder, name)

library(hylomath)
set.seed(1)
write_model(train(brief(kilns, target = "outcome"), progress = "none"), path("kilns.hylo"))
passengers <- brief(crossings, target = "passengers")
write_model(train(passengers, progress = "none"), path("crossings.hylo"))
write_model(train(quick(passengers), progress = "none"), path("quick.hylo"))
for (name in c("kilns", "crossings")) {
  table <- get(name)
  for (some in split(seq_len(rows), (seq_len(rows) - 1) %/% 1e6)) {
    drawn <- table[sample(nrow(table), length(some), TRUE), ]
    data.table::fwrite(drawn, path(paste0(name, ".csv")), append = some[1] > 1)
  }
}

in_own_process <- function(code) {
  file <- path("run.R")
  writeLines(c(
    "began <- proc.time()[[3]]", code,
    "took <- proc.time()[[3]] - began", "status <- readLines('/proc/self/status')",
    "most <- as.numeric(gsub('[^0-9]', '', grep('VmHWM', status, value = TRUE))) / 1024", "cat(took, most, '\n')"
  ), file)
  out <- system2(file.path(R.home("bin"), "Rscript"), file, stdout = TRUE)
  stats::setNames(as.numeric(strsplit(trimws(utils::tail(out, 1)), " ")[[1]]), c("seconds", "MiB"))
}

for (model in c("kilns", "crossings", "quick")) {
  name <- if (model == "kilns") "kilns" else "crossings"
  table <- path(paste0(name, ".csv"))
  model_file <- path(paste0(model, ".hylo"))
  networks <- nrow(unique(coef_table(read_model(model_file))[c("network", "start")]))
  # the same cells and as many more columns, in memory
  alone <- in_own_process(sprintf(
    "x <- data.table::fread('%s'); x[, `:=`(prediction = %s)]; %s data.table::fwrite(x, '%s')", table,
    if (name == "kilns") "outcome" else "fare * 1.2345678901234567",
    if (name == "kilns") "for (i in 1:4) x[, paste0('p', i) := stats::runif(.N)];" else "", path("alone.csv")
  ))
  scored <- in_own_process(sprintf(
    "hylomath::score_table(hylomath::read_model('%s'), '%s', '%s', progress = 'none')",
    model_file, table, path("scored.csv")
  ))
  size <- file.size(table) / 1e6
  cat(sprintf("%s, networks: %d, %s rows, %.0f MB: ", name, networks, format(rows, big.mark = ","), size))
  cat(sprintf(
    "reading and writing alone %.1f s (%.0f MiB), scored %.1f s (%.0f MiB), ratio %.2f\n", alone[["seconds"]],
    alone[["MiB"]], scored[["seconds"]], scored[["MiB"]], scored[["seconds"]] / alone[["seconds"]]
  ))
}
unlink(folder, recursive = TRUE)
