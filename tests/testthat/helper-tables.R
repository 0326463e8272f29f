# Small made-up tables, and the shortest way to a model on them.

small_kilns <- function(n = 600) kilns[seq(1, nrow(kilns), length.out = n), ]

small_crossings <- function(n = 600) crossings[seq(1, nrow(crossings), length.out = n), ]

# Thirty-two boats of the harbour: few rows, numbers only.
boats <- withr::with_seed(8, {
  size <- rnorm(32)
  number <- function(mean, slope, noise) round(mean + slope * size + rnorm(32, 0, noise), 2)
  data.frame(
    litres_mile = number(20.3, 5, 2.5), engine_kw = number(146.4, 45, 30), length_m = number(14.2, 3, 1.2),
    beam_m = number(4.1, 0.6, 0.3), draught_m = number(1.9, 0.3, 0.2), mass_t = number(32.7, 9, 5),
    hold_m3 = number(21.4, 7, 4), tank_l = number(640.5, 120, 80), age_y = number(17.3, 1, 6),
    crew = rep(c(2, 3, 4, 5), 8), decked = as.integer(size + rnorm(32) > 0)
  )
})

# Three clays that overlap, fifty samples of each.
clays <- withr::with_seed(9, data.frame(
  shrinkage = round(rnorm(150, rep(c(5.1, 6.2, 7), each = 50), 0.9), 2),
  porosity = round(rnorm(150, rep(c(12, 15, 19), each = 50), 2.5), 2),
  clay = factor(rep(c("Skarn", "Holm", "Ness"), each = 50), c("Skarn", "Holm", "Ness"))
))

quick_model <- function(table = small_kilns(), target = "outcome", epochs = 5, ...) {
  withr::with_seed(1, brief(table, target = target) |> regimen(epochs = epochs, ...) |> single(progress = "none"))
}

# One network, for what is not about ensembles.
single <- function(b, ...) train(if (inherits(b, "hylomath_brief")) quick(b) else b, ...)

# The call fails with an error of ours, whose message has all these parts.
expect_fails <- function(object, ...) {
  failure <- expect_error(object, class = "hylomath_error")
  for (part in c(...)) expect_match(conditionMessage(failure), part, fixed = TRUE)
}

# The list with other values in it.
within_list <- function(x, ...) utils::modifyList(x, list(...))

# Each row's part.
part_along <- function(b) settle(b)$part

# What is learned of the columns from some of the rows, the training rows if nothing is said.
prepared <- function(b, rows = NULL) {
  a <- settle(b)
  if (!is.null(rows)) a <- with_parts(a, ifelse(rows, "training", NA), 1)
  learn_preparation(a)
}

# What training made of a network: its weights and their places, bit for bit.
trained_network <- function(model) model$predictor$network

# The same of each network of an ensemble, end to end.
trained_parameters <- function(model) {
  unlist(lapply(predicting_members(model$predictor), function(member) member$network$parameters))
}

# A table as the network sees it: one row an input, one column a row.
encode_inputs <- function(preparation, table) core_encode(preparation$columns, encoder_sources(preparation, table), 2L)

# Batch normalisation, an embedding, an ensemble: a model with a bit of everything.
rich_model <- function() {
  withr::with_seed(2, brief(small_kilns(), target = "outcome") |> prepare(
    only = glaze, categories = "embedding", missing = "own"
  ) |>
    wire("8 gelu norm > dropout 0.1 > 5 tanh init=orthogonal") |>
      regimen(epochs = 4, restarts = 3, keep = "ensemble", measures = "accuracy") |>
    single(progress = "none"))
}

# The document of a model file as text, and a file with another one.
document_of <- function(file) {
  connection <- gzfile(file)
  on.exit(close(connection))
  paste(readLines(connection, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
}

with_document <- function(text, file) {
  connection <- gzfile(file, "wb")
  writeBin(charToRaw(enc2utf8(text)), connection)
  close(connection)
  file
}

# A result's file with this text as its content, or with another one behind its checksum.
with_content <- function(checked, file, content = checked) {
  head <- '{"format":"hylomath result","format_version":5,"checksum":"%s","content":%s}'
  write_compressed(sprintf(head, text_checksum(checked), content), file)
}

# The same file with its content changed, and a checksum that goes with it.
resigned <- function(file, change, into = file) {
  text <- document_of(file)
  content <- change(sub('^.*?"content":', "", substr(text, 1, nchar(text) - 1), perl = TRUE))
  head <- sprintf(
    '{"format":"hylomath model","format_version":8,"checksum":"%s","content":', cli::hash_raw_sha256(charToRaw(content))
  )
  with_document(paste0(head, content, "}"), into)
}

# Trained to the end and by one kind of arithmetic, so that every machine prints the same digits.
settled_model <- function(b) {
  withr::local_envvar(HYLOMATH_KERNEL = "generic")
  single(wire(b, "linear") |> regimen(epochs = 30, method = "adam", seed = 1) |> hold_out(seed = 1), progress = "none")
}
