# Every transcript by the real thing on 10,000 rows: the demo's defaults and 30 random briefs over all preparations,
# losses, outputs and tasks, with missing values, unseen levels and extremes. Counts, by target, what is expressed, and
# in how many columns a prediction differs: a class at a margin above 1e-5, a number by more than 1e-5 of it and the
# target's deviation.
# `Rscript bench/transcripts.R [rows] [briefs]`, from the project's root; needs gcc, node, sqlite3 and PostgreSQL.
args <- as.numeric(c(commandArgs(TRUE), 1e4, 30)[1:2])
library(hylomath)
library(testthat)
library(withr)
attach(asNamespace("hylomath"), name = "inside")
for (helper in c("tables", "command", "postgres", "transcript")) {
  source(sprintf("tests/testthat/helper-%s.R", helper))
}

rows_like <- function(table, n, seed) {
  with_seed(seed, {
    rows <- table[sample(nrow(table), n, TRUE), , drop = FALSE]
    for (column in names(rows)) {
      x <- rows[[column]]
      rows[[column]][sample(n, n %/% 50)] <- NA
      at <- sample(n, n %/% 50)
      if (is.character(x)) rows[[column]][at] <- "unheard of"
      if (is.factor(x)) rows[[column]] <- as.character(rows[[column]])
      if (is.double(x) && !is_moment(x)) rows[[column]][at] <- x[at] * 10
    }
    rownames(rows) <- NULL
    rows
  })
}

one_of <- function(...) sample(list(...), 1)[[1]]
random_brief <- function(i) {
  with_seed(1000 + i, {
    target <- one_of("class", "yes", "number", "positive", "calls")
    keep <- c(sample(c("size", "count", "hot", "glaze", "place", "day", "moment"), sample(4:7, 1)))
    b <- brief(everything[c(keep, target)], target = target)
    b <- prepare(
      b, numbers = one_of("zscore", "robust", "minmax", "rank_normal", "piecewise", "periodic"),
      missing = one_of("median", "flag"),
      categories = one_of("auto", "indicator", "ordinal", "frequency", "embedding", "hash"),
      clip = one_of(0, "far", 0.02), rare = one_of(0, 0.05)
    )
    if (runif(1) < 0.3 && "size" %in% keep) b <- add_columns(b, more = ifelse(size > 1, sqrt(abs(size)), -size))
    if (runif(1) < 0.3 && "day" %in% keep) b <- add_columns(b, late = month(day) %in% c(10, 11, 12))
    loss <- switch(target,
      class = one_of("auto", "ordinal"), number = one_of("squared", "huber", "absolute", list(
        kind = "quantile", at = c(0.1, 0.5, 0.9)
      )),
      positive = one_of("squared", "gamma"), "auto"
    )
    if (identical(loss, "squared") && target == "positive" && runif(1) < 0.5) b <- prepare(b, target = "log")
    b <- wire(b, one_of("6 relu > 4 tanh", "5 gelu norm > 3 elu", "8 silu", "4 softplus + skip", "linear", "5 selu"))
    starts <- one_of(1, 1, 3)
    b <- regimen(b, loss = loss, epochs = 6, restarts = starts, seed = i)
    if (starts > 1) b <- regimen(b, keep = one_of("best", "ensemble"))
    if (target %in% c("class", "yes") && runif(1) < 0.3) b <- regimen(b, class_weights = "even")
    hold_out(b, seed = i, folds = one_of(0, 0, 4))
  })
}

local_postgres()
server <- DBI::dbConnect(postgres_driver(), dbname = "postgres")
targets <- list(
  r = function(m, rows) in_r(transcribe(m, "r"), rows), c = function(m, rows) in_c(transcribe(m, "c"), rows, m),
  javascript = function(m, rows) in_node(transcribe(m, "javascript"), rows, m), sqlite = in_sqlite,
  postgres = function(m, rows) in_postgres(server, m, rows)
)
compare <- function(model, rows) {
  vapply(targets, function(run) {
    tryCatch(length(differing(model, rows, run(model, rows))), hylomath_error = function(e) NA_integer_)
  }, 0L)
}
demo <- list(
  kilns = brief(kilns, "outcome"), recovery = brief(recovery, "returned"), crossings = brief(crossings, "passengers")
)
found <- list()
for (name in names(demo)) {
  model <- with_seed(1, train(demo[[name]], progress = "none"))
  rows <- rows_like(demo[[name]]$table[needed_columns(model$predictor)], args[1], 7)
  found[[name]] <- compare(model, rows)
  cat(name, format(found[[name]]), "\n")
}
for (i in seq_len(args[2])) {
  b <- tryCatch(random_brief(i), hylomath_error = function(e) {
    cat(i, "no brief:", conditionMessage(e), "\n")
    NULL
  })
  if (is.null(b)) next
  model <- suppressWarnings(train(b, progress = "none"))
  rows <- rows_like(b$table[needed_columns(model$predictor)], args[1], i)
  found[[paste("brief", i)]] <- compare(model, rows)
  cat(i, b$target, b$wiring, format(found[[paste("brief", i)]]), "\n")
}
print(do.call(rbind, found))
table <- do.call(rbind, found)
cat("expressed:", format(colSums(!is.na(table))), "of", nrow(table), "\n")
cat("with differing columns:", format(colSums(table > 0, na.rm = TRUE)), "\n")
