# Files by the grammar of what is read, for hard/fuzz.R, which sources this: sizes that contradict each other, depth,
# references to what is not there, and the largest that a small file can ask for.

# Values by the grammar of documents: sizes that contradict each other, depth, references to what is not there.
crafted_bytes <- function(n) {
  bytes <- as.raw(sample(0:255, n, TRUE))
  gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE)
}
repeated <- function(text, most) strrep(text, sample(c(0, 1, 2, 200, 20000, most), 1))
pick <- function(...) sample(c(...), 1)
crafted_value <- function(depth = 0) {
  inner <- function() if (depth > 3) pick("0", "null", "\"x\"") else crafted_value(depth + 1)
  size <- function() pick("0", "1", "-1", "3", "2147483647", "4e9", "1e308", "0.5", "null", "\"3\"", "[3]")
  many <- function(make, n = sample(0:5, 1)) {
    paste0("[", paste(vapply(seq_len(n), function(i) make(), ""), collapse = ","), "]")
  }
  text <- function() {
    pick("\"\"", "\"relu\"", "\"outcome\"", "\"\\u0000\"", "\"\\ud800\"", "\"%s%n\"", "null")
  }
  doubles <- function() sprintf("{\"$doubles\":\"%s\"}", crafted_bytes(pick(0, 1, 7, 8, 24, 64, 4096)))
  integers <- function() sprintf("{\"$integers\":\"%s\"}", crafted_bytes(pick(0, 3, 4, 12, 400)))
  texts <- function() sprintf("{\"$texts\":%s}", many(text))
  switch(sample.int(14, 1),
    size(), text(), doubles(), integers(), texts(), many(inner),
    sprintf("{\"$factor\":{\"levels\":%s,\"codes\":%s}}", texts(), integers()),
    sprintf(
      "{\"$matrix\":{\"size\":%s,\"rows\":%s,\"sides\":%s,\"values\":%s}}", many(size, 2), texts(), texts(), doubles()
    ),
    sprintf(
      "{\"$table\":{\"columns\":{\"a\":%s,\"b\":%s},\"rows\":%s,\"count\":%s}}", inner(), inner(), inner(), size()
    ),
    sprintf("{\"$named\":{\"names\":%s,\"values\":%s}}", texts(), many(inner)),
    sprintf("{\"$object\":{\"class\":%s,\"value\":%s}}", texts(), inner()),
    sprintf("{\"a\":%s,\"a\":%s,\"\":%s}", inner(), inner(), inner()),
    {
      deep <- pick(1, 150, 250, 20000)
      paste0(strrep("[", deep), strrep("]", deep))
    },
    paste0("[", repeated("0,", 3e6), "0]")
  )
}

# A value of a document, chosen at random, is replaced by a crafted one.
crafted_of <- function(texts, content) function(file) {
  text <- sample(texts, 1)[[1]]
  head_length <- head_of(text, content)
  body <- substring(text, head_length + 1, nchar(text) - 1)
  plain <- "-?[0-9][0-9.e+-]*|\"[^\"]*\"|true|false|null"
  special <- "\\{\"[$][a-z]+\":(\"[^\"]*\"|[^{}]*)\\}"
  at <- gregexpr(sprintf("(?<=[:\\[,])(%s|%s)(?=[,}\\]])", plain, special), body, perl = TRUE)[[1]]
  for (i in rev(sort(sample(seq_along(at), min(length(at), pick(1, 1, 2)))))) {
    body <- paste0(
      substr(body, 1, at[i] - 1), crafted_value(), substring(body, at[i] + attr(at, "match.length")[i])
    )
  }
  compressed(checked(charToRaw(paste0(substr(text, 1, head_length), body, "}")), head_length), file)
}

# Briefs of YAML: aliases of aliases, depth, many keys, settings of every section with values of other forms.
crafted_brief <- function(file) {
  word <- function() {
    pick(
      "1e308", "-1", "[]", "{}", "null", "~", ".inf", ".nan", "'x'", "[a, [b, [c]]]", "*a", "&a [*a]", "true", "0x1F"
    )
  }
  keys <- c(
    "target", "task", "classes", "columns", "prepare", "hold_out", "wiring", "regimen", "columns.kinds", "columns.id",
    "prepare.numbers", "prepare.clip", "hold_out.validation", "hold_out.folds", "regimen.epochs", "regimen.stop",
    "regimen.class_weights", "regimen.l2", "regimen.schedule", "regimen.seed", "rule", "data.file", "data.query"
  )
  one <- function(key) {
    parts <- strsplit(key, ".", fixed = TRUE)[[1]]
    if (length(parts) == 1) sprintf("%s: %s", parts, word()) else sprintf("%s:\n  %s: %s", parts[1], parts[2], word())
  }
  bomb <- function() {
    levels <- pick(3, 9, 30)
    nine <- vapply(seq_len(levels) - 1, function(i) paste(rep(sprintf("*a%d", i), 9), collapse = ", "), "")
    lines <- sprintf("a%d: &a%d [%s]", seq_len(levels), seq_len(levels), nine)
    paste(c("a0: &a0 [x, x, x, x, x, x, x, x, x]", lines), collapse = "\n")
  }
  text <- switch(sample.int(6, 1),
    paste(c("target: outcome", vapply(sample(keys, sample(1:6, 1)), one, "")), collapse = "\n"),
    bomb(),
    paste0("target: ", repeated("[", 30000), repeated("]", 30000)),
    paste0("target: outcome\nwiring: ", repeated("3 relu > ", 100000), "3 relu"),
    paste(c(
      "target: outcome\ncolumns:\n  kinds:", paste0("    c", seq_len(pick(1, 1000, 50000)), ": number")
    ), collapse = "\n"),
    paste0("target: outcome\nwhere: ", repeated("(", 20000), "a > 1", repeated(")", 20000))
  )
  writeLines(text, file)
}

# Tables of text: rows of other lengths, quotes that never end, many columns, long cells, one column, bytes of no text.
crafted_table <- function(file) {
  between <- pick(",", ";", "\t", " ", "|")
  cell <- function() {
    pick(
      "1", "", "1,5", "\"a", "\"a\"\"b\"", "NA", "2024-01-01", "x\ry", "\"a\nb\"", repeated("9", 1e6), "1e999", "\u202e"
    )
  }
  row <- function(n) paste(vapply(seq_len(n), function(i) cell(), ""), collapse = between)
  width <- pick(1, 2, 5)
  text <- switch(sample.int(4, 1),
    paste(
      c(paste0("c", seq_len(width), collapse = between), vapply(1:20, function(i) row(width), "")),
      collapse = pick("\n", "\r\n", "\r")
    ),
    paste(vapply(1:20, function(i) row(sample(0:7, 1)), ""), collapse = "\n"),
    paste(repeated(paste0("c", between), 300000), repeated(paste0("1", between), 300000), sep = "\n"),
    paste0("a", between, "b\n", repeated("\"\"\"", 300000), repeated("\n", 300000))
  )
  bytes <- charToRaw(text)
  marks <- list(as.raw(c(0xff, 0xfe)), as.raw(c(0xef, 0xbb, 0xbf)), as.raw(0))
  if (stats::runif(1) < 0.2) bytes <- c(sample(marks, 1)[[1]], bytes)
  writeBin(bytes, file)
}
