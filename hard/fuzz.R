# Mutated files: models, briefs, tables, results, checkpoints, searches, stored tables and what a service is asked, each
# changed at random and read. A file is read for what it holds or refused in words of this package; never by a crash,
# an error of R's own, more than 1 GiB or more than 20 seconds.
# Of models whose columns and levels have code for names, all that is written is read by those who would run it.
#   Rscript hard/fuzz.R                 all of them: the number beside each kind
#   Rscript hard/fuzz.R 0.01 7          a hundredth of them, from seed 7
#   Rscript hard/fuzz.R 0.01 7 results  of results alone
# What was found is printed with its seed, so that it can be made again; exit status 1 says that something was.
suppressMessages(library(hylomath))
inside <- asNamespace("hylomath")
asked <- commandArgs(TRUE)
share <- as.numeric(c(asked, 1)[1])
first_seed <- as.numeric(c(asked[-1], 1)[1])
options(hylomath.threads = 1)

# ---- what is mutated ----------------------------------------------------------------------------------------------

set.seed(1)
table <- kilns[seq(1, 4000, length.out = 300), c("fired_on", "kiln", "moisture_pct", "peak_c", "gas_mbar", "outcome")]
table$outcome <- ifelse(table$outcome == "sound", "sound", "not")
model_of <- function(wiring, ...) {
  brief(table, target = "outcome") |> quick() |> wire(wiring) |> regimen(epochs = 2, seed = 1, ...) |>
    train(progress = "none")
}
models <- list(
  model_of("3 relu"), model_of("2 tanh norm > 2 relu + skip"), model_of("2 elu", keep = "ensemble", restarts = 2)
)
contents <- lapply(models, function(model) {
  file <- tempfile()
  write_model(model, file, rows = FALSE)
  inside$read_compressed(file)
})
briefs <- c(
  vapply(list(
    brief(kilns, target = "outcome"),
    brief(crossings, target = "passengers") |> set_columns(order = sails_on) |> hold_out(by = "ordered") |>
      add_columns(late = hour(sails_on) > 20) |> prepare(only = c(fare), numbers = "robust") |>
      regimen(method = "lbfgs"),
    brief(recovery, target = "returned") |> set_columns(group = patient) |> keep_rows(age > 18 & age < 90) |>
      wire("24 relu l2=1e-3 > dropout 0.2 > 12 tanh") |> regimen(class_weights = "even", loss = "cross_entropy")
  ), inside$brief_yaml, "")
)
csv <- c(
  paste(utils::capture.output(data.table::fwrite(utils::head(kilns, 40))), collapse = "\n"),
  "a;b;c\n1,5;\"x \"\"y\"\"; z\";2024-01-01T10:00\n2,25;;2024-02-30T25:00\n-3;\u00e6;2023-12-31T23:59:59Z\n",
  "id\tcode\tv\n1\t007\tTRUE\n2\t010\tFALSE\n3\t\t\n"
)
short <- quick(brief(table, target = "outcome")) |> regimen(epochs = 1)
folded <- folds(short, k = 2, progress = "none")
results <- lapply(list(
  folded, vary(short, units = c(2, 3), k = 2, progress = "none"), lineup(few = folded, again = folded),
  sift(short, direction = "ranking", k = 2, progress = "none"), appraise(models[[1]])
), function(result) {
  file <- tempfile()
  write_result(result, file)
  inside$read_compressed(file)
})

seeded <- short |> regimen(seed = 1) |> hold_out(seed = 1)
checkpoint_file <- tempfile()
invisible(train(seeded, checkpoint = checkpoint_file, every = 0, progress = "none"))
search_file <- tempfile()
invisible(scout(short, units = c(2, 3, 4), k = 2, budget = 3, file = search_file, progress = "none"))
whole_text <- function(file) rawToChar(readBin(file, "raw", file.size(file)))
checkpoint <- whole_text(checkpoint_file)
search <- whole_text(search_file)
store_folder <- tempfile(fileext = ".table")
invisible(store_table(table, store_folder, progress = "none"))
request_body <- as.character(jsonlite::toJSON(table[1:3, setdiff(names(table), "outcome")], dataframe = "rows"))
service <- list(
  model = models[[1]], identity = inside$identity_of(models[[1]]),
  limits = list(bytes = 1e6, rows = 1000, seconds = 20, waiting = 2), counts = inside$new_counts(),
  pages = inside$served_pages(models[[1]])
)

# ---- how ----------------------------------------------------------------------------------------------------------

words <- c(
  "0", "-1", "1e308", "-1e308", "1e-320", "4294967296", "2147483647", "-2147483648", "0.1", "null", "true", "[]", "{}",
  "\"\"", "\"x\"", "NaN", "NA", "Inf", "''", "~", "!!int 3", "&a", "*a", ":", ",", ";", "\"", "\n", "\t", "\r\n", "\\",
  "{\"$doubles\":\"AAAA\"}", "{\"$integers\":\"\"}", "{\"$texts\":[null]}", "{\"$factor\":{\"levels\":[],\"codes\":1}}",
  "{\"$object\":{\"class\":{\"$texts\":[\"x\"]},\"value\":1}}", "\u202e", "\u00e6", "\033[2J", "1,2,3", "2024-99-99",
  "c(1, 2)", "system('x')", "(((((((((", "-", "> ", "relu", "999999999 relu", "dropout 1", "1e999", "0x10", "1_000"
)

# Bytes of `text` after so many changes; only what stands behind `from` is changed.
mutated <- function(text, from = 1) {
  bytes <- charToRaw(text)
  kept <- bytes[seq_len(from - 1)]
  bytes <- bytes[seq(from, length(bytes))]
  for (change in seq_len(sample(1:4, 1))) {
    n <- length(bytes)
    if (n < 2) break
    at <- sample.int(n, 1)
    span <- min(n - at, sample(c(0, 1, 2, 5, 20, 200), 1))
    here <- seq(at, at + span)
    bytes <- switch(sample.int(6, 1),
      replace(bytes, at, as.raw(sample(1:255, 1))), bytes[-here],
      append(bytes, bytes[here], sample.int(n, 1)), append(bytes, charToRaw(sample(words, 1)), at),
      token_replaced(bytes), replace(bytes, here, rev(bytes[here]))
    )
  }
  c(kept, bytes)
}

# A number, or what stands between quotes, becomes another word.
token_replaced <- function(bytes) {
  text <- rawToChar(bytes[bytes != as.raw(0)])
  found <- gregexpr("-?[0-9]+([.][0-9]+)?(e-?[0-9]+)?|\"[^\"]{0,40}\"", text, useBytes = TRUE)[[1]]
  if (found[1] == -1) return(bytes)
  i <- sample.int(length(found), 1)
  before <- bytes[seq_len(found[i] - 1)]
  behind <- seq(found[i] + attr(found, "match.length")[i], length.out = max(0, length(bytes) - found[i] -
    attr(found, "match.length")[i] + 1))
  c(before, charToRaw(sample(words, 1)), bytes[behind])
}

compressed <- function(bytes, file) {
  connection <- gzfile(file, "wb")
  on.exit(close(connection))
  writeBin(bytes, connection)
}

# One of `texts` with the checksum that belongs to it, so that what stands behind the check is reached; a tenth of the
# files are damaged as they lie.
mutated_of <- function(texts, content) function(file) {
  text <- sample(texts, 1)[[1]]
  if (stats::runif(1) < 0.1) {
    compressed(charToRaw(text), file)
    bytes <- readBin(file, "raw", file.size(file))
    return(writeBin(replace(bytes, sample.int(length(bytes), 2), as.raw(sample(0:255, 2))), file))
  }
  head_length <- head_of(text, content)
  bytes <- mutated(text, head_length + 1)
  compressed(checked(bytes, head_length), file)
}

# How many bytes stand before what the checksum is of.
head_of <- function(text, content = "\"content\":") regexpr(content, text, fixed = TRUE) + nchar(content) - 1

# The bytes of a file with the checksum of what stands behind its head.
checked <- function(bytes, head_length) {
  held <- bytes[seq(head_length + 1, max(head_length + 1, length(bytes) - 1))]
  place <- regexpr("\"checksum\":\"", rawToChar(bytes[seq_len(head_length)]), fixed = TRUE) + 12
  replace(bytes, seq(place, length.out = 64), charToRaw(cli::hash_raw_sha256(held)))
}

# Files of lines: one line is changed and has the checksum that belongs to it; a tenth are damaged as they lie.
mutated_line_of <- function(text) function(file) {
  if (stats::runif(1) < 0.1) return(writeBin(mutated(text), file))
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  i <- sample.int(length(lines), 1)
  body <- mutated(sub(",\"checksum\":\"[0-9a-f]{64}\"}$", "", lines[i]))
  checksum <- cli::hash_raw_sha256(body)
  lines[i] <- paste0(rawToChar(body[body != as.raw(0)]), ",\"checksum\":\"", checksum, "\"}")
  writeBin(charToRaw(paste0(lines, "\n", collapse = "")), file)
}

source("hard/crafted.R")

# ---- names that are code --------------------------------------------------------------------------------------------

canary <- tempfile("canary")
touched <- sprintf("system('touch %s')", canary)
code_names <- c(
  paste0("*/ ", touched, "; /*"), paste0("\"); ", touched, "; (\""), paste0("'); ", touched, "; ('"),
  paste0("`); ", touched, "; (`"), paste0("\n", touched, "\n"), paste0("\\\"); ", touched, "; //"), "\\", "a\\nb",
  "\"; drop table rows; --", "'; drop table rows; --", "--", "/*", "//", "#include \"/etc/passwd\"", "??/", "%s%n%d",
  "${process.exit(7)}", "`${process.exit(7)}`", "</script><script>throw 7</script>", "<!--", "]]>",
  "<img src=x onerror=x>",
  "&quot;", "\u2028x", "__proto__", "constructor", "hasOwnProperty", "{{columns}}", "a\tb", "a\nb",
  "prediction", "row", "if", "NULL", "T", "a b", "1", " ", "\r", "\t"
)
named <- kilns[seq(1, 4000, length.out = 300), c("kiln", "glaze", "peak_c", "fired_on", "outcome")]
named$outcome <- ifelse(named$outcome == "sound", "sound", "cracked")
known_names <- c(setdiff(names(named), "peak_c"), unique(unlist(named[c("kiln", "glaze", "outcome")])))
trained_on <- function(rows) {
  brief(rows, target = names(rows)[ncol(rows)]) |> add_columns(hot = peak_c > 1200) |> quick() |>
    wire("3 tanh + skip") |> regimen(epochs = 2, seed = 1) |> train(progress = "none")
}

# A model of a table in which some names are code wherever they stand; half of them are changed at random besides.
renamed <- function(file) {
  renamed_rows <<- named
  for (name in sample(known_names, sample(1:3, 1))) {
    code <- sample(setdiff(code_names, names(renamed_rows)), 1)
    renamed_rows[] <<- lapply(renamed_rows, function(x) if (is.character(x)) ifelse(x == name, code, x) else x)
    names(renamed_rows)[names(renamed_rows) == name] <<- code
  }
  write_model(suppressMessages(trained_on(renamed_rows)), file)
  as_written <<- stats::runif(1) < 0.5
  if (as_written) return()
  text <- inside$read_compressed(file)
  compressed(checked(mutated(text, head_of(text) + 1), head_of(text)), file)
}

runs <- function(program, ...) {
  if (suppressWarnings(system2(program, c(...), stdout = FALSE, stderr = FALSE)) != 0) stop("not taken by ", program)
}
# As a browser counts them: what stands in one is none.
scripts_in <- function(page) length(gregexpr("(?s)<script[^>]*>.*?</script>", page, perl = TRUE)[[1]])

# All that is written of a model, each read by the one that it is for.
written_of <- function(file) {
  model <- read_model(file)
  folder <- tempfile()
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  in_folder <- function(name, text) {
    path <- file.path(folder, name)
    writeLines(text, path, useBytes = TRUE)
    path
  }
  said <- function(to, ...) tryCatch(transcribe(model, to, ...), hylomath_error = function(e) NULL)
  # one that was changed at random may have weights beyond all numbers; its code has to be code all the same
  held <- function(off) if (as_written && !isTRUE(off < 1)) stop("predictions that are not the model's")
  if (!is.null(code <- said("r"))) {
    here <- new.env(parent = baseenv())
    eval(parse(text = code, keep.source = FALSE), here)
    held(here$check())
  }
  if (!is.null(code <- said("javascript"))) runs("node", if (!as_written) "--check", in_folder("model.js", code))
  if (!is.null(code <- said("c"))) {
    program <- file.path(folder, "model")
    flags <- if (as_written) c("-Wall", "-Wextra", "-Werror", "-DTRANSCRIPT_MAIN", "-lm") else "-fsyntax-only"
    runs("gcc", "-std=c99", in_folder("model.c", code), "-o", program, flags)
    if (as_written) runs(program, "--check")
  }
  if (!is.null(code <- said("sql", dialect = "sqlite", check = TRUE))) held(DBI::dbGetQuery(database, code)$off)
  if (!is.null(page <- said("page"))) {
    if (scripts_in(page) != form_scripts) stop("another script in the page")
    jsonlite::fromJSON(sub("</script>.*", "", sub(".*<script id=\"columns\"[^>]*>", "", page)))
  }
  report <- file.path(folder, "report.html")
  write_report(model, report)
  if (scripts_in(paste(readLines(report), collapse = "\n")) != report_scripts) stop("another script in the report")
  rows <- utils::head(renamed_rows, 40)
  utils::capture.output({
    print(model)
    print(watch_model(model, rows))
    print(importance(model, rows, repeats = 2))
    print(contributions(model, rows, 1, passes = 2))
  })
  if (file.exists(canary)) stop("a name was run")
}
database <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
named_model <- trained_on(named)
form_scripts <- scripts_in(transcribe(named_model, "page"))
report_scripts <- {
  file <- tempfile(fileext = ".html")
  write_report(named_model, file)
  scripts_in(paste(readLines(file), collapse = "\n"))
}

rows <- table[1:3, setdiff(names(table), "outcome")]
# What becomes of a file that is read, as a user would go on with it.
read_as <- list(
  model = function(file) {
    model <- read_model(file)
    predict(model, rows)
    utils::capture.output(print(model))
    if (stats::runif(1) < 0.3) utils::capture.output(print(watch_model(model, table)))
  },
  brief = function(file) {
    b <- read_brief(file, read = FALSE)
    utils::capture.output(print(b))
    inside$brief_yaml(b)
  },
  table = function(file) {
    t <- inside$read_table(file)
    utils::capture.output(print(look(t)))
    brief(t, target = names(t)[ncol(t)])
  },
  result = function(file) {
    result <- read_result(file)
    utils::capture.output(print(result))
    glance(result)
    as.data.frame(result)
  },
  checkpoint = function(file) utils::capture.output(print(train(seeded, checkpoint = file, progress = "none"))),
  search = function(file) utils::capture.output(print(read_result(file))),
  store = function(file) {
    t <- inside$read_table(file)
    utils::capture.output(print(look(t)))
    predict(models[[1]], t)
  },
  request = function(file) {
    response <- inside$respond(list(
      REQUEST_METHOD = "POST", PATH_INFO = "/predict", QUERY_STRING = "", HTTP_CONTENT_TYPE = "application/json",
      HTTP_ACCEPT = "", rook.input = list(read = function() readBin(file, "raw", 1e6))
    ), service)
    if (response$status == 500) stop(response$body)
    if (response$status >= 400) inside$fail("refused")
  }
)

# One file of a stored table is changed. Numbers stand in files of a length that the table tells.
mutated_store <- function(file) {
  dir.create(file)
  file.copy(list.files(store_folder, full.names = TRUE), file)
  one <- file.path(file, sample(list.files(file), 1))
  bytes <- readBin(one, "raw", file.size(one))
  at <- sample.int(length(bytes), min(length(bytes), 3))
  others <- as.raw(sample(0:255, length(at)))
  writeBin(if (grepl("json$", one)) mutated(rawToChar(bytes)) else replace(bytes, at, others), one)
}

kind_of <- function(n, make, read) list(n = n, make = make, read = read)
kinds <- list(
  models = kind_of(200000, mutated_of(contents, "\"content\":"), read_as$model),
  briefs = kind_of(400000, function(file) writeBin(mutated(sample(briefs, 1)), file), read_as$brief),
  tables = kind_of(30000, function(file) writeBin(mutated(sample(csv, 1)), file), read_as$table),
  results = kind_of(60000, mutated_of(results, "\"result\":"), read_as$result),
  checkpoints = kind_of(10000, mutated_line_of(checkpoint), read_as$checkpoint),
  outputs = kind_of(1000, renamed, written_of),
  searches = kind_of(20000, mutated_line_of(search), read_as$search),
  stores = kind_of(20000, mutated_store, read_as$store),
  requests = kind_of(260000, function(file) writeBin(mutated(request_body), file), read_as$request),
  crafted_models = kind_of(4000, crafted_of(contents, "\"content\":"), read_as$model),
  crafted_results = kind_of(3000, crafted_of(results, "\"result\":"), read_as$result),
  crafted_briefs = kind_of(2000, crafted_brief, read_as$brief),
  crafted_tables = kind_of(1000, crafted_table, read_as$table)
)

# ---- the run ------------------------------------------------------------------------------------------------------

# What came of one file: "read", "refused", or what is wrong.
one <- function(kind, seed, file) {
  set.seed(seed)
  unlink(file, recursive = TRUE)
  # of this process alone: others may run beside it
  spent <- function() sum(proc.time()[c("user.self", "sys.self")])
  began <- spent()
  came <- tryCatch(
    {
      kind$make(file)
      withCallingHandlers(
        suppressMessages(kind$read(file)), hylomath_warning_far = function(w) tryInvokeRestart("muffleWarning")
      )
      "read"
    },
    hylomath_error = function(e) "refused",
    error = function(e) paste("inner error:", gsub("\n", " ", conditionMessage(e)), "in", deparse(conditionCall(e))[1]),
    warning = function(w) paste("warning:", conditionMessage(w))
  )
  if (spent() - began > 20) paste("slow:", came) else came
}

peak_memory <- function() {
  status <- readLines(sprintf("/proc/%d/status", Sys.getpid()))
  as.numeric(gsub("[^0-9]", "", grep("^VmHWM", status, value = TRUE))) / 1024
}

cores <- max(1, parallel::detectCores())
found <- 0
for (name in c(asked[-(1:2)], names(kinds)[length(asked) < 3])) {
  kind <- kinds[[name]]
  n <- ceiling(share * kind$n)
  seeds <- first_seed * 1e6 + seq_len(n)
  chunks <- split(seeds, ceiling(seq_along(seeds) / 250))
  began <- proc.time()[["elapsed"]]
  came <- parallel::mclapply(chunks, function(seeds) {
    file <- tempfile(fileext = if (grepl("briefs", name)) ".yml" else if (grepl("tables", name)) ".csv" else ".hylo")
    on.exit(unlink(file, recursive = TRUE))
    list(came = vapply(seeds, function(seed) one(kind, seed, file), ""), memory = peak_memory(), seeds = seeds)
  }, mc.cores = cores, mc.preschedule = FALSE)
  crashed <- which(vapply(came, function(chunk) !is.list(chunk), NA))
  whole <- came[setdiff(seq_along(came), crashed)]
  said <- unlist(lapply(whole, `[[`, "came"))
  of <- unlist(lapply(whole, `[[`, "seeds"))
  wrong <- which(!said %in% c("read", "refused"))
  memory <- max(0, vapply(whole, `[[`, 0, "memory"))
  cat(sprintf(
    "%s: %d mutated, %d read, %d refused, %d crashes, %d inner errors, peak %.0f MiB, %.0f seconds\n", name, n,
    sum(said == "read"), sum(said == "refused"), length(crashed), length(wrong), memory,
    proc.time()[["elapsed"]] - began
  ))
  if (length(crashed)) cat("  crashed among seeds", vapply(chunks[crashed], function(s) format(s[1]), ""), "and on\n")
  for (what in utils::head(unique(said[wrong]), 20)) {
    cat(sprintf("  seed %.0f (%d times): %s\n", of[match(what, said)], sum(said == what), substr(what, 1, 300)))
  }
  found <- found + length(crashed) + length(wrong) + (memory > 1024)
}
quit(status = if (found > 0) 1 else 0)
