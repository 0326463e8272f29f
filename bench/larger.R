# Tables larger than memory: what a row costs from 100,000 rows to as many as are asked for, from a stored table and
# from memory, and what training needs of memory that is no file's.
#   Rscript bench/larger.R [most rows, 20,000,000 if nothing is said]
suppressMessages(library(hylomath))
most <- as.numeric(c(commandArgs(TRUE), 2e7)[1])
folder <- tempfile("larger-", tmpdir = Sys.getenv("HYLOMATH_BENCH", tempdir()))
dir.create(folder)
options(hylomath.cache = folder)
csv <- file.path(folder, "t.csv")
table_of <- function(n) {
  unlink(csv)
  set.seed(1)
  for (from in seq(0, n - 1, by = 5e5)) {
    m <- min(5e5, n - from)
    x <- matrix(round(rnorm(m * 26), 3), m)
    part <- as.data.frame(x)
    part$glaze <- sample(c("ash", "clear", "celadon", "tenmoku"), m, TRUE)
    part$kiln <- sample(paste0("k", 1:30), m, TRUE)
    part$day <- as.Date("2020-01-01") + sample(0:1500, m, TRUE)
    part$y <- ifelse(x[, 1] + x[, 2] * x[, 3] + (part$glaze == "ash") + rlogis(m) > 0, "yes", "no")
    data.table::fwrite(part, csv, append = from > 0)
  }
}
anonymous <- function() {
  line <- grep("^RssAnon", readLines(sprintf("/proc/%d/status", Sys.getpid())), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
trained <- function(table, epochs = 3) {
  b <- brief(table, target = "y") |> quick() |> wire("64 relu > 32 relu") |> hold_out(seed = 1) |>
    regimen(batch_size = 256, epochs = epochs, seed = 1)
  peak <- 0
  rows <- 0
  model <- train(b, progress = function(event) {
    if (event$event == "start") rows <<- sum(event$rows["training"])
    if (event$event == "epoch") peak <<- max(peak, anonymous())
  })
  seconds <- diff(loss_curves(model)$seconds)
  list(rate = rows / min(seconds), peak = peak, model = model)
}
for (n in c(1e5, 1e6, 2e6, 5e6, 2e7)) {
  if (n > most) next
  table_of(n)
  place <- file.path(folder, "t.table")
  took <- system.time(store_table(csv, place, progress = "none"))[[3]]
  stored <- trained(place)
  in_memory <- if (n <= 2e6) trained(csv)
  same <- if (!is.null(in_memory)) identical(coef(in_memory$model), coef(stored$model)) else NA
  cat(sprintf(
    "%8.0f rows: stored in %.0f s, %.0f rows a second from disk%s, at most %.0f MiB of memory in an epoch\n", n, took,
    stored$rate, if (is.null(in_memory)) "" else sprintf(
      ", %.0f from memory (ratio %.2f), same network %s", in_memory$rate, stored$rate / in_memory$rate, same
    ), stored$peak
  ))
}
unlink(folder, recursive = TRUE)
