# Reading and preparing a CSV of 1,000,000 rows and 30 columns (20 numbers, 8 categories, 2 dates, 2 % missing values),
# against the fastest CSV reader alone, each in a process of its own, interleaved; and preparing 10,000,000 rows of 30
# numbers. Usage, from the project's root: Rscript bench/reading.R [rows] [repeats]
args <- commandArgs(TRUE)

# ---- one measurement, in a process of its own ---------------------------------------------------------------------

peak_mib <- function() {
  line <- grep("VmHWM", readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
report <- function(seconds, ...) cat("result", seconds, peak_mib(), ..., "\n")

measured <- list(
  reader = function(file) report(
    system.time(data.table::fread(file, data.table = FALSE, showProgress = FALSE))[["elapsed"]], 0
  ),
  whole = function(file) {
    library(hylomath)
    stages <- system.time({
      table <- hylomath:::read_table(file)
    })[["elapsed"]]
    seconds <- stages + system.time({
      b <- brief(table, target = "y")
      a <- hylomath:::settle(b)
      preparation <- hylomath:::learn_preparation(a)
      sources <- hylomath:::encoder_sources(preparation, a$table)
      rows <- hylomath:::core_fill(preparation$columns, sources, hylomath:::thread_count())
    })[["elapsed"]]
    report(seconds, length(preparation$features), stages)
  },
  chunks = function(file) {
    library(hylomath)
    n <- 1e7
    set.seed(1)
    small <- as.data.frame(matrix(rnorm(2000 * 30), 2000))
    small$y <- small$V1 + rnorm(2000)
    model <- train(quick(regimen(brief(small, target = "y"), epochs = 2)), progress = "none")
    x <- rnorm(n)
    table <- as.data.frame(stats::setNames(rep(list(x), 30), paste0("V", 1:30)))
    for (i in 2:30) table[[i]] <- table[[i]] + 0  # a column of its own each
    report(system.time(predict(model, table))[["elapsed"]], 30)
  }
)
if (length(args) && args[1] == "--measure") {
  measured[[args[2]]](args[3])
  quit()
}

# ---- the comparison -----------------------------------------------------------------------------------------------

rows <- if (length(args) > 0) as.integer(args[1]) else 1000000L
repeats <- if (length(args) > 1) as.integer(args[2]) else 5L
script <- sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE))
run <- function(what, file) {
  out <- system2("Rscript", shQuote(c(script, "--measure", what, file)), stdout = TRUE)
  as.numeric(strsplit(sub("result ", "", grep("^result", out, value = TRUE)), " +")[[1]])
}

file <- tempfile(fileext = ".csv")
set.seed(1)
holes <- function(x) replace(x, sample(rows, rows %/% 50), NA)
table <- c(
  stats::setNames(lapply(1:20, function(i) holes(round(rnorm(rows, 10 * i, i), 3))), sprintf("n%02d", 1:20)),
  stats::setNames(
    lapply(1:8, function(i) holes(sample(sprintf("level %d", seq_len(3 * i)), rows, TRUE))), paste0("c", 1:8)
  ),
  stats::setNames(lapply(1:2, function(i) holes(as.Date("2023-01-01") + sample(900, rows, TRUE))), paste0("d", 1:2))
)
table <- as.data.frame(table)
table$y <- sample(c("no", "yes"), rows, TRUE)
data.table::fwrite(table, file, na = "")
matrix_mib <- function(features) rows * ceiling(features / 16) * 16 * 4 / 2^20
table_mib <- as.numeric(object.size(table)) / 2^20
rm(table)
invisible(gc())

results <- lapply(seq_len(repeats), function(i) list(reader = run("reader", file), whole = run("whole", file)))
reader <- vapply(results, function(r) r$reader[1], 0)
whole <- vapply(results, function(r) r$whole[1], 0)
first <- results[[1]]$whole
cat(sprintf(
  paste0(
    "%s x 31, %.0f MB of CSV: reader alone %.2f s; reading %.2f s and preparing %.2f s, together %.2f s; ",
    "ratio %.2f (%.2f to %.2f of %d interleaved pairs)\n"
  ),
  format(rows, big.mark = ","), file.size(file) / 1e6, median(reader),
  median(vapply(results, function(r) r$whole[4], 0)),
  median(whole - vapply(results, function(r) r$whole[4], 0)), median(whole), median(whole / reader),
  min(whole / reader), max(whole / reader), repeats
))
cat(sprintf(
  paste0(
    "peak memory %.0f MiB; the encoded matrix is %.0f MiB (%d inputs), the table %.0f MiB, three ",
    "matrices and the table %.0f MiB; the reader alone peaks at %.0f MiB\n"
  ),
  first[2], matrix_mib(first[3]), as.integer(first[3]), table_mib, 3 * matrix_mib(first[3]) + table_mib,
  results[[1]]$reader[2]
))
chunks <- run("chunks", "")
cat(
  sprintf(
    "10,000,000 x 30 numbers predicted in %.1f s, peak memory of the process %.2f GiB (the table itself %.2f GiB)\n",
    chunks[1], chunks[2] / 1024, 1e7 * 30 * 8 / 2^30
  )
)
