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
write_model(train(brief(crossings, target = "passengers"), progress = "none"), path("crossings.hylo"))
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

for (name in c("kilns", "crossings")) {
  table <- path(paste0(name, ".csv"))
  # the same cells and as many more columns, in memory
  alone <- in_own_process(sprintf(
    "x <- data.table::fread('%s'); x[, `:=`(answer = %s)]; %s data.table::fwrite(x, '%s')", table,
    if (name == "kilns") "outcome" else "fare * 1.2345678901234567",
    if (name == "kilns") "for (i in 1:4) x[, paste0('p', i) := stats::runif(.N)];" else "", path("alone.csv")
  ))
  scored <- in_own_process(sprintf(
    "hylomath::score_table(hylomath::read_model('%s'), '%s', '%s', progress = 'none')",
    path(paste0(name, ".hylo")), table, path("scored.csv")
  ))
  cat(sprintf(
    "%s, %s rows, %.0f MB: reading and writing alone %.1f s (%.0f MiB), scored %.1f s (%.0f MiB), ratio %.2f\n", name,
    format(rows, big.mark = ","), file.size(table) / 1e6, alone[["seconds"]], alone[["MiB"]], scored[["seconds"]],
    scored[["MiB"]], scored[["seconds"]] / alone[["seconds"]]
  ))
}
unlink(folder, recursive = TRUE)
